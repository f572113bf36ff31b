"""What is wrong with the files of a project that are watched: told by whoever watches, read by who serves.

A little memory that the processes share which come of one another, so that nothing of it is left behind.
"""

from __future__ import annotations

import mmap
import struct

_LENGTH = struct.Struct("<I")
_ROOM = 32_768


class Mistakes:
    """A text, empty while nothing is wrong. To be made before processes split off."""

    def __init__(self) -> None:
        self._shared = mmap.mmap(-1, _ROOM)

    @property
    def told(self) -> str:
        """What was told last."""
        length = _LENGTH.unpack_from(self._shared)[0]
        return self._shared[_LENGTH.size : _LENGTH.size + length].decode(errors="replace")

    def tell(self, text: str) -> None:
        """Tells what is wrong, or with an empty text that nothing is; of a long text the beginning."""
        content = text.encode()[: _ROOM - _LENGTH.size]
        _LENGTH.pack_into(self._shared, 0, 0)
        self._shared[_LENGTH.size : _LENGTH.size + len(content)] = content
        _LENGTH.pack_into(self._shared, 0, len(content))
