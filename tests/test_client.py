"""The Python client: against the real app without a socket, and against answers that never come."""

from __future__ import annotations

import ssl
import subprocess
import sys
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path

import httpx
import pytest

import fenland.client as package
from fenland.cli.main import COMMANDS
from fenland.client import (
    Client,
    ConflictError,
    InvalidError,
    NoAnswerYetError,
    NotFoundError,
    NotPermittedError,
    NotSignedInError,
    ProblemError,
    UnreachableError,
    VersionError,
    calls,
    flows,
)
from fenland.client.flows import trusted_for
from fenland.client.records import Record
from support import TOKENS, workshop_of


@pytest.fixture
def client(transport: httpx.WSGITransport) -> Iterator[Client]:
    with Client("http://workshop", TOKENS["olga"][1], transport=transport) as found:
        yield found


def test_a_record_from_creation_to_deletion(client: Client) -> None:
    assert client.session()["account"] == "olga"
    tool = client.create("tools", {"code": "A1", "name": "Saw", "weight": Decimal("1.10")}, reason="new")
    assert (tool["weight"], str(tool["weight"]), tool.version) == (Decimal("1.10"), "1.10", 1)
    assert client.get("tools", "A1") == tool
    assert client.get("tools", tool["id"], by="id") == tool
    saved = client.update("tools", "A1", {"note": "x", "serial": 0}, seen=tool, reason="count")
    assert (saved["note"], saved["serial"], saved["name"], saved.version) == ("x", 0, "Saw", 2)
    assert client.update("tools", "A1", {"note": None})["note"] is None
    entries = list(client.history("tools", "A1"))
    assert [one.version for one in entries] == [3, 2, 1]
    assert (entries[1].reason, entries[1].via) == ("count", "client")
    assert entries[1].changes["serial"] == {"before": None, "after": 0}
    assert "name" in client.form("tools", "A1").writable
    assert client.delete("tools", "A1").version == 3
    assert next(client.history("tools", "A1")).action == "delete"


def test_edits_previews_and_merging(client: Client) -> None:
    tool = client.create("tools", {"code": "A1", "name": "Saw", "serial": 1})
    assert client.send_edits("tools", "A1", [{"at": "/serial", "increase_by": 2}])["serial"] == 3
    with pytest.raises(ConflictError):
        client.send_edits("tools", "A1", [{"at": "/serial", "set": 9, "only_if": {"at_least": 5}}])
    assert client.update("tools", "A1", {"note": "x"}, base=tool)["serial"] == 3
    with pytest.raises(ConflictError) as clash:
        client.update("tools", "A1", {"serial": 5}, base=1)
    assert clash.value.problem["conflicts"] == [{"pointer": "/serial", "base": 1, "current": 3, "yours": 5}]
    found = client.preview("tools", "A1", {"name": "", "note": "y"})
    assert found.changes["note"] == {"before": "x", "after": "y"}
    assert found.errors[0].code == "min_length"
    replaced = client.replace("tools", "A1", {"name": "Axe"})
    assert (replaced["note"], replaced["name"]) == (None, "Axe")


def test_batches(client: Client) -> None:
    item = {"action": "create", "collection": "tools", "fields": {"code": "A1", "name": "Saw"}}
    found = client.batch([item])
    assert (found[0].done, found[0].record) == (True, client.get("tools", "A1"))
    broken = client.batch([item | {"fields": {"code": "A2", "name": "Saw"}}, item])
    assert [(one.status, one.done) for one in broken] == [(424, False), (422, False)]
    assert broken[1].problem["errors"][0]["code"] == "unique"


