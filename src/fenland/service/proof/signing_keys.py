"""The key that signs heads of the history: Ed25519 (RFC 8032), in a file that only its owner can read.

A signature is a JWS in compact form (RFC 7515, with EdDSA of RFC 8037); a public key is a JWK (RFC 7517),
whose id is its thumbprint (RFC 7638).
"""

from __future__ import annotations

import base64
import hashlib
import json
import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import jwt
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
    load_pem_private_key,
)

from fenland.core.problems import Unavailable
from fenland.core.values.canonical import canonical

#: What a signed head says it is.
TYPE = "fenland-head+jws"
_JWS = jwt.PyJWS()


def _text(data: bytes) -> str:
    return base64.urlsafe_b64encode(data).decode().rstrip("=")


def public_jwk(key: Ed25519PublicKey) -> dict[str, Any]:
    """A public key as a JWK."""
    raw = key.public_bytes(Encoding.Raw, PublicFormat.Raw)
    named = {"crv": "Ed25519", "kty": "OKP", "x": _text(raw)}
    thumbprint = _text(hashlib.sha256(canonical(named)).digest())
    return {**named, "alg": "EdDSA", "use": "sig", "kid": thumbprint}


class SigningKey:
    """The private key in a file, made where there is none yet."""

    def __init__(self, path: Path) -> None:
        """Raises `Unavailable` where the file cannot be read or made."""
        try:
            if not path.exists():
                make_key(path)
            loaded = load_pem_private_key(path.read_bytes(), None)
        except (OSError, ValueError) as error:
            raise Unavailable(f"The key that signs the history, {path}, cannot be used: {error}.") from None
        if not isinstance(loaded, Ed25519PrivateKey):
            raise Unavailable(f"The key that signs the history, {path}, is no Ed25519 key.")
        self._key = loaded
        self.public = public_jwk(loaded.public_key())

    def signature(self, data: bytes) -> bytes:
        """The signature of some bytes."""
        return self._key.sign(data)

    def signed(self, content: Mapping[str, Any]) -> str:
        """The content with a signature, as a compact JWS."""
        header = {"kid": self.public["kid"], "typ": TYPE}
        return _JWS.encode(canonical(dict(content)), self._key, algorithm="EdDSA", headers=header)


def make_key(path: Path) -> None:
    """Makes a new key in a file of mode 0600, unless another process does so first. Raises `OSError`."""
    pem = Ed25519PrivateKey.generate().private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    part = path.with_name(f"{path.name}.{os.getpid()}.part")
    file = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
    try:
        os.write(file, pem)
        os.fsync(file)
        # Whole or not at all, whoever looks meanwhile.
        os.link(part, path)
    except FileExistsError:
        pass
    finally:
        os.close(file)
        part.unlink()


def verified(signed: str, keys: Iterable[Mapping[str, Any]]) -> dict[str, Any]:
    """What a compact JWS says, signed by one of these keys. Raises `ValueError` with why it is not."""
    try:
        named = jwt.get_unverified_header(signed)["kid"]
    except (jwt.InvalidTokenError, KeyError, TypeError):
        raise ValueError("It is no JWS signed with EdDSA.") from None
    key = next((one for one in keys if isinstance(one, dict) and one.get("kid") == named), None)
    if key is None:
        raise ValueError(f"The key {named!r} that it names is not known.")
    try:
        found = _JWS.decode(signed, jwt.PyJWK(dict(key), "EdDSA").key, algorithms=["EdDSA"])
        content = json.loads(found)
    except jwt.InvalidAlgorithmError:
        raise ValueError("It is no JWS signed with EdDSA.") from None
    except (jwt.PyJWTError, ValueError):
        raise ValueError("Its signature is wrong.") from None
    if not isinstance(content, dict):
        raise ValueError("It is no JWS signed with EdDSA.")
    return content
