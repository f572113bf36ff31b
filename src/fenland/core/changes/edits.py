"""Our own patch format, `application/vnd.fenland.edits+json`: edits that are made of the stored value.

    {"edits": [{"at": "/pumps", "increase_by": 1},
               {"at": "/tags", "include": ["diesel"]},
               {"at": "/status", "set": "running", "only_if": {"one_of": ["standby"]}},
               {"at": "/pumps", "set": 0, "only_if": "status == 'retired' && pumps < 3"}]}

Each edit names one place and does one thing there; they are done in order, all or none. They can be
sent without having read the record, and again by many at once, and none of them is lost.
`edits_schema` gives the published JSON Schema of the format.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from decimal import Context, Decimal, Inexact, Overflow, localcontext
from typing import Any

from fenland.core.definitions.validation import kind_of
from fenland.core.limits import DEFAULTS, Limits, beyond, check_depth, depth_of
from fenland.core.names import did_you_mean
from fenland.core.problems import Conflict, Malformed, Problem, pointer_to
from fenland.core.values.plain import MAX_NUMBER_LENGTH, MISSING, exact, frozen, read_json, same
from fenland.core.values.pointers import find, read_pointer

Verb = Callable[[Any, Any], Any]

#: Sums that would lose a digit are refused.
_EVERY_DIGIT = Context(prec=MAX_NUMBER_LENGTH, Emax=MAX_NUMBER_LENGTH, traps=[Inexact, Overflow])
_LARGEST = 10**MAX_NUMBER_LENGTH


class _Cannot(Exception):
    """An edit that makes no sense of the stored value: a code and a sentence."""


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float, Decimal)) and not isinstance(value, bool)


def _set(_stored: Any, value: Any) -> Any:
    return value


def _clear(_stored: Any, _value: Any) -> Any:
    return None


def _increase_by(stored: Any, value: Any) -> Any:
    if stored is None:
        raise _Cannot("Holds nothing to increase. Set it first.")
    if not _is_number(stored):
        raise _Cannot("Is not a number, so it cannot be increased.")
    if isinstance(stored, int) and isinstance(value, int) and abs(stored + value) < _LARGEST:
        return stored + value
    with localcontext(_EVERY_DIGIT):
        try:
            # Through text, so that a stored double adds as the digits it shows.
            total = Decimal(exact(stored)) + Decimal(exact(value))
        except (Inexact, Overflow):
            raise _Cannot("Cannot be increased by this: the sum has too many digits to be kept.") from None
    if isinstance(stored, float) and value and float(total) == stored:
        raise _Cannot(
            "Cannot be increased by this: it is too small to make a difference to the number stored."
        )
    return total


def _append(stored: Any, value: Any) -> Any:
    if stored is not None and not isinstance(stored, str):
        raise _Cannot("Is not a text, so nothing can be appended.")
    return (stored or "") + value


def _include(stored: Any, value: Any) -> Any:
    kept = _members(stored)
    there = set(map(frozen, kept))
    for member in value:
        if (one := frozen(member)) not in there:
            there.add(one)
            kept.append(member)
    return kept


def _exclude(stored: Any, value: Any) -> Any:
    if stored is None:
        return None
    gone = set(map(frozen, value))
    return [one for one in _members(stored) if frozen(one) not in gone]


def _members(stored: Any) -> list[Any]:
    if stored is not None and not isinstance(stored, list):
        raise _Cannot("Is not a list.")
    return list(stored or ())


def _length(value: Any) -> int:
    return len(value) if isinstance(value, (str, list, dict)) else 1


def _any(_value: Any) -> bool:
    return True


def _is_true(value: Any) -> bool:
    return value is True


def _is_text(value: Any) -> bool:
    return isinstance(value, str)


def _is_list(value: Any) -> bool:
    return isinstance(value, list)


@dataclass(frozen=True, slots=True)
class _VerbRule:
    """What a verb does, what it takes, and whether its result is made of the stored value."""

    apply: Verb
    is_valid: Callable[[Any], bool]
    takes: str
    schema: Mapping[str, Any]
    atomic: bool = True


_VERBS: Mapping[str, _VerbRule] = {
    "set": _VerbRule(_set, _any, "a value", {}, atomic=False),
    "clear": _VerbRule(_clear, _is_true, "true", {"const": True}, atomic=False),
    "increase_by": _VerbRule(_increase_by, _is_number, "a number", {"type": "number"}),
    "append": _VerbRule(_append, _is_text, "a text", {"type": "string"}),
    "include": _VerbRule(_include, _is_list, "a list of members", {"type": "array"}),
    "exclude": _VerbRule(_exclude, _is_list, "a list of members", {"type": "array"}),
}

_CONDITIONS: Mapping[str, tuple[Callable[[Any, Any], bool], Callable[[Any], bool], Mapping[str, Any]]] = {
    "one_of": (lambda stored, given: any(same(stored, one) for one in given), _is_list, {"type": "array"}),
    "at_least": (
        lambda stored, given: _is_number(stored) and exact(stored) >= given,
        _is_number,
        {"type": "number"},
    ),
    "at_most": (
        lambda stored, given: _is_number(stored) and exact(stored) <= given,
        _is_number,
        {"type": "number"},
    ),
    "is_null": (
        lambda stored, given: (stored is None) is given,
        lambda g: isinstance(g, bool),
        {"type": "boolean"},
    ),
}


def edits_schema(limits: Limits = DEFAULTS) -> dict[str, Any]:
    """The JSON Schema of our own format."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Edits of one record",
        "type": "object",
        "properties": {
            "edits": {
                "type": "array",
                "maxItems": limits.operations,
                "items": {
                    "type": "object",
                    "properties": {
                        "at": {
                            "type": "string",
                            "format": "json-pointer",
                            "minLength": 2,
                            "description": "The field, or a place inside an object.",
                        },
                        "only_if": {
                            "description": "Conditions on the record as stored, before any edit.",
                            "anyOf": [
                                {
                                    "type": "object",
                                    "properties": {
                                        name: schema for name, (_, _, schema) in _CONDITIONS.items()
                                    },
                                    "additionalProperties": False,
                                    "minProperties": 1,
                                    "description": "On the value at this place.",
                                },
                                {"type": "string", "description": "An expression over the record's fields."},
                            ],
                        },
                        **{name: verb.schema for name, verb in _VERBS.items()},
                    },
                    "required": ["at"],
                    "oneOf": [{"required": [name]} for name in _VERBS],
                    "additionalProperties": False,
                },
            }
        },
        "required": ["edits"],
        "additionalProperties": False,
    }


