"""Identifiers made from what the caller supplies: this room reads neither clock nor dice."""

from __future__ import annotations

from datetime import UTC, datetime


def uuid7(milliseconds: int, random: bytes) -> str:
    """A UUID version 7 (RFC 9562 section 5.7) from Unix milliseconds and ten random bytes."""
    number = (milliseconds & (1 << 48) - 1) << 80 | int.from_bytes(random[:10])
    number = number & ~(0xF << 76) | 0x7 << 76
    number = number & ~(0x3 << 62) | 0x2 << 62
    digits = f"{number:032x}"
    return f"{digits[:8]}-{digits[8:12]}-{digits[12:16]}-{digits[16:20]}-{digits[20:]}"


def timestamp(moment: datetime) -> str:
    """The one form of a moment everywhere: RFC 3339 in UTC with six digits, so text order is time order."""
    if moment.tzinfo is not UTC:
        moment = moment.astimezone(UTC)
    return moment.isoformat(timespec="microseconds")[:26] + "Z"


def etag(record_id: str, version: int) -> str:
    """The strong entity tag of a record: id and version, so that a key used again never matches."""
    return f'"{record_id}.{version}"'
