"""Sought: the records that an effect finds, as they are by now, whoever may see them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.consequences.effects import Around, Searching
from fenland.core.definitions.model import Search
from fenland.core.limits import beyond
from fenland.service.work import View

Names = Mapping[str, Any]


def found_by(view: View, searching: Searching, names: Names) -> Iterator[Record]:
    """The records that are found, once it is known what happened. Raises `TooLarge` for too many."""
    search, most = searching.search, view.limits.consequences
    resource = view.resource(search.collection)
    if search.root:
        record = _led(view, search, names)
        if record is not None:
            yield record
        return
    found = view.matching(resource, searching.condition(names), lambda one: searching.holds(names, one))
    for number, record in enumerate(found):
        if number >= most:
            what = f"A rule finds more than {most} records of {search.collection}."
            raise beyond("consequence_limit", most, what)
        yield record


def one_of(view: View, searching: Searching, names: Names) -> Record | None:
    """One of them at random, each as likely; None of none. Raises `TooLarge` for too many."""
    chosen = None
    for number, record in enumerate(found_by(view, searching, names), 1):
        if view.service.dice.randrange(number) == 0:
            chosen = record
    return chosen


def around(view: View) -> Around:
    """What effects and defaults need besides the record."""
    return Around(view.service.rule_failed, lambda search, known: one_of(view, search, known))


def _led(view: View, search: Search, names: Names) -> Record | None:
    record: Mapping[str, Any] | None = names[search.root] or None
    for step in search.steps:
        key = None if record is None else record[step.name]
        record = None if key is None else view.whole(str(step.references), key)
    return None if record is None else dict(record)
