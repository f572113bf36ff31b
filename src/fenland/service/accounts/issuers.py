"""Outside issuers: JSON Web Tokens (RFC 7519, RFC 9068) that are believed by the issuer's key set (RFC 7517).

Which algorithms may sign is settled beforehand and never taken from a token (RFC 8725 section 3.1). The key
set is kept for a while; a key that is not in it is looked for anew, and not more often than every so many
seconds.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager, nullcontext, suppress
from datetime import datetime
from typing import Any

import httpx
import jwt

from fenland.core.access.policy import RESERVED_NAMES, Actor
from fenland.core.problems import NotSignedIn, Unavailable
from fenland.service.ways_in import Issuer

#: Seconds for which a key set is kept, and between two looks for a key that is not in it.
_KEPT, _AGAIN = 600, 10
#: Seconds that reading it may take in all; that others wait for whoever reads it; and between two tries
#: after several have failed.
_DEADLINE, _PATIENCE, _LONGEST_AGAIN = 3.0, 0.25, 300
#: Names of keys that are remembered as unknown, and how much of each.
_MOST_REFUSED, _LONGEST_KID, _REMEMBERED = 256, 100, 60
#: Seconds that clocks may differ by.
_LEEWAY = 30
_LARGEST = 1_000_000
#: Types that a token may say it is; RFC 9068 section 2.1 names the first.
_TYPES = ("at+jwt", "application/at+jwt", "jwt", None)

Fetch = Callable[[str], Mapping[str, Any]]
Aside = Callable[[], AbstractContextManager[None]]


def fetched(address: str) -> Mapping[str, Any]:
    """The JSON object at an address. Raises `httpx.HTTPError`, `ValueError`."""
    answer = httpx.get(address, timeout=_DEADLINE, follow_redirects=False)
    answer.raise_for_status()
    found = answer.json() if len(answer.content) <= _LARGEST else None
    if not isinstance(found, dict):
        raise ValueError("It answered with no JSON object.")
    return found


class IssuedTokens:
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
        self._read_at = self._next_read = float("-inf")
        self._failures = 0
        #: Names of keys that were looked for and not found, and when.
        self._refused: dict[str, float] = {}

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
        if name.lower() in RESERVED_NAMES:
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
        looked = self._wants(kid, now)
        if looked:
            # Whoever waits here keeps nobody from working, and nobody waits for long behind another.
            with self._aside():
                self._look(kid, now)
        found = self._keys.get(kid)
        if found is None:
            if looked:
                self._refused[kid[:_LONGEST_KID]] = now
                while len(self._refused) > _MOST_REFUSED:
                    self._refused.pop(next(iter(self._refused)), None)
            raise _refused()
        return found

    def _look(self, kid: str, now: float) -> None:
        if not self._lock.acquire(timeout=_PATIENCE):
            if kid not in self._keys:
                raise Unavailable("The issuer's keys are being read. Send it again in a moment.")
            return
        try:
            if self._wants(kid, now):
                self._read(now)
        finally:
            self._lock.release()

    def _wants(self, kid: str, now: float) -> bool:
        """Whether the key set is to be read now."""
        if now < self._next_read:
            return False
        if now - self._read_at >= _KEPT:
            return True
        refused = self._refused.get(kid[:_LONGEST_KID], float("-inf"))
        return kid not in self._keys and now - refused >= _REMEMBERED

    def _read(self, now: float) -> None:
        try:
            keys = self._within_deadline()
        except (httpx.HTTPError, KeyError, TypeError, AttributeError, ValueError) as error:
            # What was read before goes on to be believed, for as long as the issuer is out of reach.
            self._next_read = now + min(_AGAIN * 2**self._failures, _LONGEST_AGAIN)
            self._failures = min(self._failures + 1, 10)
            if not self._keys:
                raise Unavailable(f"The issuer's keys cannot be read now: {error}.") from None
            return
        self._keys, self._read_at, self._failures = keys, now, 0
        self._next_read = now + _AGAIN
        self._refused.clear()

    def _within_deadline(self) -> dict[str, jwt.PyJWK]:
        """The keys, read by a thread of their own: an issuer may take its time, a byte after the other."""
        found: list[dict[str, jwt.PyJWK]] = []
        failed: list[Exception] = []

        def read() -> None:
            try:
                address = self._issuer.keys or self._discovered()
                found.append(_keys_in(self._fetch(address)["keys"]))
            except Exception as error:
                failed.append(error)

        thread = threading.Thread(target=read, name="issuer", daemon=True)
        thread.start()
        thread.join(_DEADLINE)
        if failed:
            raise failed[0]
        if not found:
            raise ValueError(f"it did not answer within {_DEADLINE:g} seconds")
        return found[0]

    def _discovered(self) -> str:
        """The address of the key set, by the issuer's metadata (RFC 8414 section 3)."""
        metadata = self._fetch(f"{self._issuer.address}/.well-known/openid-configuration")
        if metadata.get("issuer") != self._issuer.address:
            raise ValueError("Its metadata is another issuer's.")
        return str(metadata["jwks_uri"])


def _keys_in(sent: Any) -> dict[str, jwt.PyJWK]:
    """The keys of a set (RFC 7517 section 5) that sign, by name; kinds not known here are left out."""
    found = {}
    for one in sent:
        if not isinstance(one, dict) or not one.get("kid") or one.get("use", "sig") != "sig":
            continue
        with suppress(jwt.PyJWTError, KeyError, TypeError, ValueError):
            found[str(one["kid"])] = jwt.PyJWK.from_dict(one)
    return found


def _refused() -> NotSignedIn:
    return NotSignedIn("The token is not one of the issuer's that is good here and now. Sign in again.")