def test_lists_walk_their_pages(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(calls, "PAGE", 2)
    for number in range(5):
        client.create("tools", {"code": f"A{number}", "name": "Saw"})
    assert [one["code"] for one in client.list("tools", sort="-code")] == ["A4", "A3", "A2", "A1", "A0"]
    assert [one["code"] for one in client.list("tools", sort="code", limit=3)] == ["A0", "A1", "A2"]
    for number in range(5):
        client.update("tools", "A1", {"serial": number})
    assert [one.version for one in client.history("tools", "A1", limit=5)] == [6, 5, 4, 3, 2]


def test_refusals_are_exceptions_that_carry_what_was_said(
    client: Client, transport: httpx.WSGITransport
) -> None:
    tool = client.create("tools", {"code": "A1", "name": "Saw"})
    client.update("tools", "A1", {"note": "x"})
    with pytest.raises(VersionError) as stale:
        client.update("tools", "A1", {"note": "y"}, seen=tool)
    assert (stale.value.status, stale.value.code, stale.value.problem["version"]) == (
        412,
        "version-mismatch",
        2,
    )
    with pytest.raises(InvalidError) as invalid:
        client.update("tools", "A1", {"name": "", "serial": "x"})
    assert [(one.field, one.code) for one in invalid.value.errors] == [
        ("name", "min_length"),
        ("serial", "type"),
    ]
    assert invalid.value.errors[0].params == {"min_length": 2}
    assert "name: Must be at least 2" in str(invalid.value)
    with pytest.raises(NotFoundError):
        client.get("tools", "A2/../A1")
    client.create("benches", {"code": "B1"})
    with (
        Client("http://workshop", TOKENS["vic"][1], transport=transport) as vic,
        pytest.raises(NotPermittedError),
    ):
        vic.update("tools", "A1", {"note": "z"})
    with Client("http://workshop", "wrong", transport=transport) as nobody, pytest.raises(NotSignedInError):
        nobody.session()


def answering(*answers: int | None) -> tuple[Client, list[httpx.Request]]:
    """A client whose service gives these statuses in turn; None is not reached, 0 does not answer in time."""
    sent: list[httpx.Request] = []
    left = list(answers)

    def answer(request: httpx.Request) -> httpx.Response:
        sent.append(request)
        status = left.pop(0)
        if status is None:
            raise httpx.ConnectError("refused")
        if status == 0:
            raise httpx.ReadTimeout("timed out")
        headers = {"Retry-After": "1"} if status == 503 else {}
        return httpx.Response(status, json={"id": "x", "version": 1, "account": "a"}, headers=headers)

    return Client("http://workshop", transport=httpx.MockTransport(answer)), sent


@pytest.mark.parametrize(
    ("answers", "call", "tries", "error"),
    [
        ([None, 502, 200], "session", 3, None),
        ([None] * 4, "session", 4, UnreachableError),
        ([0] * 4, "update", 4, NoAnswerYetError),
        ([0, 200], "update", 2, None),
        ([503, 200], "update", 2, None),
        ([None, 200], "update", 2, None),
        ([None] * 4, "update", 4, UnreachableError),
        ([422], "update", 1, ProblemError),
        ([500], "session", 1, ProblemError),
        ([409], "delete", 1, ConflictError),
        ([502, None, 200], "create", 3, None),
    ],
)
def test_only_what_is_safe_is_sent_again(
    answers: list, call: str, tries: int, error: type | None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(flows, "WAITS", (0, 0, 0))
    client, sent = answering(*answers)
    calls = {
        "session": client.session,
        "update": lambda: client.update("tools", "A1", {"a": 1}),
        "delete": lambda: client.delete("tools", "A1"),
        "create": lambda: client.create("tools", {}),
    }
    if error is None:
        calls[call]()
    else:
        with pytest.raises(error):
            calls[call]()
    assert len(sent) == tries
    assert len({request.headers.get("Idempotency-Key") for request in sent}) == 1


def test_the_front_door_lists_what_there_is() -> None:
    assert sorted(package.__all__) == package.__all__
    assert all(hasattr(package, name) for name in package.__all__)


@pytest.mark.parametrize(
    ("module", "banned"),
    [
        ("fenland.core.changes.rules", ["flask", "sqlalchemy", "httpx", "sqlite3"]),
        ("fenland.client", ["flask", "sqlalchemy", "fenland.core", "fenland.service"]),
        ("fenland.cli.entry", ["typer", "rich", "fenland.cli.main"]),
        *[
            (
                f"fenland.cli.{name}",
                ["flask", "sqlalchemy", "httpx", "uvloop", "pydantic", "fenland.core.definitions.model"],
            )
            for name in COMMANDS
            if name not in ("accounts", "evaluating", "files")
        ],
        ("fenland.service.records.update", ["flask", "httpx", "uvloop"]),
    ],
)
def test_a_room_loads_nothing_from_above_it(module: str, banned: list[str]) -> None:
    code = f"import sys, {module}; print([m for m in {banned!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


#: What takes a loan out of its holder's sight, by each call that answers with a record.
OUT_OF_SIGHT = {
    "create": lambda client: client.create("loans", {"code": "L2", "holder": "cora"}),
    "update": lambda client: client.update("loans", "L1", {"holder": "cora"}),
    "edits": lambda client: client.send_edits("loans", "L1", [{"at": "/holder", "set": "cora"}]),
    "replace": lambda client: client.replace("loans", "L1", {"code": "L1", "holder": "cora"}),
    "put": lambda client: client.put("loans", "L1", {"code": "L1", "holder": "cora"}, by="code"),
    "draft": lambda client: _handed_on(client),
    "restore": lambda client: client.past.restore("loans", "L1", version=1),
    "batch": lambda client: (
        (
            client.batch(
                [{"action": "update", "collection": "loans", "key": "L1", "fields": {"holder": "cora"}}]
            )[0]
        ).record
    ),
}


def _handed_on(client: Client) -> Record | None:
    with client.edit("loans", "L1") as loan:
        loan["holder"] = "cora"
    return loan.saved


@pytest.mark.parametrize("way", OUT_OF_SIGHT)
def test_a_change_that_takes_a_record_out_of_sight_is_answered_as_unseen(tmp_path: Path, way: str) -> None:
    fields = {
        "code": {"type": "string", "required": True, "unique": True, "fixed": True},
        "holder": {"type": "string", "required": True},
    }
    access = {right: ["everyone"] for right in ("create", "update", "delete", "transfer")}
    loans = {"key": "code", "owner": "holder", "access": {**access, "read": ["owner"]}, "fields": fields}
    with workshop_of({"loans": loans}, tmp_path / "loans.db") as (_, http):
        first = {"code": "L1", "holder": "cora" if way == "restore" else "carl"}
        http.post("/v1/records/loans", json=first).raise_for_status()
        if way == "restore":
            own = {"Authorization": f"Bearer {TOKENS['cora'][1]}"}
            http.patch("/v1/records/loans/L1", json={"holder": "carl"}, headers=own).raise_for_status()
        with Client("http://workshop", TOKENS["carl"][1], transport=http._transport) as client:
            found = OUT_OF_SIGHT[way](client)
            assert found is not None
            assert found.unseen
            assert found.version == 0
            assert "holder" not in found
            with pytest.raises(NotFoundError):
                client.get("loans", "L1" if way != "create" else "L2")
        own = {"Authorization": f"Bearer {TOKENS['cora'][1]}"}
        key = "L2" if way == "create" else "L1"
        assert http.get(f"/v1/records/loans/{key}", headers=own).json()["holder"] == "cora"


@pytest.mark.parametrize(
    ("address", "all_authorities"),
    [("https://x.example", True), ("HTTPS://x.example", True), ("http://x.example", False), ("HTTP://127.0.0.1:1", False), ("x.example", True)],
)  # fmt: skip
def test_certificates_are_read_where_one_is_to_be_shown_and_none_is_ever_believed_unseen(
    address: str, all_authorities: bool
) -> None:
    found = trusted_for(address)
    if all_authorities:
        assert found is True
    else:
        assert isinstance(found, ssl.SSLContext) and found.get_ca_certs() == []
        assert (found.verify_mode, found.check_hostname) == (ssl.CERT_REQUIRED, True)
