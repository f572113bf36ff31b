"""Generated code, all there is of it: one function for each collection, which makes records of rows.

It is written for the collection, as dataclasses write their methods, since it runs for every row of every
list: a loop over the columns takes twice as long. Nothing from outside gets into its text but column names,
which `core/names.py` has checked; its lines show in tracebacks.
"""

from __future__ import annotations

import linecache
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from fenland.storage.shared.column_types import Conversion

RowReader = Callable[[Sequence[Any]], dict[str, Any]]


def row_reader(name: str, columns: Sequence[str], conversions: Mapping[str, Conversion]) -> RowReader:
    """A function that gives the record in a row, which holds these columns in this order."""
    lines = [
        f"        {column!r}: None if v{place} is None else convert{place}(v{place}),"
        if column in conversions
        else f"        {column!r}: v{place},"
        for place, column in enumerate(columns)
    ]
    values = ", ".join(f"v{place}" for place in range(len(columns)))
    text = "\n".join(["def record_of(row):", f"    {values} = row", "    return {", *lines, "    }", ""])
    file = f"<rows of {name}>"
    linecache.cache[file] = (len(text), None, text.splitlines(keepends=True), file)
    known: dict[str, Any] = {
        f"convert{place}": conversions[column]
        for place, column in enumerate(columns)
        if column in conversions
    }
    exec(compile(text, file, "exec"), known)  # noqa: S102 - of our own making, see above
    made: RowReader = known["record_of"]
    return made
