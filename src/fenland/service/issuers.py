"""Outside issuers: JSON Web Tokens (RFC 7519, RFC 9068) that are believed by the issuer's key set (RFC 7517).

Which algorithms may sign is settled beforehand and never taken from a token (RFC 8725 section 3.1). The key
set is kept for a while; a key that is not in it is looked for anew, and not more often than every so many
seconds.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager, nullcontext
from datetime import datetime
from typing import Any

import httpx
import jwt

from fenland.core.access import Actor
from fenland.core.problems import NotSignedIn, Unavailable
from fenland.service.ways_in import Issuer

#: Seconds for which a key set is kept, and between two looks for a key that is not in it.
_KEPT, _AGAIN = 600, 10
#: Seconds that clocks may differ by.
_LEEWAY = 30
_LARGEST = 1_000_000
#: Types that a token may say it is; RFC 9068 section 2.1 names the first.
_TYPES = ("at+jwt", "application/at+jwt", "jwt", None)

Fetch = Callable[[str], Mapping[str, Any]]
Aside = Callable[[], AbstractContextManager[None]]


def fetched(address: str) -> Mapping[str, Any]:
    """The JSON object at an address. Raises `httpx.HTTPError`, `ValueError`."""
    answer = httpx.get(address, timeout=5, follow_redirects=False)
    answer.raise_for_status()
    found = answer.json() if len(answer.content) <= _LARGEST else None
    if not isinstance(found, dict):
        raise ValueError("It answered with no JSON object.")
    return found


class Issued:
    """The tokens of one issuer."""

    def __init__(
        self,
        issuer: Issuer,
        known: frozenset[str],
        aside: Aside = nullcontext,
        fetch: Fetch = fetched,
    ) -> None:
        """`known` are the roles that there are: others mean nothing; `aside` lets others work meanwhile."""
        self._issuer = issuer
        self._aside = aside
        self._roles = known
        self._fetch = fetch
        self._lock = threading.Lock()
        self._keys: dict[str, jwt.PyJWK] = {}
        self._read_at = float("-inf")

    def actor(self, token: str, moment: datetime) -> Actor:
        """Who a token stands for. Raises `NotSignedIn`, and `Unavailable` while no key set can be had."""
        try:
            head = jwt.get_unverified_header(token)
            # Looked at before any key is looked for, so that a forged token costs nothing.
            if head.get("alg") not in self._issuer.algorithms or head.get("typ", "jwt").lower() not in _TYPES:
                raise _refused()
            claims = jwt.decode(
                token,
                self._key(str(head.get("kid", "")), moment.timestamp()),
                algorithms=list(self._issuer.algorithms),
                audience=self._issuer.audience,
                issuer=self._issuer.address,
                leeway=_LEEWAY,
                options={"require": ["exp", "iss", "aud", self._issuer.claims[0]]},
            )
        except (jwt.InvalidTokenError, AttributeError, KeyError, TypeError, ValueError):
            raise _refused() from None
        return self._actor(claims)

    def _actor(self, claims: Mapping[str, Any]) -> Actor:
        name, roles, attributes = (claims.get(one) for one in self._issuer.claims)
        if not isinstance(name, str) or not 0 < len(name) <= 64 or not name.isprintable():
            raise _refused()
        given = [one for one in roles if isinstance(one, str)] if isinstance(roles, list) else []
        title = claims.get("name")
        return Actor(
            name,
            title if isinstance(title, str) else "",
            self._roles.intersection(given),
            attributes if isinstance(attributes, dict) else {},
        )

    def _key(self, kid: str, now: float) -> jwt.PyJWK:
        if self._wants(kid, now):
            # Whoever waits here, for the issuer or for who asks it already, keeps nobody from working.
            with self._aside(), self._lock:
                if self._wants(kid, now):
                    self._read(now)
        found = self._keys.get(kid)
        if found is None:
            raise _refused()
        return found

    def _wants(self, kid: str, now: float) -> bool:
        """Whether the key set is to be read now."""
        age = now - self._read_at
        return age >= _KEPT or (kid not in self._keys and age >= _AGAIN)

    def _read(self, now: float) -> None:
        issuer = self._issuer
        try:
            found = issuer.keys or self._discovered()
            sent = self._fetch(found)["keys"]
            keys = {str(one["kid"]): jwt.PyJWK.from_dict(one) for one in sent if one.get("kid")}
        except (httpx.HTTPError, jwt.PyJWTError, KeyError, TypeError, AttributeError, ValueError) as error:
            # What was read before goes on to be believed, for as long as the issuer is out of reach.
            self._read_at = now - _KEPT + _AGAIN
            if not self._keys:
                raise Unavailable(f"The issuer's keys cannot be read now: {error}.") from None
            return
        self._keys, self._read_at = keys, now

    def _discovered(self) -> str:
        """The address of the key set, by the issuer's metadata (RFC 8414 section 3)."""
        metadata = self._fetch(f"{self._issuer.address}/.well-known/openid-configuration")
        if metadata.get("issuer") != self._issuer.address:
            raise ValueError("Its metadata is another issuer's.")
        return str(metadata["jwks_uri"])


def _refused() -> NotSignedIn:
    return NotSignedIn("The token is not one of the issuer's that is good here and now. Sign in again.")
