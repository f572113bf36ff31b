"""The syntax tree of an expression: small frozen nodes, each with the place in the text it stands for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

Macro = Literal["all", "exists", "exists_one", "filter", "map"]


@dataclass(frozen=True, slots=True)
class Constant:
    """A literal; `text` is how it was written, of which an exact decimal is made where one is wanted."""

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


Node = Constant | Name | Select | Index | Call | Logic | Choice | Items | Entries | Each
