"""Counts that all processes on a database share: how often something happened within a window of time.

A small table in a file that every process maps into its memory. Nothing in it outlives its window, so a lost
file is no loss; where too many things are counted at once, the least counted one makes room.
"""

from __future__ import annotations

import fcntl
import hashlib
import mmap
import os
import struct
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from fenland.storage.shared.values import Counted

_SLOTS = 1 << 14
#: A digest of what is counted, when its window ends, and the count.
_SLOT = struct.Struct("<8sII")
#: Bytes before the slots: a secret, so that nobody can find out which things share slots.
_SECRET = 32
#: Slots that one thing may have, one after the other.
_TRIED = 8


class Counters:
    """The table of one database."""

    def __init__(self, path: Path) -> None:
        """Raises `OSError` when the file cannot be made."""
        self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        size = _SECRET + _SLOTS * _SLOT.size
        self._lock = threading.Lock()
        with self._alone():
            if os.fstat(self._file).st_size != size:
                # Written, not only made longer: see `Mark`.
                os.ftruncate(self._file, 0)
                os.pwrite(self._file, os.urandom(_SECRET) + bytes(size - _SECRET), 0)
        self._shared = mmap.mmap(self._file, size)
        self._secret = self._shared[:_SECRET]

    @contextmanager
    def _alone(self) -> Iterator[None]:
        with self._lock:
            fcntl.flock(self._file, fcntl.LOCK_EX)
            try:
                yield
            finally:
                fcntl.flock(self._file, fcntl.LOCK_UN)

    def count(self, what: str, seconds: int, now: float, add: int = 1) -> Counted:
        """Counts it `add` times more; how often that makes, and the seconds until the count begins anew."""
        key = f"{seconds}:{what}".encode()
        digest = hashlib.blake2b(key, digest_size=8, key=self._secret).digest()
        window, gone = divmod(int(now), seconds)
        ends = (window + 1) * seconds
        start = int.from_bytes(digest) % _SLOTS
        with self._alone():
            least, room = 2**32, 0
            for step in range(_TRIED):
                place = _SECRET + (start + step) % _SLOTS * _SLOT.size
                kept, until, times = _SLOT.unpack_from(self._shared, place)
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
            _SLOT.pack_into(self._shared, room, digest, ends, total)
        return Counted(total, seconds - gone)

    def close(self) -> None:
        """Lets go of the file."""
        self._shared.close()
        os.close(self._file)
