"""Fields as arguments: `name=value` read by the field's type, and records shown as text."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from rich.table import Table
from rich.text import Text

from fenland.cli.terminal import Exit, fail, shown
from fenland.core.names import did_you_mean
from fenland.core.values.texts import read_text

#: Columns of a list, at most; the rest is in `show` and in --json. Each wants some room, in characters.
_MOST_COLUMNS, _ROOM = 7, 16
#: Booleans as these commands print them.
_YES_NO = {"yes": True, "no": False}


def _type(schema: Mapping[str, Any]) -> str:
    kind = schema["type"]
    return str(kind[0] if isinstance(kind, list) else kind)


def _read(schema: Mapping[str, Any], text: str) -> Any:
    """The value of an argument; yes and no are read where they are printed. Raises `ValueError`."""
    kind = _type(schema)
    if kind == "boolean" and text.strip().lower() in _YES_NO:
        return _YES_NO[text.strip().lower()]
    return read_text(kind, text)


def read_fields(schema: Mapping[str, Any], given: Sequence[str], cleared: Sequence[str]) -> dict[str, Any]:
    """The fields that arguments such as `pumps=3` give; those to clear are checked too. Ends on mistakes."""
    properties: Mapping[str, Any] = schema["properties"]
    fields: dict[str, Any] = {}
    mistakes = []
    for argument in given:
        name, equals, text = argument.partition("=")
        if not equals:
            mistakes.append(f"{argument!r} is not name=value.")
        elif name not in properties:
            mistakes.append(f"There is no field {name!r}. {did_you_mean(name, properties)}")
        elif name in fields:
            mistakes.append(f"{name} is given twice.")
        else:
            try:
                fields[name] = _read(properties[name], text)
            except ValueError as error:
                mistakes.append(f"{name}: {error} To empty the field, use --clear {name}.")
    for name in cleared:
        if name not in properties:
            mistakes.append(f"There is no field {name!r}. {did_you_mean(name, properties)}")
        elif name in fields:
            mistakes.append(f"{name} is both given and cleared.")
    if mistakes:
        fail("\n  ".join(mistakes), Exit.USAGE)
    return fields


def read_edits(schema: Mapping[str, Any], verbs: Sequence[tuple[str, Sequence[str]]]) -> list[dict[str, Any]]:
    """The edits that arguments such as `hours=0.5` make, by verb. Ends on mistakes."""
    properties: Mapping[str, Any] = schema["properties"]
    edits: list[dict[str, Any]] = []
    mistakes = []
    for verb, arguments in verbs:
        for argument in arguments:
            name, equals, text = argument.partition("=")
            if not equals or name not in properties:
                hint = did_you_mean(name, properties) if equals else "Write name=value."
                mistakes.append(f"{argument!r} names no field. {hint}")
                continue
            try:
                edits.append({"at": f"/{name}", verb: _edit_value(properties[name], verb, text)})
            except ValueError as error:
                mistakes.append(f"{name}: {error}")
    if mistakes or not edits:
        fail(
            "\n  ".join(mistakes or ["There is no edit. Name one, such as --increase hours=0.5"]), Exit.USAGE
        )
    return edits


def _edit_value(schema: Mapping[str, Any], verb: str, text: str) -> Any:
    if verb == "increase_by":
        return read_text("number", text)
    if verb == "append":
        return text
    if verb == "clear":
        return True
    if verb == "set":
        return _read(schema, text)
    return [_read(schema.get("items", {"type": "string"}), text)]


def record_table(schema: Mapping[str, Any], record: Mapping[str, Any]) -> Table:
    """One record, a field a line, with the title and the name that commands use."""
    table = Table(box=None, show_header=False, pad_edge=False, padding=(0, 2, 0, 0))
    table.add_column(style="bold", no_wrap=True)
    table.add_column(style="dim", no_wrap=True)
    table.add_column(overflow="fold")
    for name, value in record.items():
        title = schema["properties"].get(name, {}).get("title", name)
        table.add_row(title, name, Text(shown(value), style="dim" if value is None else ""))
    return table


def records_table(
    schema: Mapping[str, Any], records: Sequence[Mapping[str, Any]], width: int, fields: Sequence[str] = ()
) -> Table:
    """Several records, one a line: these fields, or the columns of the collection as there is room for."""
    properties = schema["properties"]
    key = schema["x-key"]
    columns = [name for name in fields if name in properties]
    usual = schema.get("x-columns", list(properties))
    columns = columns or usual[: max(2, min(_MOST_COLUMNS, width // _ROOM))]
    table = Table(box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0))
    for name in columns:
        right = _type(properties[name]) in ("integer", "number")
        title = properties[name].get("title", name)
        # Folded, never cut; and a key keeps to one line as long as there is room for it.
        least = min(max(len(shown(one[key])) for one in records), width // 2) if name == key else None
        justify: Literal["right", "left"] = "right" if right else "left"
        table.add_column(title, justify=justify, overflow="fold", max_width=36, min_width=least)
    for record in records:
        # What one may not read of some record is not there.
        table.add_row(*(Text(shown(record.get(name))) for name in columns))
    return table


RESERVED = ("id", "version", "created_at", "created_by", "updated_at", "updated_by")
