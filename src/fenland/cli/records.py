"""`list`, `show`, `create`, `update`, `edit`, `delete`: records of a running service."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

import typer

from fenland.cli.completing import COLLECTION, KEY, complete_field, complete_value
from fenland.cli.fields import RESERVED, read_edits, read_fields, record_table, records_table
from fenland.cli.history import AT, VERSION
from fenland.cli.signing import PANEL, TIMEOUT, signed_in
from fenland.cli.terminal import UNSEEN, Exit, counted, err, escape, fail, json_option, out, print_json, shown

if TYPE_CHECKING:
    from fenland.client import Client, Preview, Record, View

_FIELDS = typer.Argument(
    None,
    metavar="NAME=VALUE...",
    help="Fields, read by their type: pumps=3 automatic=yes notes= (an empty text).",
    autocompletion=complete_value,
)
_CLEAR = typer.Option(
    [],
    "--clear",
    metavar="NAME",
    help="A field to empty, whatever a blank means there; repeat for several.",
    autocompletion=complete_field,
)
_REASON = typer.Option(None, help="Why; kept in the history.")
_SEEN = typer.Option(
    None, "--seen", metavar="VERSION", min=1, help="Only if the record is still at this version."
)
_WHERE = typer.Option(
    None, metavar="EXPRESSION", help="Only those for which this holds: 'pumps > 2 && status == \"running\"'."
)
_JSON = json_option()
_BASE = typer.Option(
    None,
    metavar="VERSION",
    help="The version you saw, or better its ETag: keep others' changes to other fields.",
)
_BY = typer.Option(None, metavar="FIELD", help="KEY is the value of this unique field, not the key.")


def collections(timeout: float = TIMEOUT, as_json: bool = _JSON) -> None:
    """List the collections of the service."""
    with signed_in(timeout) as client:
        found = client.schemas()
    if as_json:
        print_json(found)
        return
    for one in found:
        out.print(f"[bold]{escape(one['name'])}[/]  {escape(one['description'] or one['title'])}")


def calls(
    collection: str = COLLECTION,
    way: str | None = typer.Option(
        None,
        "--way",
        help="How the tool sends: form, texts (JSON whose values are texts) or json. All if left out.",
    ),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Show the calls to copy into a low-code tool, so that it lists, adds, changes and deletes records.

    [bold]fenland calls tickets --way form[/]
    """
    if way not in (None, "form", "texts", "json"):
        fail(f"--way is {way}. It must be form, texts or json.", Exit.USAGE)
    with signed_in(timeout) as client:
        found = [one for one in client.calls(collection) if way is None or one["way"] in ("any", way)]
    if as_json:
        print_json(found)
        return
    for one in found:
        sent = "" if one["way"] == "any" else f" [dim]({one['way']})[/]"
        out.print(f"[bold]{escape(one['title'])}[/]{sent}")
        out.print(escape(f"  {one['method']} {one['url']}"), soft_wrap=True)
        for name, value in one["headers"].items():
            out.print(escape(f"  {name}: {value}"), soft_wrap=True)
        if one["body"] is not None:
            out.print(escape(f"  {one['body']}"), soft_wrap=True)
        if one["untouched"]:
            out.print(f"  [dim]{escape(one['untouched'])}[/]")


def list_records(
    collection: str = COLLECTION,
    where: str | None = _WHERE,
    q: str | None = typer.Option(None, "--find", help="Words that must all be found."),
    view: str | None = typer.Option(
        None, metavar="TITLE", help="As a view shows them that is kept under this title, or has this id."
    ),
    columns: str | None = typer.Option(
        None, metavar="FIELDS", help="The fields to show, by comma: code,name,pumps"
    ),
    sort: str | None = typer.Option(
        None, help="Fields by comma; a - before one sorts it descending: -due_on,number"
    ),
    at: str | None = AT,
    limit: int = typer.Option(20, min=1, help="How many to show at most."),
    timeout: float = TIMEOUT,
    as_json: bool = json_option("Answer with JSON Lines, one record a line."),
) -> None:
    """List and search the records of a collection.

    [bold]fenland list stations --where 'pumps > 2 && status == "running"' --sort=-pumps[/]
    """
    fields = [name.strip() for name in (columns or "").split(",") if name.strip()]
    if at is not None and (where or q or sort):
        fail("A list as it was goes by creation. Leave --where, --find and --sort out.", Exit.USAGE)
    if at is not None and view is not None:
        fail("A view is of the list as it is. Leave --view or --at out.", Exit.USAGE)
    with signed_in(timeout) as client:
        if view is not None:
            kept = _view_called(client, collection, view)
            where, q, sort = where or kept.asked["where"], q or kept.asked["q"], sort or kept.asked["sort"]
            fields = fields or list(kept.fields)
        records: Iterable[Mapping[str, Any]]
        if at is not None:
            records = (one.fields for one in client.past.records(collection, at, limit=limit + 1))
        elif fields:
            records = client.values(collection, fields, where=where, q=q, sort=sort, limit=limit + 1)
        else:
            whole = client.list(collection, where=where, q=q, sort=sort, limit=limit + 1)
            records = (one.fields for one in whole)
        if as_json:
            for record in itertools.islice(records, limit):
                print_json(record)
            return
        schema = client.schema(collection)
        found = list(records)
    if not found:
        out.print("No records found.")
        return
    out.print(records_table(schema, found[:limit], out.width, fields))
    if len(found) > limit:
        err.print(f"[dim]The first {limit}; more with --limit.[/]")


