"""The open service: definitions compiled, database at hand, a clock and a source of identifiers.

Use cases are functions that take a `Service` first and a `Call`, who is asking, second.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path

from fenland.core.access import Actor, Policy
from fenland.core.definitions import Collection, Definitions
from fenland.core.identity import TICKS, timestamp, uuid7
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.names import did_you_mean
from fenland.core.problems import NotFound, NotSignedIn
from fenland.core.rules import Rules
from fenland.storage.accounts import Account
from fenland.storage.database import Database, open_database
from fenland.storage.known import LONGEST
from fenland.storage.records import Records

#: Long enough for a phone that was out of reach for a day.
_OUTCOMES_KEPT = timedelta(hours=24)


@dataclass(frozen=True, slots=True)
class Call:
    """Who is asking, as they came: nothing here is trusted until `Service.authenticate`.

    `client` is the name a client program gave itself, to know its own changes again. `actor` is there
    once the call was authenticated, so that it is done once for each request.
    """

    token: str | None = field(repr=False)
    via: str = "api"
    request_id: str = ""
    client: str | None = None
    actor: Actor | None = None


@dataclass(frozen=True, slots=True)
class Resource:
    """One collection with all that serves it."""

    collection: Collection
    rules: Rules
    policy: Policy
    records: Records


class Service:
    """Everything a use case needs, made once at the start."""

    def __init__(
        self,
        definitions: Definitions,
        database: Database,
        limits: Limits = DEFAULTS,
        clock: Callable[[], datetime] = lambda: datetime.now(UTC),
    ) -> None:
        self.definitions = definitions
        self.database = database
        self.limits = limits
        self._clock = clock
        self._last_ticks = 0
        self.resources = {
            name: Resource(one, Rules(one), Policy(one), database.records[name])
            for name, one in definitions.collections.items()
        }

    def now(self, later: timedelta = timedelta()) -> str:
        """This moment, or one so much later, in the form records keep."""
        return timestamp(self._clock() + later)

    def outcome_expiry(self) -> str:
        """Until when the outcome of a request with an idempotency key is kept."""
        return timestamp(self._clock() + _OUTCOMES_KEPT)

    def new_id(self) -> str:
        """A fresh UUIDv7, after all that this process has made, so that records come in order of creation.

        To be called by who writes: one thread at a time.
        """
        now = int(self._clock().timestamp() * 1_000_000) * TICKS // 1000
        self._last_ticks = max(now, self._last_ticks + 1)
        return uuid7(self._last_ticks, os.urandom(8))

    def authenticate(self, call: Call) -> Actor:
        """The actor a call's token stands for. Raises `NotSignedIn`."""
        return call.actor or self.actor_of(call.token, call.via)

    def actor_of(self, token: str | None, via: str) -> Actor:
        """The actor a token stands for. Raises `NotSignedIn`."""
        if not token:
            raise NotSignedIn("No token was sent. Send one as: Authorization: Bearer TOKEN.")
        account = self.database.known_tokens.account(token, self.now(), self._look_up)
        if account is None:
            raise NotSignedIn("The token is unknown, expired or revoked. Sign in again.")
        return Actor(account.name, account.title, account.roles, via)

    def _look_up(self, digest: str) -> tuple[Account, str] | None:
        moment = self._clock()
        with self.database.reading() as connection:
            found = self.database.accounts.by_token(connection, digest, timestamp(moment))
        if found is None:
            return None
        account, expires = found
        soon = timestamp(moment + LONGEST)
        return account, min(soon, expires or soon)

    def resource(self, name: str) -> Resource:
        """The collection of this name. Raises `NotFound`."""
        resource = self.resources.get(name)
        if resource is None:
            hint = did_you_mean(name, self.resources)
            raise NotFound(f"There is no collection {name!r}. {hint}")
        return resource

    def close(self) -> None:
        """Closes the database."""
        self.database.close()


def open_service(definitions: Definitions, path: Path, limits: Limits = DEFAULTS) -> Service:
    """The service over the database at `path`. Raises `DatabaseRefused`."""
    return Service(definitions, open_database(path, definitions, limits), limits)
