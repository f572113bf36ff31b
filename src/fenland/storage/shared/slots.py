"""A file of slots that every process on a database maps into its memory: for what need not outlast them."""

from __future__ import annotations

import fcntl
import hashlib
import mmap
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

#: Bytes before the slots: a secret, so that nobody can find out which things share slots.
_SECRET = 32


class Slots:
    """So many slots of a size, all of zeros at first."""

    def __init__(self, path: Path, count: int, size: int) -> None:
        """Raises `OSError` when the file cannot be made."""
        self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        self._count, self._size = count, size
        whole = _SECRET + count * size
        self._lock = threading.Lock()
        with self.alone():
            if os.fstat(self._file).st_size != whole:
                # Written, not only made longer: a hole would have to be filled when a slot is first set
                # through memory, and where the disk is full by then that ends the process.
                os.ftruncate(self._file, 0)
                os.pwrite(self._file, os.urandom(_SECRET) + bytes(whole - _SECRET), 0)
        self.shared = mmap.mmap(self._file, whole)
        self._secret = self.shared[:_SECRET]

    @contextmanager
    def alone(self) -> Iterator[None]:
        """Keeps all other threads and processes out."""
        with self._lock:
            fcntl.flock(self._file, fcntl.LOCK_EX)
            try:
                yield
            finally:
                fcntl.flock(self._file, fcntl.LOCK_UN)

    def digest(self, what: str, size: int = 8) -> bytes:
        """What stands for something in this file, and in no other."""
        return hashlib.blake2b(what.encode(), digest_size=size, key=self._secret).digest()

    def places(self, digest: bytes, tried: int) -> Iterator[int]:
        """Where in `shared` something may stand: so many slots, one after the other."""
        start = int.from_bytes(digest[:8]) % self._count
        for step in range(tried):
            yield _SECRET + (start + step) % self._count * self._size

    def close(self) -> None:
        """Lets go of the file."""
        self.shared.close()
        os.close(self._file)