@dataclass(frozen=True, slots=True)
class Edit:
    """One edit, read: a place, a verb with what it takes, and conditions on the stored value."""

    at: tuple[str, ...]
    verb: str
    value: Any
    only_if: tuple[tuple[str, Any], ...] = ()
    #: A condition on the whole record as stored: an expression.
    when: str | None = None


@dataclass(frozen=True, slots=True)
class Edits:
    """A read list of edits."""

    edits: tuple[Edit, ...]
    atomic: frozenset[str]
    limits: Limits = DEFAULTS
    #: Of each expression among the conditions, whether it holds: to be found before `against`.
    held: Mapping[str, bool] = field(default_factory=dict)
    #: The fields that the caller may change and not read, as stored: `against` is not given these.
    unread: Mapping[str, Any] = field(default_factory=dict)

    @property
    def asked(self) -> tuple[str, ...]:
        """The expressions among the conditions."""
        return tuple(dict.fromkeys(edit.when for edit in self.edits if edit.when is not None))

    def against(self, stored: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """See `Patch`. Raises `Conflict` for a condition that does not hold."""
        touched: dict[str, Any] = {}
        unmet = []
        room = self.limits.record
        for edit in self.edits:
            # Each edit reads all of what it works on: a thousand of them on a long list are too much.
            room -= _length(touched.get(edit.at[0], stored.get(edit.at[0])))
            if room < 0:
                raise beyond("record_limit", self.limits.record, "The edits work through too much.")
            now = find(stored, edit.at)
            now = None if now is MISSING else now
            pointer = pointer_to(*edit.at)
            if edit.when is not None and not self.held[edit.when]:
                unmet.append({"pointer": pointer, "current": now, "only_if": edit.when})
                continue
            if not all(_CONDITIONS[name][0](now, given) for name, given in edit.only_if):
                unmet.append({"pointer": pointer, "current": now, "only_if": dict(edit.only_if)})
                continue
            self._do(edit, stored, touched, pointer, problems)
        if unmet:
            raise Conflict("A condition does not hold, so nothing was changed.", conflicts=unmet)
        return touched

    def _do(
        self,
        edit: Edit,
        stored: Mapping[str, Any],
        touched: dict[str, Any],
        pointer: str,
        problems: list[Problem],
    ) -> None:
        name, verb = edit.at[0], _VERBS[edit.verb]
        if name in self.unread and verb.atomic:
            # What it comes to, or why it does not, would tell what is stored.
            detail = "Cannot be read by you, so it can be set or cleared, and nothing else."
            problems.append(Problem(pointer, "edit", detail, {"verb": edit.verb}))
            return
        whole = touched.get(name, self.unread.get(name) if name in self.unread else stored.get(name))
        place = find(whole, edit.at[1:])
        try:
            value = verb.apply(None if place is MISSING else place, edit.value)
            touched[name] = _with(whole, edit.at[1:], value)
        except _Cannot as reason:
            problems.append(Problem(pointer, "edit", str(reason), {"verb": edit.verb}))


def _with(whole: Any, steps: tuple[str, ...], value: Any) -> Any:
    """A copy of a value with another at a place inside its objects; null removes the member."""
    if not steps:
        return value
    if whole is not None and not isinstance(whole, dict):
        raise _Cannot("Stands inside something that is not an object.")
    copied = dict(whole or {})
    inner = _with(copied.get(steps[0]), steps[1:], value)
    if inner is None:
        copied.pop(steps[0], None)
    else:
        copied[steps[0]] = inner
    return copied


def _edit(number: int, sent: Any, limits: Limits) -> Edit:
    def refuse(what: str) -> Malformed:
        return Malformed(f"Edit {number + 1}: {what} GET /v1/edits.schema.json has their schema.")

    if not isinstance(sent, dict):
        raise refuse(f"it must be an object, not {kind_of(sent)}.")
    verbs = [name for name in sent if name in _VERBS]
    for name in sent:
        if name not in ("at", "only_if", *_VERBS):
            raise refuse(f"there is no {name!r}. {did_you_mean(name, ('at', 'only_if', *_VERBS))}")
    if len(verbs) != 1:
        raise refuse(f"it must do one thing, of {', '.join(_VERBS)}.")
    verb, at = verbs[0], sent.get("at")
    if not isinstance(at, str) or at in ("", "/"):
        raise refuse("at must name a field, such as /pumps.")
    if not _VERBS[verb].is_valid(sent[verb]):
        raise refuse(f"{verb} takes {_VERBS[verb].takes}, not {kind_of(sent[verb])}.")
    try:
        steps = read_pointer(at)
        check_depth(len(steps) + depth_of(sent[verb]), limits)
        condition = sent.get("only_if", MISSING)
        if isinstance(condition, str):
            return Edit(steps, verb, sent[verb], when=condition)
        return Edit(steps, verb, sent[verb], _only_if(condition))
    except ValueError as error:
        raise refuse(str(error)) from None


def _only_if(sent: Any) -> tuple[tuple[str, Any], ...]:
    if sent is MISSING:
        return ()
    if not isinstance(sent, dict) or not sent:
        names = ", ".join(_CONDITIONS)
        raise ValueError(f"only_if must be an object with some of {names}, or an expression.")
    for name, given in sent.items():
        if name not in _CONDITIONS:
            raise ValueError(f"only_if has no {name!r}. {did_you_mean(name, _CONDITIONS)}")
        if not _CONDITIONS[name][1](given):
            raise ValueError(f"only_if: {name} cannot be {kind_of(given)}.")
    return tuple(sent.items())


def read_edits(body: bytes, limits: Limits = DEFAULTS) -> Edits:
    """Reads our own format. Raises `Malformed`, or `TooLarge` for too many edits."""
    return edits_from(read_json(body, limits), limits)


def edits_from(value: Any, limits: Limits = DEFAULTS) -> Edits:
    """The same from JSON that has been read."""
    if not isinstance(value, dict) or not isinstance(value.get("edits"), list) or len(value) > 1:
        raise Malformed('The body must be {"edits": [...]} and nothing else.')
    if len(value["edits"]) > limits.operations:
        raise beyond("operation_limit", limits.operations, f"There are {len(value['edits'])} edits.")
    edits = tuple(_edit(number, sent, limits) for number, sent in enumerate(value["edits"]))
    plain = {edit.at[0] for edit in edits if not _VERBS[edit.verb].atomic}
    return Edits(edits, frozenset(edit.at[0] for edit in edits) - plain, limits)
