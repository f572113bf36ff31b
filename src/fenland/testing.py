"""For tests of one's own project: its service within the test, with a database and a clock of its own.

    from fenland.testing import Trial

    def test_a_loan_that_comes_back_is_stamped():
        with Trial("library") as trial:
            ada = trial.account("ada", "desk")
            loan = ada.create("loans", {"tool": "saw"})
            trial.clock.advance(days=3)
            assert ada.update("loans", loan["code"], {"state": "back"})["closed_on"] == "2031-04-12"

Requests go through all of the service but its sockets. Nothing is left behind, and no network is needed. What
is tested with it is a project's definitions; it imports all rooms, and no room imports it.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory
from types import TracebackType
from typing import Any

import httpx
import structlog

from fenland.client import Client
from fenland.core.definitions.reading import definitions_from
from fenland.core.values.identity import timestamp
from fenland.service.accounts.accounts import NewAccount, add_account
from fenland.service.accounts.tokens import issue_token
from fenland.service.files.seeding import SeedRequest, seed
from fenland.service.opening import open_project_service
from fenland.service.project import Project, load_project
from fenland.service.settings import Settings
from fenland.storage.door import Made
from fenland.web.serving.app import create_app

#: Where requests seem to go.
_ADDRESS = "http://trial"


class Clock:
    """What the service takes for the time: it stands still until it is set or moved."""

    def __init__(self, start: datetime) -> None:
        self.now = start

    def __call__(self) -> datetime:
        """The moment that it is."""
        return self.now

    def set(self, moment: str | datetime) -> None:
        """Sets it, to an RFC 3339 text or a datetime; what has a time already keeps it."""
        found = datetime.fromisoformat(moment) if isinstance(moment, str) else moment
        self.now = found.astimezone(UTC) if found.tzinfo else found.replace(tzinfo=UTC)

    def advance(self, **duration: float) -> None:
        """Moves it on, as in `advance(days=3, hours=2)`."""
        self.now += timedelta(**duration)


class Trial:
    """A project under test. `service` is the service itself, for what no client can ask."""

    def __init__(
        self,
        project: str | Path | Mapping[str, Any],
        roles: Sequence[str] = (),
        *,
        now: str = "2031-04-09T12:00:00Z",
        seeds: bool = False,
        dice: int = 0,
    ) -> None:
        """A project's folder, or its collections by name as data, and then the roles that they may name.

        With `seeds`, the records of the folder's `seeds/` are there. What rules choose at random they choose
        by `dice`, the same each time. Raises `DefinitionMistakes` with every mistake of the project.
        """
        self.clock = Clock(datetime(2031, 4, 9, 12, tzinfo=UTC))
        self.clock.set(now)
        self._folder = TemporaryDirectory(prefix="fenland-trial-")
        self._clients: dict[str, Client] = {}
        try:
            self.project = self._read(project, roles)
            if seeds:
                seed(self.project, Made(timestamp(self.clock.now), "seed", "command-line"), SeedRequest())
            self.service = open_project_service(self.project)
        except BaseException:
            self._folder.cleanup()
            raise
        self.service.clock = self.clock
        self.service.dice = Random(dice)  # noqa: S311 - it is to be foreseen
        # Errors alone, for as long as this is open.
        self._logging = structlog.get_config()
        errors = structlog.make_filtering_bound_logger(logging.ERROR)
        structlog.configure(**{**self._logging, "wrapper_class": errors, "cache_logger_on_first_use": False})
        self._app = create_app(self.service, self.project.settings)

    def _read(self, project: str | Path | Mapping[str, Any], roles: Sequence[str]) -> Project:
        here = {"database": Path(self._folder.name) / "trial.db", "log_level": "error", "backup_hours": 0.0}
        if isinstance(project, Mapping):
            settings = Settings(title="Trial", roles=list(roles), **here)  # type: ignore[arg-type]
            return Project(Path(self._folder.name), settings, definitions_from(project, roles))
        found = load_project(Path(project))
        return replace(found, settings=found.settings.model_copy(update=here))

    def account(self, name: str, *roles: str, **attributes: Any) -> Client:
        """A client for an account; when it is first asked for, the account is made, with these roles."""
        if name not in self._clients:
            add_account(self.service, NewAccount(name, roles=roles, attributes=attributes))
            token, _ = issue_token(self.service, name)
            self._clients[name] = self._client(token)
        return self._clients[name]

    def nobody(self) -> Client:
        """A client that has not signed in."""
        return self._client(None)

    def _client(self, token: str | None) -> Client:
        return Client(_ADDRESS, token, transport=httpx.WSGITransport(self._app))

    def close(self) -> None:
        """Closes the service, and removes its database."""
        for client in self._clients.values():
            client.close()
        self.service.close()
        self._folder.cleanup()
        structlog.configure(**self._logging)

    def __enter__(self) -> Trial:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
