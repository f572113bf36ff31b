"""Receiving notices: whether one comes from whom it says (Standard Webhooks, version 1)."""

from __future__ import annotations

import base64
import binascii
import hashlib
import hmac
import time
from collections.abc import Mapping, Sequence

from fenland.client.errors import UntrustedError

_PREFIX = "whsec_"


def verified(headers: Mapping[str, str], body: bytes, secrets: Sequence[str], *, seconds: float = 300) -> str:
    """The id of a notice, once it is sure that one of the secrets signed it, at most so many seconds ago.

    The same id may come more than once, and means the same: keep those that were worked through. `body`
    must be the bytes that came. Raises `UntrustedError`, which says why it is not to be believed.
    """
    given = {name.lower(): value for name, value in headers.items()}
    message, sent, signatures = (given.get(f"webhook-{part}") for part in ("id", "timestamp", "signature"))
    if not message or not sent or not signatures:
        raise UntrustedError("It is not signed.")
    if not (sent.isascii() and sent.isdigit() and len(sent) < 16) or abs(time.time() - int(sent)) > seconds:
        raise UntrustedError("It was signed too long ago, or the clocks differ.")
    content = b"%b.%b.%b" % (message.encode(), sent.encode(), body)
    expected = [hmac.digest(_key(one), content, hashlib.sha256) for one in secrets]
    for one in signatures.split():
        version, _, text = one.partition(",")
        if version == "v1" and any(hmac.compare_digest(_decoded(text), each) for each in expected):
            return message
    raise UntrustedError("None of the secrets signed it.")


def _key(secret: str) -> bytes:
    try:
        text = secret.removeprefix(_PREFIX)
        return base64.b64decode(text + "=" * (-len(text) % 4), validate=True)
    except (binascii.Error, ValueError):
        raise UntrustedError(f"A secret is no secret: it begins with {_PREFIX}, then base64.") from None


def _decoded(text: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError):
        return b""
