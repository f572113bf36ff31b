"""Tokens are remembered between requests, and never longer than the accounts stay as they are."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from fenland.core.access.policy import Actor
from fenland.core.definitions.reading import definitions_from
from fenland.core.problems import NotSignedIn
from fenland.core.values.identity import timestamp
from fenland.service.accounts.accounts import AccountChange, NewAccount, add_account, change_account
from fenland.service.accounts.callers import Origin, caller_by_token
from fenland.service.accounts.tokens import NewToken, issue_token, revoke_tokens
from fenland.service.service import Service
from fenland.storage.door import Token, open_database
from fenland.storage.sqlite.known import LONGEST, Mark

DEFINITIONS = definitions_from({"notes": {"fields": {"text": {"type": "string"}}}}, ["office"])


def signed_in(service: Service, token: str = "a-token") -> Actor:
    return caller_by_token(service, token, Origin()).actor


class Clock:
    """A clock that goes on only when told."""

    def __init__(self) -> None:
        self.moment = datetime(2031, 4, 9, 12, tzinfo=UTC)

    def __call__(self) -> datetime:
        return self.moment


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def both(tmp_path: Path, clock: Clock) -> Iterator[tuple[Service, Service]]:
    """Two services on one database, as two processes have them."""
    path = tmp_path / "notes.db"
    pair = tuple(Service(DEFINITIONS, open_database(path, DEFINITIONS), clock=clock) for _ in range(2))
    add_account(pair[0], NewAccount("olga", "Olga", ["office"]))
    issue_token(pair[0], "olga", NewToken(secret="a-token"))
    yield pair[0], pair[1]
    for service in pair:
        service.close()


def test_a_token_is_looked_up_once(both: tuple[Service, Service], monkeypatch: pytest.MonkeyPatch) -> None:
    looked = []
    database: Any = both[0].database
    look_up = database._look_up
    monkeypatch.setattr(database, "_look_up", lambda *asked: looked.append(asked) or look_up(*asked))
    for _ in range(3):
        assert signed_in(both[0]).name == "olga"
    assert len(looked) == 1


@pytest.mark.parametrize("by", [0, 1])
def test_every_process_heeds_a_change_at_once(both: tuple[Service, Service], by: int) -> None:
    assert [signed_in(service).roles for service in both] == [{"office"}] * 2
    change_account(both[by], "olga", AccountChange(roles=[]))
    assert [signed_in(service).roles for service in both] == [frozenset()] * 2
    revoke_tokens(both[by], "olga")
    for service in both:
        with pytest.raises(NotSignedIn):
            signed_in(service)
    issue_token(both[by], "olga", NewToken(secret="a-token-2"))
    assert signed_in(both[1 - by], "a-token-2").name == "olga"


def test_a_token_is_not_remembered_past_its_end(both: tuple[Service, Service], clock: Clock) -> None:
    accounts, ends = both[0].database.accounts, clock.moment + LONGEST / 2
    both[0].database.change_accounts(
        lambda writing: accounts.add_token(
            writing, "olga", "short", Token("", timestamp(clock.moment), timestamp(ends))
        )
    )
    assert signed_in(both[1], "short").name == "olga"
    clock.moment = ends - timedelta(microseconds=1)
    assert signed_in(both[1], "short").name == "olga"
    clock.moment = ends
    with pytest.raises(NotSignedIn):
        signed_in(both[1], "short")


def test_what_a_crash_left_unsaid_is_found_out_soon(both: tuple[Service, Service], clock: Clock) -> None:
    assert signed_in(both[0]).name == "olga"
    accounts, now = both[1].database.accounts, timestamp(clock.moment)
    # As when a process dies between its commit and the last renewal of the mark.
    both[1].database.write(lambda connection: accounts.revoke(connection, "olga", now))
    clock.moment += LONGEST
    with pytest.raises(NotSignedIn):
        signed_in(both[0])


def test_the_mark_has_its_room_on_the_disk_from_the_start(tmp_path: Path) -> None:
    mark = Mark(tmp_path / "a.lock")
    # A hole would read as zeros, and need room at its first change, when there may be none.
    assert (tmp_path / "a.lock").read_bytes() == mark.read() + bytes(16) != bytes(24)
    mark.close()
