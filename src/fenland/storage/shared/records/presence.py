"""Who has a record open now: a small table in memory that all processes on a database share.

What stands in it is over within seconds unless it is said again, so that nothing has to be cleared away.
Where too many have the same few slots, who said so longest ago makes room: it is a courtesy, and no lock.
"""

from __future__ import annotations

import struct
from pathlib import Path

from fenland.storage.shared.slots import Slots
from fenland.storage.shared.values import Present

_SLOTS = 1 << 12
#: Digests of the record and of who it is, until when, whether they edit it, and their name.
_SLOT = struct.Struct("<16s8sdB100s")
_LONGEST_NAME = 100
#: Slots that those at one record have, one after the other.
_TRIED = 32


class Presence:
    """The table of one database. `place` stands for a record, `window` for one open page of somebody."""

    def __init__(self, path: Path) -> None:
        """Raises `OSError` when the file cannot be made."""
        self._slots = Slots(path, _SLOTS, _SLOT.size)

    def enter(self, place: str, window: str, present: Present, until: float) -> None:
        """Notes that somebody is at a record until then, in Unix seconds. Very long names are not noted."""
        slots, name = self._slots, present.name.encode()
        if len(name) > _LONGEST_NAME:
            return
        record, who = slots.digest(place, 16), slots.digest(f"{present.name} {window}")
        with slots.alone():
            oldest, room = float("inf"), 0
            for at in slots.places(record, _TRIED):
                kept, by, ends, _, _ = _SLOT.unpack_from(slots.shared, at)
                if (kept, by) == (record, who):
                    room = at
                    break
                if ends < oldest:
                    oldest, room = ends, at
            _SLOT.pack_into(slots.shared, room, record, who, until, present.editing, name)

    def leave(self, place: str, window: str, name: str) -> None:
        """Notes that they are not any more."""
        slots = self._slots
        record, who = slots.digest(place, 16), slots.digest(f"{name} {window}")
        with slots.alone():
            for at in slots.places(record, _TRIED):
                if _SLOT.unpack_from(slots.shared, at)[:2] == (record, who):
                    slots.shared[at : at + _SLOT.size] = bytes(_SLOT.size)

    def there(self, place: str, now: float) -> list[Present]:
        """Who is at a record now, each once, by name; whether they edit it in any of their windows."""
        slots, found = self._slots, dict[str, bool]()
        record = slots.digest(place, 16)
        with slots.alone():
            for at in slots.places(record, _TRIED):
                kept, _, ends, editing, name = _SLOT.unpack_from(slots.shared, at)
                if kept == record and ends > now:
                    text = name.rstrip(b"\0").decode()
                    found[text] = found.get(text, False) or bool(editing)
        return [Present(name, editing) for name, editing in sorted(found.items())]

    def close(self) -> None:
        """Lets go of the file."""
        self._slots.close()
