"""Lists that were answered, for whoever asks the same again while nothing has changed.

What an answer is found by is its entity tag, which stands for who asks, for what, and the last change of all
that the list may depend on (`service/records/freshness.py`). So it is found by nobody who would not be given
the same, and no more once anything has moved. Only what has such a tag may be kept here.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from threading import Lock

from cachetools import TTLCache

from fenland.web.http.answers import Answer

#: Characters, or bytes, of what is kept of an answer besides its body: its tag, its headers.
_BESIDE = 500
#: Seconds for which an answer is kept: what is erased is not to stay in memory for long, though nobody is
#: given it any more.
KEPT_SECONDS = 60.0


class Remembered:
    """Answers, up to so many bytes: those that nobody has asked for longest go first."""

    def __init__(self, most: int, clock: Callable[[], float] = time.monotonic) -> None:
        """`most` is in bytes; 0 keeps none. `clock` gives seconds."""
        self._kept: TTLCache[str, Answer] = TTLCache(most, KEPT_SECONDS, clock, _size)
        # A look-up moves what it finds to the end.
        self._lock = Lock()

    def find(self, tag: str) -> Answer | None:
        """The answer that this tag stands for, if it is kept; what is too old goes."""
        with self._lock:
            self._kept.expire()
            return self._kept.get(tag)

    def keep(self, tag: str, answer: Answer) -> None:
        """Keeps an answer, unless it is larger than a tenth of all that may be kept."""
        if _size(answer) * 10 <= self._kept.maxsize:
            with self._lock:
                self._kept[tag] = answer


def _size(answer: Answer) -> int:
    return len(answer.body or b"") + _BESIDE
