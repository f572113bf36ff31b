"""What the request inspector keeps: of accounts that have it on, their last requests, for a while.

All processes on a database share it. It lies in two files beside the database and not in it: a request that
only reads must write nothing there, nobody's backup holds it, and what is to go can go. In the first file
stands who has it on, mapped into memory, since that is asked at every request; in the second lies what was
noted, in places of one size, so that both are bounded.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from pathlib import Path

from fenland.storage.shared.slots import Slots
from fenland.storage.shared.values import Inspection, Noted

#: Accounts that can have it on at once, requests that each keeps, and bytes that one takes at most.
MOST_ACCOUNTS = 32
MOST_NOTED = 200
_PLACE = 8192
#: The first slot: until when anybody has it on, and when something is to be removed; nought for never.
_FIRST = struct.Struct("<dd")
#: The others: a digest of the account, until when it has it on, and is kept; the number of its last request,
#: that of the definitions it was read by; and whether the console's own requests are noted, too.
_SLOT = struct.Struct("<16sddqqB")
_HEAD = struct.Struct("<qI")
#: Bytes of a note, at most.
NOTE_ROOM = _PLACE - _HEAD.size
_NOBODY = bytes(16)


class Inspector:
    """Both files of one database."""

    def __init__(self, path: Path, definitions: int) -> None:
        """`definitions` is the number of those that requests are read by. Raises `OSError`."""
        self._slots = Slots(path, MOST_ACCOUNTS + 1, _SLOT.size)
        self._first, *self._places = self._slots.places(bytes(8), MOST_ACCOUNTS + 1)
        self._definitions = definitions
        notes = path.with_name(path.name + "-notes")
        self._notes = os.open(notes, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        with self._slots.alone():
            self._sum_up()

    def begin(self, account: str, inspection: Inspection, now: float) -> bool:
        """Has it on for an account, which keeps what was noted; False where too many have it on."""
        who = self._digest(account)
        with self._slots.alone():
            self._remove_due(now)
            place = self._find(who) or self._find(_NOBODY)
            if place is None:
                return False
            kept, _, _, last, by, _ = _SLOT.unpack_from(self._slots.shared, place)
            last, by = (last, by) if kept == who else (0, self._definitions)
            self._set(place, who, inspection, last, by)
            return True

    def of(self, account: str, now: float) -> Inspection | None:
        """How an account has it on now; None where it has not. Nearly free where nobody has."""
        until, due = _FIRST.unpack_from(self._slots.shared, self._first)
        if until <= now and not 0 < due <= now:
            return None
        with self._slots.alone():
            self._remove_due(now)
            place = self._find(self._digest(account))
            if place is None:
                return None
            found = self._read(place)
            return found if found.until > now else None

    def note(self, account: str, content: bytes, now: float) -> None:
        """Keeps a request of an account that has it on. Where that cannot be, nothing is kept."""
        with self._slots.alone():
            place = self._find(self._digest(account))
            if place is None or self._read(place).until <= now or len(content) > NOTE_ROOM:
                return
            self._forget_others(place)
            who, *_, last, by, _ = _SLOT.unpack_from(self._slots.shared, place)
            try:
                os.pwrite(
                    self._notes, _HEAD.pack(last + 1, len(content)) + content, self._at(place, last + 1)
                )
            except OSError:
                # It is a courtesy: the request itself is done, and its answer must not fail by this.
                return
            self._set(place, who, self._read(place), last + 1, by)

    def noted(self, account: str, now: float) -> list[Noted]:
        """What is kept of an account, the oldest first."""
        with self._slots.alone():
            self._remove_due(now)
            place = self._find(self._digest(account))
            if place is None:
                return []
            self._forget_others(place)
            last = _SLOT.unpack_from(self._slots.shared, place)[3]
            return [*self._kept(place, last)]

    def forget(self, account: str | None = None) -> None:
        """Removes what is kept, and has it off: for an account, or for all."""
        who = None if account is None else self._digest(account)
        with self._slots.alone():
            for place in self._places:
                kept = _SLOT.unpack_from(self._slots.shared, place)[0]
                if kept != _NOBODY and who in (None, kept):
                    self._remove(place)
            self._sum_up()

    def tidy(self, now: float) -> None:
        """Removes what has been kept for long enough; to be called now and then."""
        if 0 < _FIRST.unpack_from(self._slots.shared, self._first)[1] <= now:
            with self._slots.alone():
                self._remove_due(now)

    def close(self) -> None:
        """Lets go of the files."""
        self._slots.close()
        os.close(self._notes)

    # --- of one slot, with all others kept out -----------------------------------------------------------

    def _digest(self, account: str) -> bytes:
        return self._slots.digest(account, 16)

    def _find(self, who: bytes) -> int | None:
        shared = self._slots.shared
        return next((one for one in self._places if shared[one : one + 16] == who), None)

    def _read(self, place: int) -> Inspection:
        _, until, kept, _, _, console = _SLOT.unpack_from(self._slots.shared, place)
        return Inspection(until, kept, bool(console))

    def _set(self, place: int, who: bytes, one: Inspection, last: int, by: int) -> None:
        _SLOT.pack_into(self._slots.shared, place, who, one.until, one.kept_until, last, by, one.console)
        self._sum_up()

    def _sum_up(self) -> None:
        shared = self._slots.shared
        there = [self._read(one) for one in self._places if shared[one : one + 16] != _NOBODY]
        until = max((one.until for one in there), default=0.0)
        due = min((one.kept_until for one in there), default=0.0)
        _FIRST.pack_into(shared, self._first, until, due)
        if not there:
            os.ftruncate(self._notes, 0)

    def _at(self, place: int, number: int) -> int:
        return (self._places.index(place) * MOST_NOTED + number % MOST_NOTED) * _PLACE

    def _kept(self, place: int, last: int) -> Iterator[Noted]:
        for number in range(max(1, last - MOST_NOTED + 1), last + 1):
            found = os.pread(self._notes, _PLACE, self._at(place, number))
            if len(found) < _HEAD.size:
                continue
            kept, length = _HEAD.unpack_from(found)
            if kept == number:
                yield Noted(number, found[_HEAD.size : _HEAD.size + length])

    def _forget_others(self, place: int) -> None:
        """Removes what was read by other definitions: what is secret by these may stand in it."""
        who, *_, last, by, _ = _SLOT.unpack_from(self._slots.shared, place)
        if by != self._definitions:
            self._wipe(place)
            self._set(place, who, self._read(place), last, self._definitions)

    def _remove_due(self, now: float) -> None:
        shared = self._slots.shared
        if not 0 < _FIRST.unpack_from(shared, self._first)[1] <= now:
            return
        for place in self._places:
            if shared[place : place + 16] != _NOBODY and self._read(place).kept_until <= now:
                self._remove(place)
        self._sum_up()

    def _remove(self, place: int) -> None:
        self._wipe(place)
        self._slots.shared[place : place + _SLOT.size] = bytes(_SLOT.size)

    def _wipe(self, place: int) -> None:
        """Writes zeros over what is kept there; where that cannot be, all is let go."""
        begin = self._places.index(place) * MOST_NOTED * _PLACE
        whole = min(os.fstat(self._notes).st_size - begin, MOST_NOTED * _PLACE)
        try:
            if whole > 0:
                os.pwrite(self._notes, bytes(whole), begin)
        except OSError:
            os.ftruncate(self._notes, 0)