def _view_called(client: Client, collection: str, named: str) -> View:
    """The view that is meant; what is given beside it goes before what it says."""
    views = client.views(collection)
    found = [one for one in views if named in (one.title, one.id)]
    if len(found) == 1:
        return found[0]
    if found:
        ids = ", ".join(one.id for one in found)
        fail(
            f"{len(found)} views of {collection} are called {named!r}. Name one by its id: {ids}.", Exit.USAGE
        )
    known = ", ".join(one.title for one in views) or "none"
    return fail(f"There is no view {named!r} of {collection}. There are: {known}.", Exit.NOT_FOUND)


def show(
    collection: str = COLLECTION,
    key: str = KEY,
    by: str | None = _BY,
    version: int | None = VERSION,
    at: str | None = AT,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Show one record, as it is or as it was: also one that is gone.

    [bold]fenland show stations PS-014 --at 2031-03-01[/]
    """
    past = version is not None or at is not None
    if past and by is not None:
        fail("As it was, a record is found by its key alone. Leave --by out.", Exit.USAGE)
    with signed_in(timeout) as client:
        if past:
            record = client.past.read(collection, key, version=version, at=at)
        else:
            record = client.get(collection, key, by=by)
        if as_json:
            print_json(record.fields)
            return
        out.print(record_table(client.schema(collection), record))


def create(
    collection: str = COLLECTION,
    fields: list[str] | None = _FIELDS,
    reason: str | None = _REASON,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Create a record.

    [bold]fenland create tickets number=T-2001 title="Clear the screen" station=PS-014[/]
    """
    with signed_in(timeout) as client:
        schema = client.schema(collection)
        record = client.create(collection, read_fields(schema, fields or [], []), reason=reason)
    if as_json:
        print_json(record.fields)
    else:
        key = escape(str(record.fields.get(schema["x-key"], "")))
        out.print(f"[green]✓[/] Created {key}, version {record.version}." if not record.unseen else UNSEEN)


def update(
    collection: str = COLLECTION,
    key: str = KEY,
    fields: list[str] | None = _FIELDS,
    clear: list[str] = _CLEAR,
    by: str | None = _BY,
    seen: int | None = _SEEN,
    base: str | None = _BASE,
    preview: bool = typer.Option(False, "--preview", help="Show what would change, and save nothing."),
    reason: str | None = _REASON,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Change the named fields of a record, and no others.

    [bold]fenland update stations PS-014 pumps=3[/]

    Values are read by the field's type. An empty text is [bold]name=[/]; [bold]--clear name[/] empties it.
    """
    with signed_in(timeout) as client:
        schema = client.schema(collection)
        given = read_fields(schema, fields or [], clear)
        if preview:
            _show_preview(client.preview(collection, key, given, by=by, base=base, clear=clear), as_json)
            return
        before = client.get(collection, key, by=by)
        tag = None if seen is None else f'"{before["id"]}.{seen}"'
        record = client.update(collection, key, given, by=by, seen=tag, base=base, clear=clear, reason=reason)
    _saved(key, before, record, as_json)


def _show_preview(found: Preview, as_json: bool) -> None:
    if as_json:
        print_json(
            {
                "changes": found.changes,
                "record": found.record,
                "errors": [asdict(one) for one in found.errors],
                "consequences": list(found.consequences),
                "unseen": found.unseen,
            }
        )
    for name, change in {} if as_json else found.changes.items():
        out.print(f"  {name}  {escape(shown(change['before']))} → [bold]{escape(shown(change['after']))}[/]")
    if not as_json and not found.changes:
        out.print("Nothing would change.")
    if not as_json:
        _show_consequences(found)
    for one in found.errors:
        err.print(f"[red]✗[/] {escape(one.field)}: {escape(one.detail)}")
    if found.errors:
        raise typer.Exit(Exit.INVALID)


#: What becomes of a record, in words.
_DONE = {
    "create": "is created",
    "update": "changes",
    "derive": "is worked out anew",
    "delete": "is deleted",
    "restore": "comes back",
}


def _show_consequences(found: Preview) -> None:
    for one in found.consequences:
        if one["notice"]:
            of = f"{one['collection']} {one['key']}"
            out.print(
                f"And the notice {escape(one['notice'])} of {escape(of)} [dim]by {escape(one['rule'])}[/]"
            )
            continue
        by = f" [dim]by {escape(one['rule'])}[/]" if one["rule"] else ""
        out.print(f"And {escape(one['collection'])} {escape(str(one['key']))} {_DONE[one['action']]}{by}")
        for name, change in one["changes"].items():
            out.print(
                f"  {name}  {escape(shown(change['before']))} → [bold]{escape(shown(change['after']))}[/]"
            )
    if found.unseen:
        out.print(
            f"And {counted(found.unseen, 'change')} more, of records that are not yours to see or too many."
        )


def _saved(key: str, before: Record, record: Record, as_json: bool) -> None:
    """Says what an update changed."""
    if as_json:
        print_json(record.fields)
        return
    if record.unseen:
        out.print(UNSEEN)
        return
    if record.version == before.version:
        out.print(f"Nothing to change: {escape(key)} is like that already, at version {record.version}.")
        return
    out.print(f"[green]✓[/] Saved {escape(key)}, version {record.version}.")
    for name in record:
        if name not in RESERVED and record[name] != before.get(name):
            out.print(f"  {name}  {escape(shown(before.get(name)))} → [bold]{escape(shown(record[name]))}[/]")


def edit(
    collection: str = COLLECTION,
    key: str = KEY,
    set_to: list[str] = typer.Option(
        [], "--set", metavar="NAME=VALUE", help="Give a field this value.", autocompletion=complete_value
    ),
    clear: list[str] = _CLEAR,
    increase: list[str] = typer.Option(
        [], metavar="NAME=NUMBER", help="Add to a number; -1 takes away.", autocompletion=complete_value
    ),
    append: list[str] = typer.Option(
        [], metavar="NAME=TEXT", help="Add to the end of a text.", autocompletion=complete_value
    ),
    include: list[str] = typer.Option(
        [], metavar="NAME=MEMBER", help="Put into a list, once.", autocompletion=complete_value
    ),
    exclude: list[str] = typer.Option(
        [], metavar="NAME=MEMBER", help="Take out of a list.", autocompletion=complete_value
    ),
    preview: bool = typer.Option(False, "--preview", help="Show what would change, and save nothing."),
    reason: str | None = _REASON,
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Make edits of what is stored: they need no reading first, and none of many at once is lost.

    [bold]fenland edit tickets T-0042 --increase hours=0.5 --include parts="shear pin"[/]
    """
    verbs = (
        ("set", set_to),
        ("clear", [f"{name}=" for name in clear]),
        ("increase_by", increase),
        ("append", append),
        ("include", include),
        ("exclude", exclude),
    )
    with signed_in(timeout) as client:
        schema = client.schema(collection)
        edits = read_edits(schema, verbs)
        if preview:
            _show_preview(client.preview(collection, key, edits), as_json)
            return
        before = client.get(collection, key)
        record = client.send_edits(collection, key, edits, reason=reason)
    _saved(key, before, record, as_json)


def delete(
    collection: str = COLLECTION,
    key: str = KEY,
    seen: int | None = _SEEN,
    reason: str | None = _REASON,
    yes: bool = typer.Option(False, "--yes", help="Do not ask."),
    timeout: float = TIMEOUT,
    as_json: bool = _JSON,
) -> None:
    """Delete a record; its history stays. Asks first, unless --yes is given."""
    with signed_in(timeout) as client:
        record = client.get(collection, key)
        if not yes and as_json:
            fail("With --json nothing is asked. Send --yes to delete.", Exit.USAGE)
        if not yes:
            typer.confirm(f"Delete {collection} {key}, version {record.version}?", abort=True)
        tag = record.etag if seen is None else f'"{record["id"]}.{seen}"'
        last = client.delete(collection, key, seen=tag, reason=reason)
    if as_json:
        print_json(last.fields)
    else:
        out.print(f"[green]✓[/] Deleted {escape(key)}.")


def register(app: typer.Typer) -> None:
    """Adds the commands of this file."""
    for name, command in (
        ("collections", collections),
        ("calls", calls),
        ("list", list_records),
        ("show", show),
        ("create", create),
        ("update", update),
        ("edit", edit),
        ("delete", delete),
    ):
        app.command(name, rich_help_panel=PANEL)(command)
