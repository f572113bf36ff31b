"""The past by command and by client, against the sample service."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from pathlib import Path

import pytest
from typer.testing import CliRunner

from fenland.cli.main import command_line
from fenland.client import AsyncClient, Client, ConflictError, NotFoundError
from support import Running

#: Runs a command and gives its exit code and what it printed.
Run = Callable[..., tuple[int, str]]


@pytest.fixture
def run(sample: Running, tmp_path: Path) -> Run:
    given = {"HOME": str(tmp_path), "XDG_CONFIG_HOME": str(tmp_path), "COLUMNS": "200"}
    given |= {"FENLAND_ADDRESS": sample.address, "FENLAND_TOKEN": "sample-office"}

    def call(*words: str) -> tuple[int, str]:
        done = CliRunner().invoke(command_line(words), words, env=given)
        assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
        return done.exit_code, done.stdout

    return call


def test_the_past_by_command(run: Run) -> None:
    assert run("update", "tickets", "T-0071", "hours=7", "--reason", "Flood watch")[0] == 0
    code, text = run("history", "tickets", "T-0071", "--limit", "1", "--json")
    entry = json.loads(text)
    assert (code, entry["reason"]) == (0, "Flood watch")
    assert "Flood watch" in run("history", "--reason", "lood wat")[1]
    assert "No entries found" in run("history", "--where", 'actor == "nobody"')[1]
    assert run("history", "tickets", "T-0071", "--reason", "x")[0] == 2
    assert run("history", "--where", "oops")[0] == 1
    assert "hours" in run("difference", "tickets", "T-0071", "1")[1]
    assert json.loads(run("show", "tickets", "T-0071", "--version", "1", "--json")[1])["version"] == 1
    assert run("show", "tickets", "T-0071", "--version", "1", "--by", "number")[0] == 2
    assert run("list", "tickets", "--at", "2026-08-01", "--limit", "2", "--json")[1].count("\n") == 2
    assert run("list", "tickets", "--at", "2026-08-01", "--find", "x")[0] == 2
    sequence = str(entry["sequence"])
    assert "nothing was saved" in run("undo", sequence, "--preview")[1]
    assert json.loads(run("undo", sequence, "--json")[1])["done"]
    assert run("undo")[0] == 2
    assert run("undo", sequence, "--batch", "x")[0] == 2
    assert run("undo", "--actor", "ines.harrow")[0] == 2
    assert run("undo", "--batch", "none", "--json")[0] == 2
    assert run("undo", "--batch", "none", "--yes")[1].startswith("There is nothing to undo.")
    assert run("delete", "tickets", "T-0071", "--yes")[0] == 0
    assert "T-0071" in run("restore", "tickets", "T-0071", "--preview")[1]
    assert "is as it was" in run("restore", "tickets", "T-0071")[1]
    assert run("restore", "tickets", "T-0071")[0] == 6
    assert run("erase", "landholders", "L0011", "phone", "--reason", "x", "--json")[0] == 2
    assert "for good" in run("erase", "landholders", "L0011", "phone", "--reason", "asked", "--yes")[1]
    assert run("erase", "landholders", "L0011", "name", "--reason", "asked", "--yes")[0] == 7
    code, text = run("history", "landholders", "L0011", "--limit", "1")
    assert "erased phone of L0011 for good" in text


def test_an_export_that_was_broken_off_goes_on(run: Run, sample: Running, tmp_path: Path) -> None:
    file, heads = tmp_path / "history.jsonl", tmp_path / "heads.jsonl"
    assert run("head", "--write", str(heads))[0] == 0
    assert run("export-history", str(file))[0] == 0
    whole = file.read_bytes()
    file.write_bytes(whole[: len(whole) // 2])
    assert run("export-history", str(file))[0] == 6
    assert run("export-history", str(file), "--resume")[0] == 0
    assert file.read_bytes()[: len(whole)] == whole
    code, text = run("verify", "--export", str(file), "--head", str(heads))
    assert (code, "Whole and unchanged" in text) == (0, True)
    assert run("export-history", str(tmp_path / "h.csv"), "--collection", "stations")[0] == 0
    assert (tmp_path / "h.csv").read_text().startswith("sequence,time,collection")
    proof = tmp_path / "e.json"
    assert run("evidence", "stations", "PS-003", str(proof))[0] == 0
    assert run("evidence", "stations", "PS-003", str(proof))[0] == 1
    assert run("verify", "--evidence", str(proof))[0] == 0
    assert run("verify", "--evidence", str(heads))[0] == 2
    assert run("verify", "--project", str(sample.folder), "--head", str(heads))[0] == 0


def test_both_clients_have_the_past(sample: Running) -> None:
    with Client(sample.address, "sample-office") as client:
        client.update("tickets", "T-0072", {"hours": 3}, reason="counted")
        past, entry = client.past, next(client.history("tickets", "T-0072", field="hours", limit=1))
        assert past.entry(entry.sequence).reason == "counted"
        assert [one.sequence for one in past.entries(reason="counted", collection="tickets")] == [
            entry.sequence
        ]
        assert past.read("tickets", "T-0072", version=1).version == 1
        assert len(list(past.records("tickets", "2026-08-01", limit=3))) == 3
        assert "hours" in past.difference("tickets", "T-0072", 1)["changes"]
        assert past.undo(entry.sequence, preview=True)["items"][0]["did"] == "update"
        client.update("tickets", "T-0072", {"hours": 4})
        refused = past.undo(entry.sequence)
        assert (refused["done"], refused["refused"]) == (False, 1)
        assert "hours" in past.preview_restoring("tickets", "T-0072", version=1).changes
        back = past.restore("tickets", "T-0072", version=1, seen=client.get("tickets", "T-0072"))
        assert back["hours"] == past.read("tickets", "T-0072", version=1)["hours"]
        with pytest.raises(ConflictError):
            past.restore("tickets", "T-0072")
        done = client.batch(
            [{"action": "update", "collection": "tickets", "key": "T-0072", "fields": {"priority": 1}}]
        )
        batch = next(client.history("tickets", "T-0072", limit=1)).raw["batch"]
        assert done[0].status == 200
        assert past.undo_many(batch=batch)["done"]
        assert past.erase("landholders", "L0012", ["phone"], "asked")["phone"] is None
        head = past.head()
        assert past.consistency(10, head["size"])["to_root"] == head["root"]
        assert past.proof(5, size=head["size"])["sequence"] == 5
        assert past.keys()["keys"][0]["kty"] == "OKP"
        assert past.evidence("tickets", "T-0072")["format"] == "fenland-evidence-1"
        assert len(past.activity(by="actor", since="2026-08-01", until="2026-08-09")["days"]) == 9
        lines = b"".join(past.export(after=100, collection="tickets")).splitlines()
        with pytest.raises(ValueError, match="does not come as"):
            past.export(form="xlsx")

    async def work() -> None:
        async with AsyncClient(sample.address, "sample-office") as other:
            with pytest.raises(NotFoundError):
                await other.past.entry(10**9)
            assert (await other.past.read("tickets", "T-0072", version=1)).version == 1
            assert [one.sequence async for one in other.past.entries(reason="counted")] == [entry.sequence]
            assert (await other.past.head())["size"] >= head["size"]
            pieces = [piece async for piece in other.past.export(after=100, collection="tickets")]
            assert b"".join(pieces).splitlines()[: len(lines)] == lines

    asyncio.run(work())
