"""Calls: how `call` is read, wherever a definition names a function of the project's `rules.py`."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from fenland.core.definitions.field_reading import Notes, Path
from fenland.core.definitions.model import Collection, Field, Formula, Mistake
from fenland.core.definitions.own import Call, Functions, Kind
from fenland.core.names import did_you_mean
from fenland.core.values.plain import as_written

_FORMS: Mapping[Kind, str] = {
    "check": "@check over def {name}(next, before)",
    "derivation": "@derivation over def {name}(…)",
    "setting": "@setting over def {name}(before, after)",
    "effect": "@effect over def {name}(before, after, look)",
}


def read_call(notes: Notes, given: object, path: Path, *kinds: Kind) -> Call | None:
    """The call of a function of one of these kinds; None where it cannot be, which is noted.

    Of definitions that are kept any name will do, also of a function that is not at hand.
    """
    if not isinstance(given, str) or not given.isidentifier():
        form = _FORMS[kinds[0]].format(name="fits")
        notes.add(path, f"call is {as_written(given)}.", f"Name a function of rules.py: {form}.")
        return None
    functions = notes.functions or {}
    found = functions.get(given)
    if notes.kept:
        return Call(given, None if found is None or found.kind not in kinds else found)
    if found is None:
        form = _FORMS[kinds[0]].format(name=given)
        hint = did_you_mean(given, functions) if functions else f"Write {form}."
        notes.add(path, f"rules.py has no function {given!r}.", hint)
        return None
    if found.kind not in kinds:
        what = f"{given!r} in line {found.line} of rules.py is marked @{found.kind}."
        notes.add(path, what, f"Mark it @{' or @'.join(kinds)}, or name another.")
        return None
    return Call(given, found)


def refuse_uncalled(functions: Functions, collections: Mapping[str, Collection]) -> Iterator[Mistake]:
    """A mistake for each function that no definition calls: what it says would not hold."""
    called = {one.name for one in called_by(collections)}
    for name, one in functions.items():
        if name not in called:
            hint = f"Write call: {name} in a collection, or remove it."
            yield Mistake("rules.py", one.line, "", f"No definition calls {name!r}.", hint)


def called_by(collections: Mapping[str, Collection]) -> Iterator[Call]:
    """The calls of all definitions."""
    for collection in collections.values():
        found = [check.call for check in collection.checks]
        found += [effect.call for effect in collection.effects]
        found += [_of(item) for item in collection.fields.values()]
        yield from (one for one in found if one is not None)


def _of(item: Field) -> Call | None:
    return item.derived.call if isinstance(item.derived, Formula) else None
