"""Tokens seen lately and the accounts they stand for, so that most requests need not look them up.

What is remembered is never older than the accounts are: whoever changes an account or a token, in
whatever process, first and last renews a mark in memory that all processes on the database share,
and nothing remembered under another mark is believed. Should a process die between its commit and
its last renewal, the age limit still ends what was read before.
"""

from __future__ import annotations

import mmap
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import NamedTuple

from fenland.storage.shared.accounts.accounts import token_hash
from fenland.storage.shared.growth import Growth
from fenland.storage.shared.values import Admission

#: How long an account may be remembered; only a crash makes this matter.
LONGEST = timedelta(seconds=5)

_MOST = 4096
_BYTES = 8
#: Behind the mark, the number of the definitions that last moved records; and where the history ends.
_NUMBER, _END = slice(_BYTES, 2 * _BYTES), slice(2 * _BYTES, 3 * _BYTES)
_WHOLE = 3 * _BYTES


class Mark:
    """Eight bytes in a file, mapped into every process that opens it; and two numbers behind them."""

    def __init__(self, path: Path) -> None:
        """Raises `OSError` when the file cannot be made."""
        file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            # Written, not only made longer: a hole would have to be filled when the mark is first
            # set through memory, and where the disk is full by then that ends the process.
            if os.fstat(file).st_size < _BYTES:
                os.pwrite(file, os.urandom(_BYTES), 0)
            if (size := os.fstat(file).st_size) < _WHOLE:
                os.pwrite(file, bytes(_WHOLE - size), size)
            self._shared = mmap.mmap(file, _WHOLE)
        finally:
            os.close(file)

    def read(self) -> bytes:
        """The mark as it is now."""
        return self._shared[:_BYTES]

    def renew(self) -> None:
        """Sets a mark that was never there before."""
        self._shared[:_BYTES] = os.urandom(_BYTES)

    @property
    def number(self) -> int:
        """The number of the definitions that last moved records, as whoever moved them has set it."""
        return int.from_bytes(self._shared[_NUMBER])

    @number.setter
    def number(self, value: int) -> None:
        self._shared[_NUMBER] = value.to_bytes(_BYTES)

    @property
    def end(self) -> int:
        """The sequence of the last entry, as whoever committed it has set it."""
        return int.from_bytes(self._shared[_END])

    @end.setter
    def end(self, sequence: int) -> None:
        self._shared[_END] = sequence.to_bytes(_BYTES)

    def close(self) -> None:
        """Lets go of the file."""
        self._shared.close()


class SharedGrowth(Growth):
    """`Growth` of all processes on the database: the end stands in the mark."""

    def __init__(self, mark: Mark) -> None:
        super().__init__()
        self._mark = mark

    @property
    def end(self) -> int:
        """See `Growth`."""
        return self._mark.end

    @end.setter
    def end(self, sequence: int) -> None:
        self._mark.end = sequence


#: Gives whom a token's hash lets in, and the moment until which that may be remembered.
LookUp = Callable[[str], tuple[Admission, str] | None]


class _Known(NamedTuple):
    mark: bytes
    found: Admission
    until: str


class KnownTokens:
    """The tokens seen lately in this process. Only their hashes are kept."""

    def __init__(self, mark: Mark) -> None:
        self._mark = mark
        self._known: dict[str, _Known] = {}
        #: When tokens were last used, by their hashes; until that is kept.
        self.uses: dict[str, str] = {}

    def admitted(self, token: str, now: str, look_up: LookUp, *, used: bool = True) -> Admission | None:
        """Whom a token lets in, remembered or looked up by the token's hash; noted where it is `used`."""
        # Read before looking: a change in between leaves what was found under a mark that is past.
        mark = self._mark.read()
        digest = token_hash(token)
        known = self._known.get(digest)
        if known is not None and known.mark == mark and now < known.until:
            if used:
                self.uses[digest] = now
            return known.found
        found = look_up(digest)
        if found is None:
            self._known.pop(digest, None)
            return None
        if len(self._known) >= _MOST:
            self._known.clear()
        admission, until = found
        self._known[digest] = _Known(mark, admission, until)
        if used:
            self.uses[digest] = now
        return admission

    @contextmanager
    def changing(self) -> Iterator[None]:
        """Wraps a change of accounts or tokens and its commit."""
        self._mark.renew()
        try:
            yield
        finally:
            self._mark.renew()
