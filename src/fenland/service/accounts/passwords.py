"""Passwords: kept as Argon2 hashes (RFC 9106), and compared in the same time whoever asks."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from fenland.core.problems import Problem, TooMany

SHORTEST, LONGEST = 10, 200

_HASHER = PasswordHasher()
#: Passwords that are worked on at a time in one process: each takes a processor and 64 MiB for a while. Who
#: waits longer than so many seconds for a place is told to come again.
_AT_ONCE, _LONGEST_WAIT = 2, 5.0
_places = threading.BoundedSemaphore(_AT_ONCE)


@contextmanager
def _place() -> Iterator[None]:
    if not _places.acquire(timeout=_LONGEST_WAIT):
        raise TooMany("Too many are signing in at the moment. Try again.", headers={"Retry-After": "5"})
    try:
        yield
    finally:
        _places.release()


def hashed(password: str) -> str:
    """What is kept of a password. Raises `TooMany`."""
    with _place():
        return _HASHER.hash(password)


@lru_cache(1)
def _nobodys() -> str:
    return _HASHER.hash("nobody has this one")


def matches(password: str, kept: str | None) -> bool:
    """Whether this is the password of which the hash is kept; without one, no, after as much work.

    Raises `TooMany`.
    """
    try:
        with _place():
            return _HASHER.verify(kept or _nobodys(), password) and kept is not None
    except (VerificationError, InvalidHashError):
        return False


def problems_of(password: str) -> list[Problem]:
    """What is wrong with a password that somebody wants."""
    if SHORTEST <= len(password) <= LONGEST:
        return []
    detail = f"Must be of {SHORTEST} to {LONGEST} characters; several words make a good one."
    return [Problem("/password", "length", detail)]
