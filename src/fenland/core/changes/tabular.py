"""Tables of records as files: CSV (RFC 4180) and JSON Lines, read strictly, written to be read back.

A table of texts (CSV, and a spreadsheet once its cells are texts) is read by the types of its fields; JSON
Lines hold typed values. What a column is matched to, `match_columns` says.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, Literal

from fenland.core.definitions.model import Blank, Collection
from fenland.core.limits import Limits
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed, Problem, pointer_to
from fenland.core.reserved import RESERVED
from fenland.core.values.plain import read_json, write_json
from fenland.core.values.texts import read_text

#: What kinds of file there are.
Form = Literal["csv", "jsonl", "xlsx"]

#: Columns that a file of refused rows has beside those of the rows themselves; they match nothing.
ROW, REASON = "_row", "_reason"
#: Columns, and characters in one cell, at most.
_MOST_COLUMNS, _LONGEST_CELL = 500, 4_000_000


@dataclass(frozen=True, slots=True)
class Row:
    """One row: its number in the file, the header being row 1, and what is in it by column."""

    number: int
    cells: Mapping[str, Any]
    #: Whether cells are texts, to be read by the types of their fields.
    texts: bool = False
    #: What is wrong with the row as a whole.
    fault: str = ""


# --- reading -----------------------------------------------------------------------------------------


def csv_rows(lines: Iterable[str]) -> Iterator[list[str]]:
    """The rows of a CSV file, its lines given with their ends. Raises `Malformed`."""
    csv.field_size_limit(_LONGEST_CELL)
    reader = csv.reader(lines, strict=True)
    try:
        yield from reader
    except csv.Error as error:
        raise Malformed(f"The file is not CSV: line {reader.line_num}: {error}.") from None


def text_rows(rows: Iterable[Sequence[str]]) -> Iterator[Row]:
    """Rows of texts under a header, which is their first. Raises `Malformed`."""
    numbered = enumerate(rows, 1)
    _, header = next(numbered, (1, None))
    if not header or not any(header):
        raise Malformed("The file is empty. Its first row must hold the names of the columns.")
    columns = [name.strip() for name in header]
    _check_header(columns)
    for number, row in numbered:
        if not any(row):
            # A line that holds nothing is no row, wherever it stands.
            continue
        if len(row) > len(columns):
            cells = dict(zip(columns, row, strict=False))
            fault = f"The row has {len(row)} cells, and the header {len(columns)}."
            yield Row(number, cells, texts=True, fault=fault)
        else:
            yield Row(number, dict(zip(columns, row, strict=False)), texts=True)


def _check_header(columns: Sequence[str]) -> None:
    if len(columns) > _MOST_COLUMNS:
        raise Malformed(f"The file has {len(columns)} columns. Send at most {_MOST_COLUMNS}.")
    if len(columns) == 1 and ";" in columns[0]:
        raise Malformed("The columns stand between semicolons. Save the file with commas (RFC 4180).")
    for column in columns:
        if columns.count(column) > 1:
            raise Malformed(f"The column {column!r} stands twice in the header. Name each once.")
    if "" in columns:
        raise Malformed(f"Column {columns.index('') + 1} has no name. Name it, or remove it.")


def read_csv(body: bytes) -> Iterator[Row]:
    """The rows of a whole CSV file in UTF-8. Raises `Malformed`."""
    try:
        text = body.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Malformed(f"The file is not UTF-8: byte {error.start} cannot be read.") from None
    return text_rows(list(map(unguarded, row)) for row in csv_rows(io.StringIO(text, newline="")))


def read_jsonl(body: bytes, limits: Limits) -> Iterator[Row]:
    """The rows of JSON Lines: an object each. One that cannot be read is a row with a fault."""
    for number, line in enumerate(body.split(b"\n"), 1):
        if not line.strip():
            continue
        try:
            value = read_json(line, limits)
        except Malformed as error:
            yield Row(number, {}, fault=error.detail.replace("The body", "The line"))
            continue
        if isinstance(value, dict):
            yield Row(number, value)
        else:
            yield Row(number, {}, fault="The line must hold a JSON object.")


# --- columns and fields ------------------------------------------------------------------------------

#: What columns stand for: a field, or nothing.
Match = Mapping[str, str | None]


def _plain(name: str) -> str:
    return re.sub(r"[\s_-]+", " ", name).strip().casefold()


def match_columns(
    columns: Iterable[str], collection: Collection, given: Mapping[str, str | None]
) -> tuple[Match, list[str]]:
    """The field that each column stands for, by name, title or what is given; and those that match none.

    Raises `Malformed` for what is given and is not there, and for two columns that stand for one field.
    """
    columns, fields = list(columns), collection.fields
    for column, name in given.items():
        if column not in columns:
            raise Malformed(f"map names the column {column!r}. {did_you_mean(column, columns)}")
        if name is not None and name not in fields:
            raise Malformed(f"map names the field {name!r}. {did_you_mean(name, fields)}")
    known = {_plain(item.label): name for name, item in fields.items()}
    known |= {_plain(name): name for name in fields}
    found: dict[str, str | None] = {}
    unmatched = []
    for column in columns:
        if column in given:
            found[column] = given[column]
        elif column in (ROW, REASON, *RESERVED):
            # What the service keeps itself comes with an export, and is not to be set.
            found[column] = None
        else:
            found[column] = column if column in fields else known.get(_plain(column))
            if found[column] is None:
                unmatched.append(column)
    names = [name for name in found.values() if name is not None]
    for name in names:
        if names.count(name) > 1:
            both = ", ".join(repr(column) for column, one in found.items() if one == name)
            raise Malformed(f"The columns {both} all stand for {name!r}. Map all but one to nothing.")
    return found, unmatched


@dataclass(frozen=True, slots=True)
class CellReader:
    """Reads the cells of rows as values of fields, by what their columns stand for."""

    collection: Collection
    match: Match
    blank: Blank = "keep"

    def values(self, row: Row, problems: list[Problem]) -> dict[str, Any]:
        """The values of a row by field; cells that cannot be read are problems."""
        found = {}
        for column, cell in row.cells.items():
            name = self.match.get(column)
            if name is None:
                continue
            if not row.texts:
                found[name] = cell
            elif cell == "":
                self._blank(name, problems, found)
            else:
                item = self.collection.fields[name]
                try:
                    found[name] = cell if item.type == "string" else read_text(item.type, cell)
                except ValueError as error:
                    problems.append(Problem(pointer_to(name), "type", str(error), {"expected": item.type}))
        return found

    def _blank(self, name: str, problems: list[Problem], found: dict[str, Any]) -> None:
        if self.blank == "reject":
            detail = "Must not be blank. Send a value, or leave the column out."
            problems.append(Problem(pointer_to(name), "blank", detail))
        elif self.blank != "keep":
            is_text = self.collection.fields[name].type == "string"
            found[name] = "" if self.blank == "store" and is_text else None


# --- writing -----------------------------------------------------------------------------------------


#: What a spreadsheet takes for the beginning of something to work out, and what stands in front of it here.
_RUNS, _GUARD = ("=", "+", "-", "@", "\t", "\r"), "'"


def guarded(text: str) -> str:
    """A text as a cell of CSV that no spreadsheet works out; `unguarded` gives it again."""
    return _GUARD + text if text.startswith((*_RUNS, _GUARD)) else text


def unguarded(cell: str) -> str:
    """The text that a cell of CSV stands for."""
    return cell[1:] if cell.startswith(_GUARD) and cell[1:].startswith((*_RUNS, _GUARD)) else cell


def csv_cell(value: Any) -> str:
    """The same as `cell_text` for CSV: a text that a spreadsheet would work out has a mark in front of it."""
    return guarded(value) if isinstance(value, str) else cell_text(value)


def cell_text(value: Any) -> str:
    """A value as the text of a cell, which reads back by the field's type; nothing for null."""
    if value is None:
        return ""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        return format(value, "f")
    return write_json(value).decode()


def csv_lines(rows: Iterable[Sequence[str]]) -> str:
    """Rows as CSV."""
    text = io.StringIO(newline="")
    csv.writer(text, lineterminator="\r\n").writerows(rows)
    return text.getvalue()


def json_line(record: Mapping[str, Any]) -> bytes:
    """A record as a line of JSON Lines."""
    return write_json(record) + b"\n"


def exported_fields(collection: Collection, hidden: Iterable[str], wanted: Sequence[str]) -> list[str]:
    """The columns of an export: what was asked for, else all that may be seen."""
    names = list(wanted) or [*RESERVED, *collection.fields]
    kept = set(hidden)
    return [name for name in names if name not in kept]
