"""Counts that all processes on a database share: how often something happened within a window of time.

A small table in a file that every process maps into its memory. Nothing in it outlives its window, so a lost
file is no loss; where too many things are counted at once, the least counted one makes room.
"""

from __future__ import annotations

import struct
from pathlib import Path

from fenland.storage.shared.slots import Slots
from fenland.storage.shared.values import Counted

_SLOTS = 1 << 14
#: A digest of what is counted, when its window ends, and the count.
_SLOT = struct.Struct("<8sII")
#: Slots that one thing may have, one after the other.
_TRIED = 8


class Counters:
    """The table of one database."""

    def __init__(self, path: Path) -> None:
        """Raises `OSError` when the file cannot be made."""
        self._slots = Slots(path, _SLOTS, _SLOT.size)

    def count(self, what: str, seconds: int, now: float, add: int = 1) -> Counted:
        """Counts it `add` times more; how often that makes, and the seconds until the count begins anew."""
        slots = self._slots
        digest = slots.digest(f"{seconds}:{what}")
        window, gone = divmod(int(now), seconds)
        ends = (window + 1) * seconds
        with slots.alone():
            least, room = 2**32, 0
            for place in slots.places(digest, _TRIED):
                kept, until, times = _SLOT.unpack_from(slots.shared, place)
                # Of windows of every length: what is over makes room first.
                times = times if until > now else 0
                if kept == digest:
                    room, least = place, times
                    break
                if times < least:
                    room, least = place, times
            else:
                least = 0
            total = min(max(least + add, 0), 2**32 - 1)
            _SLOT.pack_into(slots.shared, room, digest, ends, total)
        return Counted(total, seconds - gone)

    def close(self) -> None:
        """Lets go of the file."""
        self._slots.close()
