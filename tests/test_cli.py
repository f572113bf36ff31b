"""The command line against the sample service: in this process, but where the process itself matters."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import Any

import pytest
import typer
from typer.main import get_command
from typer.testing import CliRunner

from commands import fenland
from fenland.cli.main import COMMANDS, command_line
from support import Running, new_project

Run = Callable[..., Any]


@pytest.fixture
def environment(sample: Running, tmp_path: Path) -> dict[str, str]:
    return {
        "HOME": str(tmp_path), "XDG_CONFIG_HOME": str(tmp_path), "COLUMNS": "200",
        "FENLAND_ADDRESS": sample.address, "FENLAND_TOKEN": "sample-office",
    }  # fmt: skip


@pytest.fixture
def run(environment: dict[str, str]) -> Run:
    def call(
        *words: str, code: int = 0, token: str = "sample-office", text: str = "", **others: str
    ) -> object:
        env = {**environment, "FENLAND_TOKEN": token, **others}
        done = CliRunner().invoke(command_line(words), words, env=env, input=text)
        assert done.exit_code == code, (words, done.stdout, done.stderr, done.exception)
        assert done.exception is None or isinstance(done.exception, SystemExit)
        return done

    return call


@pytest.fixture(scope="module")
def kept_project(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return new_project(tmp_path_factory.mktemp("kept") / "notes")


@pytest.fixture
def shell(environment: dict[str, str]) -> Run:
    """The command as a process of its own."""

    def call(*words: str, code: int = 0, text: str = "", **others: str) -> object:
        env = {"PATH": os.environ["PATH"], **environment, **others}
        done = fenland(*words, env=env, text=text, code=code)
        assert "Traceback" not in done.stderr
        return done

    return call


def test_every_command_explains_itself(run: Run) -> None:
    commands = ["new", "check", "start", "demo", "sign-in", "sign-out", "who", "collections", "list", "show",
                "create", "update", "edit", "batch", "history", "delete", "account add", "account list", "account token"]  # fmt: skip
    overview = run("--help").stdout
    for command in commands:
        assert command.split()[0] in overview
        assert "Usage:" in run(*command.split(), "--help").stdout
    run("nonsense", code=2)


def test_values_are_read_by_the_fields_type(run: Run) -> None:
    run("update", "stations", "PS-030", "automatic=yes", "pumps=0", "access_notes=x", "capacity=1.50")
    record = json.loads(run("show", "stations", "PS-030", "--json").stdout)
    assert (record["automatic"], record["pumps"], record["access_notes"]) == (True, 0, "x")
    assert '"capacity":1.50' in run("show", "stations", "PS-030", "--json").stdout
    told = run(
        "update", "stations", "PS-030", "automatic=false", "name=", "--clear", "capacity", code=7
    ).stderr
    assert "name: Must be at least 2 characters" in told
    saved = run("update", "stations", "PS-030", "automatic=false", "--clear", "capacity", "--reason", "Tests")
    assert "automatic  yes → no" in saved.stdout
    assert "capacity  1.50 → –" in saved.stdout
    again = run("update", "stations", "PS-030", "automatic=false")
    assert "Nothing to change" in again.stdout
    run("update", "tickets", "T-0003", 'parts=["fuse"]')
    assert json.loads(run("show", "tickets", "T-0003", "--json").stdout)["parts"] == ["fuse"]
    wrong = run(
        "update", "stations", "PS-030", "pumps=many", "automatic=maybe", "nmae=x", "flag", code=2
    ).stderr
    assert "not a whole number" in wrong
    assert "neither true nor false" in wrong
    assert "Did you mean 'name'?" in wrong
    assert "'flag' is not name=value" in wrong
    history = run("history", "stations", "PS-030", "--limit", "1").stdout
    assert (
        "Ines Harrow changed capacity in m³/s from 1.50 to nothing" in history
        or "starts by itself" in history
    )
    assert "(Tests)" in history and " UTC  " in history
    entry = json.loads(run("history", "stations", "PS-030", "--limit", "1", "--json").stdout)
    assert entry["via"] == "command-line"


def test_edits_and_previews(run: Run) -> None:
    run("update", "tickets", "T-0005", "hours=1.50", "parts=[]", "description=Old", "priority=4")
    saved = run(
        "edit",
        "tickets",
        "T-0005",
        "--increase",
        "hours=-0.5",
        "--include",
        "parts=fuse",
        "--append",
        "description= pump",
    )
    assert "hours  1.50 → 1.00" in saved.stdout
    assert "Old pump" in saved.stdout
    run("edit", "tickets", "T-0005", "--exclude", "parts=fuse", "--increase", "hours=0.25")
    shown = run(
        "edit", "tickets", "T-0005", "--set", "priority=1", "--clear", "description", "--preview"
    ).stdout
    assert "priority  4 → 1" in shown
    assert "description  Old pump → –" in shown
    assert "Nothing to change" in run("edit", "tickets", "T-0005", "--set", "priority=4").stdout
    wrong = run("edit", "tickets", "T-0005", "--increase", "hours=some", "--append", "tilte=x", code=2).stderr
    assert "not a number" in wrong
    assert "Did you mean 'title'?" in wrong
    run("edit", "tickets", "T-0005", code=2)
    run("edit", "tickets", "T-0005", "--increase", "hours=999", code=7)
    before = json.loads(run("show", "tickets", "T-0005", "--json").stdout)
    assert (
        "priority" in run("update", "tickets", "T-0005", "priority=2", "title=x", "--preview", code=7).stdout
    )
    assert json.loads(run("show", "tickets", "T-0005", "--json").stdout) == before
    run("update", "tickets", "T-0005", "title=Something else", "--base", str(before["version"] - 1))
    run("update", "tickets", "T-0005", "hours=7", "--base", str(before["version"] - 1), code=6)


def test_batches_from_a_file(run: Run, tmp_path: Path) -> None:
    file = tmp_path / "changes.jsonl"
    lines = [
        {
            "action": "update",
            "collection": "stations",
            "key": f"PS-{n:03d}",
            "edits": [{"at": "/crest_level", "set": 1.5}],
        }
        for n in range(90, 99)
    ]
    file.write_text("\n".join(map(json.dumps, lines)))
    assert "9 carried out" in run("batch", str(file)).stdout
    lines[3]["key"] = "PS-999"
    file.write_text("\n".join(map(json.dumps, lines)))
    told = run("batch", str(file), code=7).stderr
    assert "item 4: There is no 'PS-999'" in told
    assert "Nothing was changed" in told
    assert "8 of 9 were carried out" in run("batch", str(file), "--each", code=7).stderr
    results = run("batch", str(file), "--each", "--json", code=7).stdout.splitlines()
    assert [json.loads(line)["status"] for line in results] == [200] * 3 + [404] + [200] * 5
    file.write_text("{")
    assert "changes.jsonl:1" in run("batch", str(file), code=2).stderr


def test_exit_codes(run: Run) -> None:
    run("show", "stations", "PS-999", code=4)
    run("show", "station", "PS-001", code=4)
    run("update", "stations", "PS-001", "pumps=2", code=5, token="sample-visitor")
    run("who", code=3, token="wrong")
    run("who", code=8, FENLAND_ADDRESS="http://127.0.0.1:9")
    run("update", "stations", "PS-001", "pumps=2", "--seen", "999", code=6)
    run("update", "stations", "PS-001", "pumps=99", code=7)
    run("delete", "stations", "PS-001", "--yes", code=6)


def test_lists_creates_and_deletes(run: Run) -> None:
    assert "office" in run("who").stdout
    assert "stations" in run("collections").stdout
    table = run("list", "tickets", "--find", "weed screen", "--sort", "-number", "--limit", "3")
    assert "Clear the weed screen" in table.stdout
    assert "more with --limit" in table.stderr
    lines = run("list", "stations", "--json", "--limit", "3").stdout.splitlines()
    assert [json.loads(line)["code"] for line in lines] == ["PS-001", "PS-002", "PS-003"]
    assert "No records found" in run("list", "tickets", "--find", "nothing like this").stdout
    run("create", "watercourses", "code=W77", "name=Test Cut", "kind=dyke", "length_km=0.50")
    assert "0.50" in run("show", "watercourses", "W77").stdout
    run("create", "watercourses", "code=W77", "name=Test Cut", "kind=dyke", code=7)
    run("delete", "watercourses", "W77", "--yes", "--reason", "Only a test")
    assert "deleted W77" in run("history", "watercourses", "W77").stdout


def test_signing_in_is_remembered_until_signing_out(run: Run, sample: Running, tmp_path: Path) -> None:
    nothing = {"FENLAND_ADDRESS": "", "FENLAND_TOKEN": ""}
    run("sign-in", "--address", sample.address, "--token", "wrong", code=3, **nothing)
    run("sign-in", "--address", "nowhere", "--token", "x", code=2, **nothing)
    run("sign-in", "--address", sample.address, "--token", "sample-crew", **nothing)
    assert "Marta Quill" in run("who", **nothing).stdout
    kept = next(tmp_path.rglob("sign-in.json"))
    assert kept.stat().st_mode & 0o077 == 0
    run("sign-out", **nothing)
    assert not kept.exists()


def test_a_new_project_is_whole_and_mistakes_are_told(run: Run, tmp_path: Path) -> None:
    folder = tmp_path / "my-notes"
    run("new", str(folder))
    run("new", str(folder), code=2)
    assert "No mistakes" in run("check", str(folder)).stdout
    run("account", "add", "ada", "--role", "editr", "--project", str(folder), code=7)
    run("account", "add", "ada", "--role", "editor", "--project", str(folder))
    assert json.loads(run("account", "list", "--project", str(folder), "--json").stdout)[0]["roles"] == [
        "editor"
    ]
    run("account", "token", "adda", "--project", str(folder), code=4)
    assert (
        "2 tokens of ada revoked"
        in (
            run("account", "token", "ada", "--project", str(folder)),
            run("account", "revoke", "ada", "--project", str(folder)),
        )[1].stdout
    )
    notes = folder / "collections" / "notes.yaml"
    notes.write_text(
        notes.read_text().replace("required: true", "requird: true").replace("format: date", "format: dat")
    )
    told = run("check", str(folder), code=9).stderr
    assert told.count("Did you mean 'required'?") >= 3
    assert "collections/notes.yaml:" in told
    mistakes = json.loads(run("check", str(folder), "--json", code=9).stdout)["mistakes"]
    assert all(one["line"] > 1 and one["hint"] for one in mistakes)
    run("start", str(folder), code=9)
    run("check", str(tmp_path / "nowhere"), code=9)


# --- for scripts, and for narrow terminals ------------------------------------------------------------

#: The words of a command, its exit code, and what the problem's type ends in.
REFUSED = [
    (("show", "stations", "PS-999"), 4, "not-found"), (("list", "tickets", "--sort", "nothing"), 1, "malformed"),
    (("update", "stations", "PS-001", "pumps=99"), 7, "invalid"), (("delete", "stations", "PS-001", "--yes"), 6, "conflict"),
    (("update", "stations", "PS-001", "pumps=many"), 2, None), (("delete", "stations", "PS-001"), 2, None),
    (("account", "tokens", "nobody", "--project", "PROJECT"), 4, None), (("account", "revoke", "nobody", "--project", "PROJECT"), 4, None),
    (("account", "add", "ada", "--project", "PROJECT"), 6, None), (("batch", "PROJECT/token"), 2, None),
]  # fmt: skip


@pytest.mark.parametrize(("words", "code", "kind"), REFUSED)
def test_with_json_an_error_is_json_and_nothing_else_is_there(
    run: Run, kept_project: Path, words: tuple[str, ...], code: int, kind: str | None
) -> None:
    words = tuple(word.replace("PROJECT", str(kept_project)) for word in words)
    done = run(*words, "--json", code=code)
    (line,) = done.stdout.splitlines()
    error = json.loads(line)["error"]
    assert (error["exit_code"], bool(error["detail"])) == (code, True)
    assert error.get("problem", {}).get("type") == (kind and f"/problems/{kind}")
    if words[0] != "delete":
        assert run(*words, code=code).stdout == ""


def test_the_words_of_a_command_are_refused_in_json_too(shell: Run) -> None:
    for words in (
        ("show", "--json"),
        ("list", "stations", "--limit", "many", "--json"),
        ("nonsense", "--json"),
    ):
        assert json.loads(shell(*words, code=2).stdout)["error"]["exit_code"] == 2
    assert json.loads(
        shell("who", "--json", FENLAND_ADDRESS="http://127.0.0.1:9", FENLAND_TIMEOUT="0.2", code=8).stdout
    )
    assert shell("sign-in", text="sample-crew\n").stderr == ""
    for address, token, code in (
        ("http://[", "x", 8),
        ("nonsense", "x", 8),
        ("http://127.0.0.1:9", "t\u00f6ken", 2),
    ):
        shell("who", FENLAND_ADDRESS=address, FENLAND_TOKEN=token, FENLAND_TIMEOUT="0.2", code=code)
    asked = {"_FENLAND_COMPLETE": "complete_bash", "COMP_WORDS": "fenland show nothing x", "COMP_CWORD": "3"}
    assert shell(**asked).stdout.strip() == ""
    assert "no token" in shell("sign-in", text="\n", code=2).stderr


def test_conflicts_and_what_refers_are_shown(run: Run) -> None:
    run("update", "stations", "PS-031", "pumps=1")
    base = json.loads(run("show", "stations", "PS-031", "--json").stdout)
    run("update", "stations", "PS-031", "pumps=2", "name=Theirs")
    told = run(
        "update", "stations", "PS-031", "pumps=3", "--base", f"{base['id']}.{base['version']}", code=6
    ).stderr
    assert [line.split() for line in told.splitlines() if line.startswith("pumps")] == [
        ["pumps", "1", "2", "3"]
    ]
    assert "tickets T-" in run("delete", "stations", "PS-001", "--yes", code=6).stderr


def test_an_explicit_clear_is_a_clear(run: Run) -> None:
    run("update", "stations", "PS-032", "access_notes=Key at the lodge")
    assert "Key at the lodge → –" in run("update", "stations", "PS-032", "--clear", "access_notes").stdout
    run("update", "stations", "PS-032", "access_notes=x", "--clear", "access_notes", code=2)


def test_a_narrow_terminal_folds_and_cuts_no_key(shell: Run) -> None:
    shown = shell("list", "tickets", "--limit", "3", "--sort", "number", COLUMNS="40").stdout
    assert all(f"T-000{number}" in shown for number in (1, 2, 3))
    assert max(len(line.rstrip()) for line in shown.splitlines()) <= 40, shown


COMPLETIONS = [
    ("fenland list sta", "stations"), ("fenland show stations PS-01", "PS-014"), ("fenland update stations PS-014 sta", "status="),
    ("fenland update stations PS-014 status=st", "status=standby"), ("fenland update stations PS-014 automatic=y", "automatic=yes"),
    ("fenland update stations PS-014 --clear acc", "access_notes"), ("fenland edit tickets T-0001 --increase hou", "hours="),
]  # fmt: skip


@pytest.mark.parametrize(("words", "found"), COMPLETIONS)
def test_the_shell_completes_what_the_service_holds(shell: Run, words: str, found: str) -> None:
    asked = {"_FENLAND_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(words.count(" "))}
    assert found in shell(**asked).stdout.split()
    assert shell(**asked, FENLAND_ADDRESS="http://127.0.0.1:9").stdout.strip() == ""


def test_expressions_are_evaluated_by_themselves_and_for_records(run: Run, sample: Running) -> None:
    here = {"FENLAND_PROJECT": str(sample.folder)}
    assert run("evaluate", "1 + 2 * 3").stdout == "7  int\n"
    assert json.loads(run("evaluate", "1 / 0", "--json", code=1).stdout) == {"error": "Division by zero."}
    assert "column 9" in run("evaluate", "pumps > && 2", "--json", code=2).stdout
    whole = "[capacity * 3, today - commissioned_on > 0, record.code]"
    told, value = run(
        "evaluate", "--in", "stations", "--key", "PS-014", whole, "--json", **here
    ).stdout.splitlines()
    assert json.loads(told) == {"type": "list", "sql": None}
    answer = json.loads(value)
    assert (answer["key"], answer["type"], answer["value"][1:]) == ("PS-014", "list", [True, "PS-014"])
    listed = run("evaluate", "--in", "stations", "--limit", "3", "pumps >= 0", "--json", **here).stdout
    told, *values = listed.splitlines()
    assert json.loads(told) == {"type": "bool", "sql": "pumps >= 0"}
    assert [json.loads(line)["value"] for line in values] == [True] * 3
    area = run(
        "evaluate",
        "--in",
        "tickets",
        "--account",
        "marta.quill",
        "--limit",
        "1",
        "station.area == actor.attributes.area",
        **here,
    )
    assert "IS 'north'" in area.stdout
    assert (
        "There is no field or name 'pumpz'"
        in run("evaluate", "--in", "stations", "pumpz > 2", code=2, **here).stderr
    )
    run("evaluate", "--key", "PS-014", "1", code=2)
    run("evaluate", "--in", "nowhere", "1", code=4, **here)


def test_lists_are_filtered_and_changed_by_condition(run: Run) -> None:
    chosen = ["--where", 'area == "north" && pumps > 2', "--json"]
    listed = run("list", "stations", "--columns", "code,pumps", *chosen).stdout.splitlines()
    found = [json.loads(line) for line in listed]
    assert found
    assert all(one.keys() == {"code", "pumps"} and one["pumps"] > 2 for one in found)
    seen = json.loads(run("update-many", "stations", "pumps=3", "--preview", *chosen).stdout)
    assert (seen["matched"], seen["done"]) == (len(found), False)
    run("update-many", "stations", "pumps=3", "--expect", "0", *chosen, code=6)
    refused = run("update-many", "tickets", "hours=1", "--where", "hours == 0", token="sample-crew", code=7)
    assert "Nothing was saved" in refused.stderr
    run("delete-many", "stations", "--where", "true", code=2)
    assert "There is no field" in run("list", "stations", "--where", "pumpz > 2", code=1).stderr


def test_who_may_do_what_is_told_with_its_reason(run: Run) -> None:
    told = run("explain", "tickets", "T-0001", "--account", "marta.quill").stdout
    assert "record.station.area == actor.attributes.area is" in told
    assert "collections/tickets.yaml:" in told
    rules = run("rules", "tickets").stdout
    assert "(1) next.station.area == actor.attributes.area" in rules
    run("explain", "tickets", "T-0001", "--account", "tobin.reed", token="sample-crew", code=5)


def test_each_file_registers_the_commands_that_it_is_loaded_for() -> None:
    for file, words in COMMANDS.items():
        app = typer.Typer()
        app.callback()(lambda: None)
        import_module(f"fenland.cli.{file}").register(app)
        assert list(get_command(app).commands) == words.split(), file  # type: ignore[attr-defined]
    # Of a word that is no command all are told.
    whole = get_command(command_line(["no-such-command"])).commands  # type: ignore[attr-defined]
    assert sorted(whole) == sorted(" ".join(COMMANDS.values()).split())
