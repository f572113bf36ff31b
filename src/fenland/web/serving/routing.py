"""Short cuts to routes: those whose places are one segment each are found by the segments that are fixed.

Compiled from the route table itself, so that no route is named here; what they do not find, Flask's own
search does, and a test sees that both find the same. At many requests a second the search is a quarter of
what Flask costs (docs/performance.md).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from werkzeug.routing import Map, Rule

#: What Flask answers by itself where a rule leaves it to it.
_ASKED = frozenset({"OPTIONS"})
#: The fixed segments of a path, by their places.
_Key = tuple[str, ...]


class _Shape(NamedTuple):
    """Paths of so many segments, of which some are fixed."""

    fixed: tuple[int, ...]
    open: tuple[int, ...]
    #: By the fixed segments and the method: the rule, and the names of the open ones.
    rules: dict[tuple[_Key, str], tuple[Rule, tuple[str, ...]]]


class ShortCuts:
    """The routes of a map that can be found without a search."""

    def __init__(self, routes: Map) -> None:
        self._shapes: dict[int, list[_Shape]] = {}
        for rule in routes.iter_rules():
            segments = list(_segments(rule))
            if segments:
                self._add(rule, segments)
        for shapes in self._shapes.values():
            # What is fixed goes before what is open, as in the search.
            shapes.sort(key=lambda one: one.open)

    def _add(self, rule: Rule, segments: list[tuple[str, bool]]) -> None:
        fixed = tuple(place for place, (_, is_open) in enumerate(segments) if not is_open)
        opened = tuple(place for place, (_, is_open) in enumerate(segments) if is_open)
        shapes = self._shapes.setdefault(len(segments), [])
        shape = next((one for one in shapes if one.fixed == fixed), None)
        if shape is None:
            shape = _Shape(fixed, opened, {})
            shapes.append(shape)
        key = tuple(segments[place][0] for place in fixed)
        # What a rule does not answer itself is for Flask: what is possible at an address.
        automatic = getattr(rule, "provide_automatic_options", False)
        for method in (rule.methods or set()) - (_ASKED if automatic else set()):
            # Of two that fit alike, the search takes the one that was registered first.
            names = tuple(segments[place][0] for place in opened)
            shape.rules.setdefault((key, method), (rule, names))

    def find(self, path: str, method: str) -> tuple[Rule, dict[str, Any]] | None:
        """The rule for a path, and what stands in its open places; None where a search must tell."""
        parts = path.split("/")
        for fixed, opened, rules in self._shapes.get(len(parts), ()):
            found = rules.get((tuple([parts[place] for place in fixed]), method))
            if found is not None:
                values = [parts[place] for place in opened]
                return (found[0], dict(zip(found[1], values, strict=True))) if all(values) else None
        return None


def _segments(rule: Rule) -> Iterator[tuple[str, bool]]:
    """The segments of a rule, and whether each is open; none where it cannot be found this way."""
    found = []
    for segment in rule.rule.split("/"):
        name = segment[1:-1] if segment.startswith("<") and segment.endswith(">") else None
        if (name is None and "<" in segment) or (name is not None and ":" in name):
            return
        found.append((name or segment, name is not None))
    if not rule.defaults and not rule.alias and rule.redirect_to is None:
        yield from found
