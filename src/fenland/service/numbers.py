"""Numbers of series with gaps that this process has put by: not every new record writes how far one has come.

They are kept as given before anybody gets one: no other process gives them. One that is given to a record
which is not saved after all is left out, and so are those that are left when the process ends.
"""

from __future__ import annotations

import threading
from collections.abc import Mapping

#: By the place of a series, such as `tickets.number`, the next number and the last one.
PutBy = dict[str, tuple[int, int]]
#: How many are put by at a time.
PORTION = 50


def taken(put_by: PutBy, place: str) -> int | None:
    """The next number, which is taken; None where there is none."""
    found = put_by.get(place)
    if found is None:
        return None
    number, last = found
    if number == last:
        del put_by[place]
    else:
        put_by[place] = (number + 1, last)
    return number


class Numbers:
    """Those of one process, for all of its threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._put_by: PutBy = {}
        #: By place, up to which number it is kept that they are given.
        self._kept: dict[str, int] = {}

    def is_kept(self, place: str, number: int) -> bool:
        """Whether it is known here that the series goes on behind a number."""
        return number <= self._kept.get(place, -1)

    def take(self, place: str) -> int | None:
        """The next number of a series, which nobody else gets; None where there is none."""
        with self._lock:
            return taken(self._put_by, place)

    def next(self, place: str) -> int | None:
        """The same, which is not taken."""
        found = self._put_by.get(place)
        return None if found is None else found[0]

    def add(self, put_by: Mapping[str, tuple[int, int]]) -> None:
        """Puts numbers by, once it is durable that they are given; those that are there are left out."""
        with self._lock:
            self._put_by |= put_by
            self._kept |= {place: last for place, (_, last) in put_by.items()}
