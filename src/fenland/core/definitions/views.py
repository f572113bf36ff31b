"""Views: records that say how a list is shown, under a name.

A collection with `views: true` keeps them: each names a collection, and may hold what its lists are asked
by, `where`, `q`, `sort` and `columns`, under the names that these have in requests. Who may see, share and
change them is a matter of the collection's own rules, like anything else of it. What nobody could list by
is refused when a view is saved; what its reader may know is judged when it is used, as of any list.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from fenland.core.definitions.catalog import filter_names
from fenland.core.definitions.field_reading import Notes
from fenland.core.definitions.model import Collection, Field
from fenland.core.expressions import ExpressionMistake, parse
from fenland.core.expressions.checking import check_condition
from fenland.core.expressions.types import Catalog
from fenland.core.limits import Bounds
from fenland.core.names import did_you_mean
from fenland.core.problems import Problem, pointer_to
from fenland.core.reserved import RESERVED
from fenland.core.values.plain import as_written

#: The fields that a view is made of: their types, and whether a view is none without.
VIEW_FIELDS: Mapping[str, tuple[str, bool]] = {
    "collection": ("string", True),
    "title": ("string", True),
    "where": ("string", False),
    "q": ("string", False),
    "sort": ("string", False),
    "columns": ("array", False),
    "first": ("boolean", False),
}
#: Fields that a list is sorted by at most.
MOST_ORDERS = 4
#: Of a column, in pixels, behind its name and a colon.
_WIDTH = re.compile("[1-9][0-9]{0,3}", re.ASCII)


def refuse_unfit(notes: Notes, fields: Mapping[str, Field]) -> None:
    """Notes what a collection of views lacks, or has of another type."""
    for name, (kind, needed) in VIEW_FIELDS.items():
        item = fields.get(name)
        if item is None:
            if needed:
                what, hint = (
                    f"A collection of views needs the field {name!r}.",
                    f"Add {name}: with type: {kind}.",
                )
                notes.add(("views",), what, hint)
        elif item.type != kind or (kind == "array" and (item.items is None or item.items.type != "string")):
            texts = f"{kind}, its items of type string" if kind == "array" else kind
            notes.add(("fields", name), f"{name!r} of a view is of another type.", f"Give it type: {texts}.")


def sortable(fields: Mapping[str, Field]) -> list[str]:
    """The fields that lists of a collection can be sorted by."""
    return [*RESERVED, *(name for name, item in fields.items() if item.type not in ("array", "object"))]


def steps_of(sort: str) -> Iterator[tuple[str, bool]]:
    """The fields of a sort like `-due_on,number`, and whether each is descending."""
    for word in filter(None, (part.strip() for part in sort.split(","))):
        yield word.removeprefix("-"), word.startswith("-")


def view_problems(
    record: Mapping[str, Any], collections: Mapping[str, Collection], catalog: Catalog, bounds: Bounds
) -> Iterator[Problem]:
    """What is wrong with a view as it would be."""
    name = record["collection"]
    target = collections.get(name)
    if target is None:
        detail = f"There is no collection {as_written(name)}. {did_you_mean(str(name), collections)}"
        yield Problem("/collection", "view", detail)
        return
    if record.get("where"):
        try:
            check_condition(record["where"], parse(record["where"], bounds), filter_names(catalog, name))
        except ExpressionMistake as mistake:
            yield Problem("/where", "view", str(mistake), {"line": mistake.line, "column": mistake.column})
    if record.get("q") and not target.searched:
        yield Problem("/q", "view", f"{target.title} has no field that is searched. Leave the words out.")
    steps = list(steps_of(record.get("sort") or ""))
    if len(steps) > MOST_ORDERS:
        yield Problem("/sort", "view", f"It names {len(steps)} fields. Name at most {MOST_ORDERS}.")
    for step, _ in steps:
        if step not in (known := sortable(target.fields)):
            told = f"Records cannot be sorted by {step!r}. {did_you_mean(step, known)}"
            yield Problem("/sort", "view", told)
    for place, column in enumerate(record.get("columns") or []):
        field, _, width = str(column).partition(":")
        pointer = pointer_to("columns", place)
        if field not in target.fields and field not in RESERVED:
            detail = f"{field!r} is no field of {name}. {did_you_mean(field, target.fields)}"
            yield Problem(pointer, "view", detail)
        elif width and not _WIDTH.fullmatch(width):
            yield Problem(pointer, "view", f"The width {width!r} is no whole number of pixels below 10,000.")
