"""For a project's `rules.py`: what marks its functions, and what they give.

    from fenland.rules import change, check, effect, problem

    @check
    def fits_the_shift(next, before, look):
        shift = look.one("shifts", next["shift"])
        if shift is not None and next["hours"] > shift["hours"]:
            return problem("hours", f"The shift has no more than {shift['hours']} hours.")

    @effect
    def tell_the_desk(after, look):
        return [change(one, unread=True) for one in look.find("desks", station=after["station"])]

A definition calls them by name. docs/own-code.md says what each kind is given, and what it may give.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from fenland.core.consequences.calling import Alter, Create, Delete, Look, Notify, Row, Said
from fenland.core.definitions.own import MARK, Kind

__all__ = [
    "Look",
    "Row",
    "change",
    "check",
    "create",
    "delete",
    "derivation",
    "effect",
    "notice",
    "problem",
    "setting",
]

_Function = TypeVar("_Function", bound=Callable[..., Any])


def _marked(function: _Function, kind: Kind) -> _Function:
    setattr(function, MARK, kind)
    return function


def check(function: _Function) -> _Function:
    """Marks a function that says what is wrong with a record as it would be.

    It gives None where nothing is, a sentence, `problem(…)`, or a list of those.
    """
    return _marked(function, "check")


def derivation(function: _Function) -> _Function:
    """Marks a function that gives a derived field its value, by the values of the expressions under `of`.

    It must give the same for the same, whenever it is asked.
    """
    return _marked(function, "derivation")


def setting(function: _Function) -> _Function:
    """Marks a function that gives fields of the record values, as a mapping, or None."""
    return _marked(function, "setting")


def effect(function: _Function) -> _Function:
    """Marks a function that has other records changed, by `change`, `create`, `delete` and `notice`."""
    return _marked(function, "effect")


def problem(field: str | None, message: str, code: str | None = None) -> Said:
    """What a check finds wrong: the field to blame, if any, and a sentence for people."""
    return Said(field, message, code)


def change(record: Row, /, **values: Any) -> Alter:
    """That a record, which was looked up, is to get these values."""
    return Alter(record, values)


def create(collection: str, /, **values: Any) -> Create:
    """That a record is to be made, with these values."""
    return Create(collection, values)


def delete(record: Row, /) -> Delete:
    """That a record, which was looked up, is to go."""
    return Delete(record)


def notice(name: str, /, **data: Any) -> Notify:
    """That a notice is to be left for other systems, which says this."""
    return Notify(name, data)
