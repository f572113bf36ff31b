"""Passwords: kept as Argon2 hashes (RFC 9106), and compared in the same time whoever asks."""

from __future__ import annotations

from functools import lru_cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from fenland.core.problems import Problem

SHORTEST, LONGEST = 10, 200

_HASHER = PasswordHasher()


def hashed(password: str) -> str:
    """What is kept of a password."""
    return _HASHER.hash(password)


@lru_cache(1)
def _nobodys() -> str:
    return _HASHER.hash("nobody has this one")


def fits(password: str, kept: str | None) -> bool:
    """Whether this is the password of which the hash is kept; without one, no, after as much work."""
    try:
        return _HASHER.verify(kept or _nobodys(), password) and kept is not None
    except (VerificationError, InvalidHashError):
        return False


def problems_of(password: str) -> list[Problem]:
    """What is wrong with a password that somebody wants."""
    if SHORTEST <= len(password) <= LONGEST:
        return []
    detail = f"Must be of {SHORTEST} to {LONGEST} characters; several words make a good one."
    return [Problem("/password", "length", detail)]
