"""Partial evaluation: what of an expression is settled before there is a record.

A rule over the record and the actor becomes, for one actor, an expression over the record alone: whatever
speaks only of names that are known is evaluated, and `&&`, `||` and `?:` are cut down to what still matters.
The value stays the same for every record; an error that is certain stands as a `Failure`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from fenland.core.expressions.evaluation import compiled
from fenland.core.expressions.faults import EvaluationError
from fenland.core.expressions.tree import (
    Choice,
    Constant,
    Each,
    Failure,
    Logic,
    Node,
    own_roots,
    parts_of,
    roots_in,
    with_parts,
)

Reducer = Callable[[Mapping[str, Any]], Node]


def reducer(node: Node, known: frozenset[str]) -> Reducer:
    """A function of what the known names are bound to, which gives the rest of the expression."""
    return _Reducing(known).reducer(node, frozenset())


class _Reducing:
    def __init__(self, known: frozenset[str]) -> None:
        self._known = known
        self._roots: dict[int, frozenset[str]] = {}

    def _needs(self, node: Node) -> frozenset[str]:
        """The names that a node needs, found once for each."""
        if id(node) not in self._roots:
            self._roots[id(node)] = own_roots(node, map(self._needs, parts_of(node)))
        return self._roots[id(node)]

    def reducer(self, node: Node, hidden: frozenset[str]) -> Reducer:
        """The reducer of a node; `hidden` are names that variables of macros stand for here."""
        if isinstance(node, (Constant, Failure)):
            return lambda _bindings: node
        if self._needs(node) <= self._known - hidden:
            return _settled(node)
        if isinstance(node, Logic):
            return _logic(node, [self.reducer(part, hidden) for part in node.parts])
        if isinstance(node, Choice):
            condition, yes, no = (self.reducer(one, hidden) for one in (node.condition, node.yes, node.no))
            return _choice(node, condition, yes, no)
        if not parts_of(node):
            return lambda _bindings: node
        return self._whole(node, hidden)

    def _whole(self, node: Node, hidden: frozenset[str]) -> Reducer:
        within = hidden | {node.variable} if isinstance(node, Each) else hidden
        # What a macro goes over is outside of it.
        outside = node.operand if isinstance(node, Each) else None
        inner = {
            id(part): self.reducer(part, hidden if part is outside else within) for part in parts_of(node)
        }

        def reduce(bindings: Mapping[str, Any]) -> Node:
            found = with_parts(node, lambda part: inner[id(part)](bindings))
            if isinstance(found, Each):
                # With what it asked of records its last names may be gone, and it is the same for all.
                return found if roots_in(found) else _settled(found)(bindings)
            parts = parts_of(found)
            # All but macros need each of their parts, so that the error of one is theirs.
            failed = next((part for part in parts if isinstance(part, Failure)), None)
            if failed is not None:
                return failed
            return _settled(found)(bindings) if all(isinstance(one, Constant) for one in parts) else found

        return reduce


def _settled(node: Node) -> Reducer:
    run, at = compiled(node), node.at

    def settle(bindings: Mapping[str, Any]) -> Node:
        try:
            return Constant(run(bindings), "", at)
        except EvaluationError as error:
            return Failure(str(error), at)

    return settle


def _logic(node: Logic, parts: Sequence[Reducer]) -> Reducer:
    settling = node.operator == "||"

    def reduce(bindings: Mapping[str, Any]) -> Node:
        left = []
        for part in parts:
            found = part(bindings)
            if isinstance(found, Constant) and found.value is settling:
                return found
            # What does not settle it adds nothing, whatever the others say.
            if not (
                isinstance(found, Constant) and found.value is not settling and type(found.value) is bool
            ):
                left.append(found)
        if not left:
            return Constant(not settling, "", node.at)
        return left[0] if len(left) == 1 and _is_truth(left[0]) else replace(node, parts=tuple(left))

    return reduce


def _is_truth(node: Node) -> bool:
    """Whether a node by itself is what it is as a part of `&&`: true, false or an error."""
    if isinstance(node, Logic):
        return True
    name = getattr(node, "name", "")
    return isinstance(node, Failure) or name in ("_==_", "_!=_", "_<_", "_<=_", "_>_", "_>=_", "_in_", "!_")


def _choice(node: Choice, condition: Reducer, yes: Reducer, no: Reducer) -> Reducer:
    def reduce(bindings: Mapping[str, Any]) -> Node:
        found = condition(bindings)
        if isinstance(found, Failure):
            return found
        if isinstance(found, Constant):
            if type(found.value) is not bool:
                return Failure("The condition is neither true nor false.", node.at)
            chosen = yes(bindings) if found.value else no(bindings)
            # A literal is one only where it was written: what it stands beside now, it did not then.
            return replace(chosen, text="") if isinstance(chosen, Constant) else chosen
        return replace(node, condition=found, yes=yes(bindings), no=no(bindings))

    return reduce
