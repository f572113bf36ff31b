"""Own code: the functions of a project's `rules.py`, as its definitions call them.

A definition says where and when, by name, as in `call: fits_the_shift`; the function says how. Definitions
that are kept in a database, and older ones, are read without the functions: nothing is worked out by them.
How `rules.py` is imported, and its functions are run, is known in `service/own/`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from fenland.core.problems import RuleFailed

#: What a function says: whether a record may be saved, a derived value, fields of the record, other changes.
Kind = Literal["check", "derivation", "setting", "effect"]
#: Where a function carries its kind.
MARK = "__fenland_kind__"

_AROUND = ("actor", "now", "today", "look")
#: What the parameters of each may be called. A derivation's stand for the expressions under `of`, in order.
PARAMETERS: Mapping[Kind, tuple[str, ...] | None] = {
    "check": ("next", "before", *_AROUND),
    "derivation": None,
    "setting": ("before", "after", *_AROUND),
    "effect": ("before", "after", *_AROUND),
}


@dataclass(frozen=True, slots=True)
class Function:
    """One function of `rules.py`. `run` takes its arguments by their names, a derivation's in order."""

    name: str
    kind: Kind
    parameters: tuple[str, ...]
    #: Of the parameters, how many must be given.
    needed: int
    line: int
    run: Callable[..., Any]
    #: Tells whoever runs the service why what it gave cannot be used: clients are told no more than its name.
    tell: Callable[[str], None]


#: All of a project's, by name.
Functions = Mapping[str, Function]


@dataclass(frozen=True, slots=True)
class Call:
    """A function as a definition names it; without one where definitions are read that are only kept.

    What is derived by such a one is not worked out.
    """

    name: str
    function: Function | None = field(default=None, compare=False, repr=False)

    def run(self, *given: Any, **named: Any) -> Any:
        """What the function gives. Raises `RuleFailed`, and `Unavailable` where it takes too long."""
        if self.function is None:
            raise RuleFailed(f"The function {self.name} of rules.py is not at hand.")
        return self.function.run(*given, **named)
