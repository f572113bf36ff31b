"""The order of refusals: what is wrong with a request is told after whether its record may be changed.

All of a request is read at once, before anything is waited for; a refusal to read it waits for its place.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from flask import Request

from fenland.core.problems import Refusal
from fenland.web.query import query_of

Result = TypeVar("Result")


class InOrder:
    """Reads parts of a request now; the first refusal is kept, to be raised where it belongs."""

    def __init__(self) -> None:
        self.refusal: Refusal | None = None

    def read(self, part: Callable[[], Result], otherwise: Result) -> Result:
        """What was read, or, with its refusal kept, what to go on with."""
        try:
            return part()
        except Refusal as refusal:
            self.refusal = self.refusal or refusal
            return otherwise

    def query(self, request: Request, *known: str) -> dict[str, str]:
        """The query's parameters, as `query_of` gives them."""
        nothing: dict[str, str] = {}
        return self.read(lambda: query_of(request, *known), nothing)

    def check(self) -> None:
        """Raises the refusal that was kept, if there is one."""
        if self.refusal is not None:
            raise self.refusal


def later(read: Callable[[], Result]) -> Callable[[], Result]:
    """Reads at once, and gives what was read, or raises the refusal, when it is asked for."""
    try:
        found = read()
    except Refusal as refusal:
        kept = refusal

        def refuse() -> Result:
            raise kept

        return refuse
    return lambda: found
