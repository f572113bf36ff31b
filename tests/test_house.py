"""The house rules that a program can see: how large functions are, and who may write."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from importlib import import_module
from pathlib import Path

SOURCES = Path(__file__).parents[1] / "src" / "fenland"
Function = ast.FunctionDef | ast.AsyncFunctionDef


@cache
def _trees() -> list[tuple[Path, list[ast.AST]]]:
    """Each file, with all its nodes: read once, since that takes longest."""
    files = sorted(SOURCES.rglob("*.py"))
    return [(path, [*ast.walk(ast.parse(path.read_text()))]) for path in files]


def _functions() -> Iterator[tuple[str, str, Function]]:
    for path, nodes in _trees():
        for node in nodes:
            if isinstance(node, Function):
                yield path.relative_to(SOURCES).parts[0], f"{path.name}:{node.lineno} {node.name}", node


def test_functions_are_small() -> None:
    large = [where for _, where, node in _functions() if (node.end_lineno or 0) - node.lineno >= 60]
    assert large == []


def test_functions_take_few_parameters() -> None:
    many = []
    for room, where, node in _functions():
        given = node.args
        names = [one.arg for one in (*given.posonlyargs, *given.args) if one.arg not in ("self", "cls")]
        # What people call by name, options of commands and of the client, may be more.
        if room not in ("cli", "client"):
            names += [one.arg for one in given.kwonlyargs]
        if len(names) > 5 and room != "cli":
            many.append(where)
    assert many == []


def _calls(*names: str) -> Iterator[str]:
    """The files that call methods like `records.add`, with or without more before them."""
    for path, nodes in _trees():
        for node in nodes:
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
                found = ast.unparse(node.func)
                if any(found == name or found.endswith(f".{name}") for name in names):
                    yield path.relative_to(SOURCES).as_posix()


def test_records_and_history_are_written_in_one_place() -> None:
    writes = [f"records.{verb}" for verb in ("add", "change", "remove")]
    assert set(_calls(*writes, "work.enter")) == {"service/changes/applying.py"}
    # Besides the unit of work, only what is no change of a record.
    assert set(_calls("history.add")) == {
        "service/work.py",
        "service/entering.py",
        "storage/shared/evolving/definitions.py",
        "storage/shared/evolving/layouts.py",
        "storage/sqlite/older_history.py",
    }


def test_nobody_above_the_door_runs_sql() -> None:
    assert {path.split("/")[0] for path in _calls("execute", "executemany", "exec_driver_sql")} == {"storage"}


#: Alembic is large, and only a migration needs it.
LATE = {"storage/shared/evolving/migrating.py"}


def test_imports_stand_at_the_head_of_a_file_but_in_commands() -> None:
    """A command loads what it needs when it runs; elsewhere an import within a function hides what hangs together."""
    late = {
        path.relative_to(SOURCES).as_posix()
        for path, nodes in _trees()
        for function in nodes
        if isinstance(function, Function)
        for node in ast.walk(function)
        if isinstance(node, (ast.Import, ast.ImportFrom))
    }
    assert {place for place in late if not place.startswith("cli/")} == LATE


def test_benches_and_scripts_import_what_there_is() -> None:
    """They are run by hand and seldom, so that nobody else would see a name that has moved."""
    root, missing = SOURCES.parents[1], []
    for path in (*sorted((root / "bench").glob("*.py")), *sorted((root / "scripts").glob("*.py"))):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and (node.module or "").partition(".")[0] == "fenland":
                room = import_module(str(node.module))
                missing += [
                    f"{path.name}:{node.lineno} {one.name}"
                    for one in node.names
                    if not hasattr(room, one.name)
                ]
    assert missing == []
