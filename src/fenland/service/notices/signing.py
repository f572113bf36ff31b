"""Signing: how a receiver knows that a notice comes from here (Standard Webhooks, version 1)."""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets
from collections.abc import Iterable

#: What secrets begin with, and the bytes behind it: the specification wants 24 to 64.
_PREFIX, _BYTES = "whsec_", 32


def new_secret() -> str:
    """A fresh secret, as the specification writes it."""
    return _PREFIX + base64.b64encode(secrets.token_bytes(_BYTES)).decode()


def signed(message: str, second: int, body: bytes, by: Iterable[str]) -> dict[str, str]:
    """The headers that go with a body: its id, when it is sent in Unix seconds, and a signature by each
    secret.
    """
    content = b"%b.%d.%b" % (message.encode(), second, body)
    made = [
        base64.b64encode(hmac.digest(base64.b64decode(one.removeprefix(_PREFIX)), content, hashlib.sha256))
        for one in by
    ]
    return {
        "webhook-id": message,
        "webhook-timestamp": str(second),
        "webhook-signature": " ".join(f"v1,{one.decode()}" for one in made),
    }
