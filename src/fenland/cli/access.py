"""`explain`, `rules`, `update-many`, `delete-many`: who may do what and why, and changes by filter."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import typer
from rich.table import Table

from fenland.cli.completing import COLLECTION, KEY, complete_value
from fenland.cli.fields import read_fields
from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import Exit, counted, err, escape, fail, json_option, out, print_json, shown

_WHERE = typer.Option(..., metavar="EXPRESSION", help="Which records: 'state == \"open\" && priority == 1'.")
_EXPECT = typer.Option(None, min=0, metavar="N", help="Refuse unless so many records are chosen.")
_EACH = typer.Option(False, "--each", help="Each on its own, in place of all or nothing.")
_PREVIEW = typer.Option(False, "--preview", help="Show what would become of them, and save nothing.")
_REASON = typer.Option(None, help="Why; kept in the history.")
_JSON = json_option()


def explain(
    collection: str = COLLECTION,
    key: str = KEY,
    account: str | None = typer.Option(
        None, metavar="NAME", help="Another account's, if you manage accounts."
    ),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Show what may be done with a record, right by right and field by field, and which rule says so.

    [bold]fenland explain tickets T-0001 --account marta.quill[/]
    """
    with signed_in(timeout) as client:
        found = client.access(collection, key, account=account)
    if as_json:
        print_json(found)
        return
    out.print(f"[bold]{escape(found['account'])}[/] and {escape(collection)} {escape(key)}")
    table = Table("", "May", "Why", box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0))
    for right, judgement in found["rights"].items():
        table.add_row(right, _may(judgement), _why(judgement))
    for name, rights in found["fields"].items():
        for right, judgement in rights.items():
            # What is as with the record says nothing new.
            if "rule" in judgement or (right == "read" and not judgement["allowed"]):
                table.add_row(f"{name}: {right}", _may(judgement), _why(judgement))
    out.print(table)
    closed = [name for name, rights in found["fields"].items() if not rights["update"]["allowed"]]
    if closed and found["rights"]["update"]["allowed"]:
        out.print(f"[dim]Not to be set:[/] {escape(', '.join(closed))}")


def _may(judgement: Mapping[str, Any]) -> str:
    return "[green]yes[/]" if judgement["allowed"] else "[red]no[/]"


def _why(judgement: Mapping[str, Any]) -> str:
    lines = [escape(judgement["because"])] if judgement.get("because") else []
    for part in judgement.get("parts", ()):
        value = {True: "true", False: "false", None: "no value"}[part["value"]]
        why = f" ({part['why']})" if part.get("why") else ""
        lines.append(f"{escape(part['part'])} is {value}{escape(why)}")
    if judgement.get("depends"):
        lines.append(f"[dim]{escape(judgement['depends'])}[/]")
    if judgement.get("file"):
        lines.append(f"[dim]{escape(judgement['file'])}:{judgement['line']}[/]")
    return "\n".join(lines)


def rules(collection: str = COLLECTION, timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """Show who may do what with the records of a collection, role by role."""
    with signed_in(timeout) as client:
        found = client.rules(collection)
    if as_json:
        print_json(found)
        return
    conditions: list[str] = []
    table = Table(
        "Role", *found["rights"], box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0)
    )
    for one in found["roles"]:
        cells = [_cell(one["rights"][right], conditions) for right in found["rights"]]
        table.add_row(escape(one["role"] or "(no role)"), *cells)
    out.print(table)
    for one in found["fields"]:
        columns = [f"[bold]{escape(one['title'])}[/]", *next(iter(one["roles"]))["rights"]]
        inner = Table(*columns, box=None, header_style="dim", pad_edge=False, padding=(1, 2, 0, 0))
        inner.padding = (0, 2, 0, 0)
        for by_role in one["roles"]:
            cells = [_cell(cell, conditions) for cell in by_role["rights"].values()]
            inner.add_row(escape(by_role["role"] or "(no role)"), *cells)
        out.print()
        out.print(inner)
    if conditions:
        out.print()
    for number, condition in enumerate(conditions, 1):
        out.print(f"[bold]({number})[/] {escape(condition)}")


def _cell(cell: Mapping[str, str], conditions: list[str]) -> str:
    """What a cell says; conditions are told once, below, by their numbers."""
    words = {"always": "[green]yes[/]", "never": "[red]no[/]", "owner": "if theirs", "where": "if"}
    text = words.get(cell["may"], cell["may"])
    if "if" not in cell:
        return text
    if cell["if"] not in conditions:
        conditions.append(cell["if"])
    joint = " and" if cell["may"] == "owner" else ""
    return f"{text}{joint} ({conditions.index(cell['if']) + 1})"


def update_many(
    collection: str = COLLECTION,
    fields: list[str] = typer.Argument(
        metavar="NAME=VALUE...", help="Fields, read by their type.", autocompletion=complete_value
    ),
    where: str = _WHERE,
    expect: int | None = _EXPECT,
    each: bool = _EACH,
    preview: bool = _PREVIEW,
    reason: str | None = _REASON,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Change all records that a condition chooses. Look with --preview, then --expect the number it told.

    [bold]fenland update-many tickets priority=2 --where 'state == "open" && priority == 1' --preview[/]
    """
    with signed_in(timeout) as client:
        change = read_fields(client.schema(collection), fields, [])
        found = client.update_many(
            collection, change, where=where, expect=expect, atomic=not each, preview=preview, reason=reason
        )
    _tell(found, preview, as_json)


def delete_many(
    collection: str = COLLECTION,
    where: str = _WHERE,
    expect: int | None = _EXPECT,
    each: bool = _EACH,
    preview: bool = _PREVIEW,
    reason: str | None = _REASON,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Delete all records that a condition chooses. Without --preview, --expect must say how many."""
    if not preview and expect is None:
        fail("Say how many with --expect; --preview tells the number.", Exit.USAGE)
    with signed_in(timeout) as client:
        found = client.delete_many(
            collection, where=where, expect=expect, atomic=not each, preview=preview, reason=reason
        )
    _tell(found, preview, as_json)


def _tell(found: Mapping[str, Any], preview: bool, as_json: bool) -> None:
    if as_json:
        print_json(found)
    else:
        would = "would be " if preview else ""
        chosen = f"{counted(found['matched'], 'record')} chosen: {found['changed']} {would}changed"
        out.print(f"{chosen}, {found['refused']} {would}refused.")
        for one in found["records"]:
            out.print(f"  [bold]{escape(str(one['key']))}[/]  {_became(one)}")
    if not found["done"] and not preview:
        err.print("[red]Nothing was saved.[/] Use --each to change those that can be.")
        raise typer.Exit(Exit.INVALID)


def _became(one: Mapping[str, Any]) -> str:
    if "problem" in one:
        problem = one["problem"]
        errors = [f"{error['pointer'][1:]}: {error['detail']}" for error in problem.get("errors", ())]
        return f"[red]{escape(' '.join(errors) or problem['detail'])}[/]"
    changes = [
        f"{name} {shown(two['before'])} → {shown(two['after'])}" for name, two in one["changes"].items()
    ]
    return escape(", ".join(changes)) or "deleted"


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    for command in (explain, rules, update_many, delete_many):
        app.command(command.__name__.replace("_", "-"), rich_help_panel=PANEL)(command)
