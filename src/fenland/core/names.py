"""Names: what a collection or field may be called, and the nearest known name to a mistyped one."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable, Mapping

#: Collections and fields become table and column names, so they keep to what every database reads.
NAME = re.compile(r"[a-z][a-z0-9_]{0,62}")
#: What a notice may be called.
NOTICE = re.compile(r"[a-z][a-z0-9_]*([.-][a-z0-9_]+)*")


def nearest(name: str, known: Iterable[str]) -> str | None:
    """The known name most like this one, or None where nothing comes close."""
    found = difflib.get_close_matches(name, list(known), n=1, cutoff=0.6)
    return found[0] if found else None


def did_you_mean(name: str, known: Iterable[str]) -> str:
    """A remedy for an unknown name: the nearest one, or all there are when nothing comes close."""
    names = sorted(known)
    close = nearest(name, names)
    if close is not None:
        return f"Did you mean {close!r}?"
    return f"Known here: {', '.join(names)}." if names else "There are none here."


def circled(before: Mapping[str, str | None]) -> set[str]:
    """The names that are given on in a circle, as two that are swapped: by name, what it was before."""
    found = set[str]()
    for name in before:
        way = [name]
        while (follows := before.get(way[-1])) is not None and follows not in way:
            way.append(follows)
        if len(way) > 1 and before.get(way[-1]) == name:
            found.update(way)
    return found
