"""JSON Patch (RFC 6902): a list of operations, all of which are done or none.

The operations work on a copy of the record as its reader sees it. What they leave is compared
with what was there, field by field, so a patch that changes a field and changes it back touches
nothing. A copied part is bounded: a few operations could otherwise double a value many times over.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.definitions.validation import kind_of
from fenland.core.limits import DEFAULTS, Limits, beyond, check_depth, depth_of, weight
from fenland.core.problems import Conflict, Malformed, Problem
from fenland.core.values.plain import MISSING, as_written, read_json, same
from fenland.core.values.pointers import find, index_of, read_pointer

Steps = tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Operation:
    """One operation, its pointers read. `value` is `MISSING` where the operation takes none."""

    op: str
    path: Steps
    source: Steps | None = None
    value: Any = MISSING


class _Cannot(Exception):
    """An operation that cannot be done, in words."""


class _Document:
    """The value being patched, with a count of what may still be put into it."""

    def __init__(self, value: Any, limits: Limits) -> None:
        self.value = value
        self.limits = limits
        self.room = limits.record

    def take(self, steps: Steps, value: Any) -> Any:
        """A copy of a value to put in at a place; refused once all that was put in is too much."""
        check_depth(len(steps) + depth_of(value), self.limits)
        self.room -= weight(value)
        if self.room < 0:
            most = self.limits.record
            raise beyond("record_limit", most, "The patch makes too large a record. Send a smaller one.")
        return copy.deepcopy(value)

    def holder(self, steps: Steps) -> Any:
        found = find(self.value, steps[:-1])
        if not isinstance(found, (dict, list)):
            raise _Cannot("there is nothing to hold it")
        return found

    def add(self, steps: Steps, value: Any) -> None:
        if not steps:
            self.value = value
            return
        holder, last = self.holder(steps), steps[-1]
        if isinstance(holder, dict):
            holder[last] = value
            return
        index = len(holder) if last == "-" else index_of(last, len(holder) + 1)
        if index is None:
            raise _Cannot(f"{last!r} is no place in an array of {len(holder)}")
        holder.insert(index, value)

    def remove(self, steps: Steps) -> Any:
        if not steps:
            raise _Cannot("a record cannot be removed by a patch; use DELETE")
        holder, last = self.holder(steps), steps[-1]
        if isinstance(holder, dict):
            if last not in holder:
                raise _Cannot("there is nothing there")
            return holder.pop(last)
        index = index_of(last, len(holder))
        if index is None:
            raise _Cannot(f"{last!r} is no place in an array of {len(holder)}")
        return holder.pop(index)

    def at(self, steps: Steps) -> Any:
        found = find(self.value, steps)
        if found is MISSING:
            raise _Cannot("there is nothing there")
        return found


def _add(document: _Document, operation: Operation) -> None:
    document.add(operation.path, document.take(operation.path, operation.value))


def _remove(document: _Document, operation: Operation) -> None:
    document.remove(operation.path)


def _replace(document: _Document, operation: Operation) -> None:
    document.at(operation.path)
    if operation.path:
        holder, last = document.holder(operation.path), operation.path[-1]
        holder[last if isinstance(holder, dict) else int(last)] = document.take(
            operation.path, operation.value
        )
    else:
        document.value = document.take(operation.path, operation.value)


def _move(document: _Document, operation: Operation) -> None:
    source = operation.source or ()
    if operation.path[: len(source)] == source and operation.path != source:
        raise _Cannot("it cannot be moved into itself")
    value = document.at(source)
    if operation.path != source:
        check_depth(len(operation.path) + depth_of(value), document.limits)
        document.remove(source)
        document.add(operation.path, value)


def _copy(document: _Document, operation: Operation) -> None:
    document.add(operation.path, document.take(operation.path, document.at(operation.source or ())))


def _test(document: _Document, operation: Operation) -> None:
    if not same(document.at(operation.path), operation.value):
        raise _Cannot("it has another value")


_OPERATIONS: Mapping[str, Callable[[_Document, Operation], None]] = {
    "add": _add,
    "remove": _remove,
    "replace": _replace,
    "move": _move,
    "copy": _copy,
    "test": _test,
}
_WITH_VALUE = ("add", "replace", "test")
_WITH_SOURCE = ("move", "copy")


def apply(document: Any, operations: tuple[Operation, ...], limits: Limits = DEFAULTS) -> Any:
    """The document after all operations; the argument stays as it was.

    Raises `Conflict`, with the operation's number, for the first that cannot be done, and
    `TooLarge` when they put in more than a record may hold.
    """
    work = _Document(copy.deepcopy(document), limits)
    for number, operation in enumerate(operations):
        try:
            _OPERATIONS[operation.op](work, operation)
        except _Cannot as reason:
            path = "".join("/" + step for step in operation.path)
            raise Conflict(
                f"Operation {number + 1} ({operation.op} {path or 'the whole'}) cannot be done: {reason}. "
                "Nothing was changed.",
                operation=number,
            ) from None
    return work.value


def _operation(number: int, sent: Any) -> Operation:
    def refuse(what: str) -> Malformed:
        return Malformed(f"Operation {number + 1}: {what} RFC 6902 section 4 says what one needs.")

    if not isinstance(sent, dict):
        raise refuse(f"it must be an object, not {kind_of(sent)}.")
    op, pointers = sent.get("op"), {}
    if not isinstance(op, str) or op not in _OPERATIONS:
        raise refuse(f"op is {as_written(op)}; it must be one of {', '.join(_OPERATIONS)}.")
    for member in ("path", "from") if op in _WITH_SOURCE else ("path",):
        if not isinstance(sent.get(member), str):
            raise refuse(f"{member} must be a JSON Pointer.")
        try:
            pointers[member] = read_pointer(sent[member])
        except ValueError as error:
            raise refuse(str(error)) from None
    if op in _WITH_VALUE and "value" not in sent:
        raise refuse("it has no value.")
    value = sent["value"] if op in _WITH_VALUE else MISSING
    return Operation(op, pointers["path"], pointers.get("from"), value)


@dataclass(frozen=True, slots=True)
class JsonPatch:
    """A read JSON Patch."""

    operations: tuple[Operation, ...]
    limits: Limits = DEFAULTS
    atomic: frozenset[str] = frozenset()

    def against(self, stored: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """See `Patch`. A field that an operation removes becomes null."""
        result = apply(dict(stored), self.operations, self.limits)
        if not isinstance(result, dict):
            raise Conflict(f"The patch leaves {kind_of(result)} where the record was. Patch its fields.")
        changed = {
            name: value
            for name, value in result.items()
            if name not in stored or not same(stored[name], value)
        }
        return changed | {name: None for name in stored if name not in result}


def read_json_patch(body: bytes, limits: Limits = DEFAULTS) -> JsonPatch:
    """Reads a JSON Patch. Raises `Malformed`, or `TooLarge` for too many operations."""
    return json_patch_from(read_json(body, limits), limits)


def json_patch_from(value: Any, limits: Limits = DEFAULTS) -> JsonPatch:
    """The same from JSON that has been read."""
    if not isinstance(value, list):
        raise Malformed(f"A JSON Patch is an array of operations, not {kind_of(value)}.")
    if len(value) > limits.operations:
        raise beyond("operation_limit", limits.operations, f"The patch has {len(value)} operations.")
    return JsonPatch(tuple(_operation(number, sent) for number, sent in enumerate(value)), limits)
