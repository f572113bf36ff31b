"""The syntax tree of an expression: small frozen nodes, each with the place in the text it stands for."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal

from fenland.core.expressions.types import ValueType

Macro = Literal["all", "exists", "exists_one", "filter", "map"]


@dataclass(frozen=True, slots=True)
class Constant:
    """A value; `text` is how it was written, if it was, of which a decimal is made where one is wanted."""

    value: Any
    text: str
    at: int


@dataclass(frozen=True, slots=True)
class Name:
    """A variable."""

    name: str
    at: int


@dataclass(frozen=True, slots=True)
class Select:
    """`operand.field`; with `asks`, whether it is there: `has(operand.field)`."""

    operand: Node
    field: str
    at: int
    asks: bool = False


@dataclass(frozen=True, slots=True)
class Index:
    """`operand[index]`."""

    operand: Node
    index: Node
    at: int


@dataclass(frozen=True, slots=True)
class Call:
    """An operator or a function, `_+_` or `size(x)`; of a method, the operand is the first argument."""

    name: str
    arguments: tuple[Node, ...]
    at: int
    method: bool = False


@dataclass(frozen=True, slots=True)
class Logic:
    """`&&` or `||` over two or more parts."""

    operator: Literal["&&", "||"]
    parts: tuple[Node, ...]
    at: int


@dataclass(frozen=True, slots=True)
class Choice:
    """`condition ? yes : no`."""

    condition: Node
    yes: Node
    no: Node
    at: int


@dataclass(frozen=True, slots=True)
class Items:
    """A list."""

    items: tuple[Node, ...]
    at: int


@dataclass(frozen=True, slots=True)
class Entries:
    """A map."""

    entries: tuple[tuple[Node, Node], ...]
    at: int


@dataclass(frozen=True, slots=True)
class Each:
    """A macro over a list or the keys of a map; `map` may have a condition before what it makes."""

    macro: Macro
    operand: Node
    variable: str
    condition: Node | None
    result: Node | None
    at: int


@dataclass(frozen=True, slots=True)
class Step:
    """One field on a path through records; `references` is the collection that it leads on to, if any."""

    name: str
    references: str | None = None


@dataclass(frozen=True, slots=True)
class Path:
    """A field of a record, or of what it refers to: `record.station.keeper`. The checker makes these.

    `type` is that of the last field. Without steps it is the record itself, of which only fields can be used.
    """

    root: str
    steps: tuple[Step, ...]
    type: ValueType
    at: int


@dataclass(frozen=True, slots=True)
class Failure:
    """What has no value, whatever the record: an error, found before there was one."""

    message: str
    at: int


Node = Constant | Name | Select | Index | Call | Logic | Choice | Items | Entries | Each | Path | Failure


def parts_of(node: Node) -> tuple[Node, ...]:
    """The nodes right under this one."""
    match node:
        case Select(operand=operand):
            return (operand,)
        case Index(operand=operand, index=index):
            return (operand, index)
        case Call(arguments=arguments):
            return arguments
        case Logic(parts=parts):
            return parts
        case Choice(condition=condition, yes=yes, no=no):
            return (condition, yes, no)
        case Items(items=items):
            return items
        case Entries(entries=entries):
            return tuple(one for entry in entries for one in entry)
        case Each(operand=operand, condition=condition, result=result):
            return (operand, *(one for one in (condition, result) if one is not None))
    return ()


def with_parts(node: Node, change: Callable[[Node], Node]) -> Node:
    """The node with each node right under it changed."""
    match node:
        case Select():
            return replace(node, operand=change(node.operand))
        case Index():
            return replace(node, operand=change(node.operand), index=change(node.index))
        case Call():
            return replace(node, arguments=tuple(map(change, node.arguments)))
        case Logic():
            return replace(node, parts=tuple(map(change, node.parts)))
        case Choice():
            return replace(node, condition=change(node.condition), yes=change(node.yes), no=change(node.no))
        case Items():
            return replace(node, items=tuple(map(change, node.items)))
        case Entries():
            return replace(node, entries=tuple((change(key), change(value)) for key, value in node.entries))
        case Each():
            return replace(
                node,
                operand=change(node.operand),
                condition=None if node.condition is None else change(node.condition),
                result=None if node.result is None else change(node.result),
            )
    return node


def paths_in(node: Node) -> tuple[Path, ...]:
    """Every path in a tree, in the order of the text."""
    if isinstance(node, Path):
        return (node,)
    return tuple(path for part in parts_of(node) for path in paths_in(part))


def roots_in(node: Node) -> frozenset[str]:
    """The names that a tree needs: variables that are not its own, and the records of its paths."""
    return own_roots(node, map(roots_in, parts_of(node)))


def own_roots(node: Node, of_parts: Iterable[frozenset[str]]) -> frozenset[str]:
    """The same, where those of the nodes right under it are known."""
    if isinstance(node, Path):
        return frozenset({node.root})
    if isinstance(node, Name):
        return frozenset({node.name})
    if isinstance(node, Each):
        operand, *inner = of_parts
        return operand | (frozenset().union(*inner) - {node.variable})
    return frozenset().union(*of_parts)
