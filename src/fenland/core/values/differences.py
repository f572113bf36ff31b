"""What differs between two values: inside objects by pointer, and of lists what was put in and taken out."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from fenland.core.problems import pointer_to
from fenland.core.values.plain import frozen, same


def inside(before: Any, after: Any, pointer: str = "") -> Iterator[tuple[str, Any, Any]]:
    """By pointer (RFC 6901), each place inside two objects where they differ; None is nothing there."""
    if isinstance(before, dict) and isinstance(after, dict):
        for name in dict.fromkeys((*before, *after)):
            old, new = before.get(name), after.get(name)
            if not same(old, new):
                yield from inside(old, new, pointer + pointer_to(name))
    else:
        yield pointer, before, after


def put_in_and_out(before: list[Any], after: list[Any]) -> tuple[list[Any], list[Any]]:
    """The items that were put in, and those that were taken out; each as often as it was."""
    return _without(after, before), _without(before, after)


def _without(items: list[Any], others: list[Any]) -> list[Any]:
    left: dict[Any, int] = {}
    for one in others:
        left[frozen(one)] = left.get(frozen(one), 0) + 1
    found = []
    for one in items:
        if left.get(frozen(one), 0):
            left[frozen(one)] -= 1
        else:
            found.append(one)
    return found


def change_json(before: Any, after: Any) -> dict[str, Any]:
    """A change as answers tell it: before and after, and for what holds others what changed inside."""
    difference: dict[str, Any] = {"before": before, "after": after}
    if isinstance(before, dict) and isinstance(after, dict):
        difference["inside"] = [
            {"pointer": pointer, "before": old, "after": new} for pointer, old, new in inside(before, after)
        ]
    elif isinstance(before, list) and isinstance(after, list):
        difference["put_in"], difference["taken_out"] = put_in_and_out(before, after)
    return difference


def differing(before: Mapping[str, Any], after: Mapping[str, Any]) -> dict[str, tuple[Any, Any]]:
    """By field, the two values where they differ."""
    names = dict.fromkeys((*before, *after))
    return {
        name: (before.get(name), after.get(name))
        for name in names
        if not same(before.get(name), after.get(name))
    }
