"""A stand-in for an outside issuer of JSON Web Tokens, for the demo and for tests; it believes everybody.

It serves its metadata, its key set and tokens, and can change its key. It is for trying things out alone.
"""

from __future__ import annotations

import json
import secrets
import time
from collections.abc import Mapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import jwt
from cryptography.hazmat.primitives.asymmetric import ec

AUDIENCE = "fenland"
_ALGORITHM = "ES256"
#: Keys that the set holds at most: the one that signs, and the one before.
_KEPT = 2
_MINUTES = 60


class Keys:
    """The keys of the issuer, the newest of which signs."""

    def __init__(self) -> None:
        self._keys: dict[str, ec.EllipticCurvePrivateKey] = {}
        self.rotate()

    def rotate(self) -> None:
        """Goes on with a new key; the one before is still in the set."""
        kept = list(self._keys.items())[1 - _KEPT :] if self._keys else []
        self._keys = {**dict(kept), secrets.token_hex(4): ec.generate_private_key(ec.SECP256R1())}

    def as_json(self) -> dict[str, Any]:
        """The key set (RFC 7517 section 5)."""
        algorithm = jwt.get_algorithm_by_name(_ALGORITHM)
        keys = [
            {**json.loads(algorithm.to_jwk(key.public_key())), "kid": kid, "use": "sig", "alg": _ALGORITHM}
            for kid, key in self._keys.items()
        ]
        return {"keys": keys}

    def sign(self, claims: Mapping[str, Any]) -> str:
        """A token with these claims (RFC 9068)."""
        kid, key = list(self._keys.items())[-1]
        return jwt.encode(dict(claims), key, _ALGORITHM, headers={"kid": kid, "typ": "at+jwt"})


class IssuerServer(ThreadingHTTPServer):
    """Serves the issuer on loopback."""

    daemon_threads = True

    def __init__(self, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), _Handler)
        self.keys = Keys()
        self.address = f"http://127.0.0.1:{self.server_address[1]}"
        #: How often the key set was asked for.
        self.asked = 0

    def token(self, wanted: Mapping[str, Any]) -> str:
        """A token for whoever is named; what is given otherwise takes the place of the usual claims."""
        now = int(time.time())
        usual = {"iss": self.address, "aud": AUDIENCE, "iat": now, "exp": now + _MINUTES * 60, "roles": []}
        return self.keys.sign({**usual, **wanted})


class _Handler(BaseHTTPRequestHandler):
    server: IssuerServer

    def do_GET(self) -> None:
        """Metadata and key set."""
        if self.path == "/.well-known/openid-configuration":
            keys, tokens = f"{self.server.address}/keys", f"{self.server.address}/token"
            self._answer({"issuer": self.server.address, "jwks_uri": keys, "token_endpoint": tokens})
        elif self.path == "/keys":
            self.server.asked += 1
            self._answer(self.server.keys.as_json())
        else:
            self._answer({"error": "not found"}, 404)

    def do_POST(self) -> None:
        """A token for the claims in the body, or a new key."""
        try:
            sent = json.loads(self.rfile.read(int(self.headers.get("Content-Length") or 0)) or b"{}")
        except ValueError:
            sent = None
        if not isinstance(sent, dict):
            self._answer({"error": "Send a JSON object with claims, such as sub and roles."}, 400)
        elif self.path == "/token":
            self._answer({"access_token": self.server.token(sent), "token_type": "Bearer"})
        elif self.path == "/rotate":
            self.server.keys.rotate()
            self._answer(self.server.keys.as_json())
        else:
            self._answer({"error": "not found"}, 404)

    def _answer(self, value: Mapping[str, Any], status: int = 200) -> None:
        body = json.dumps(value).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, format: str, *args: Any) -> None:  # noqa: A002 - the base class has it
        """Nothing: it is only a stand-in."""
