"""Identifiers made from what the caller supplies: this room reads neither clock nor dice."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

#: Ticks in a millisecond: what the twelve bits behind the milliseconds of a UUID can tell apart.
TICKS = 1 << 12


def uuid7(ticks: int, random: bytes) -> str:
    """A UUID version 7 (RFC 9562 section 5.7, method 3 of 6.2): Unix time in ticks, and eight random bytes.

    Those of growing ticks sort in that order.
    """
    milliseconds, part = divmod(ticks, TICKS)
    number = (milliseconds & (1 << 48) - 1) << 80 | 0x7 << 76 | part << 64
    number |= 0x2 << 62 | int.from_bytes(random[:8]) & (1 << 62) - 1
    digits = f"{number:032x}"
    return f"{digits[:8]}-{digits[8:12]}-{digits[12:16]}-{digits[16:20]}-{digits[20:]}"


def time_of(uuid: str) -> str:
    """When a UUID of `uuid7` was made, as records keep it: to the microsecond, where it was alone in one."""
    digits = uuid.replace("-", "")
    ticks = int(digits[:12], 16) * TICKS + int(digits[13:16], 16)
    return timestamp(datetime.fromtimestamp(0, UTC) + timedelta(microseconds=-(-ticks * 1000 // TICKS)))


def timestamp(moment: datetime) -> str:
    """The one spelling of a moment: RFC 3339 in UTC with six digits, so that text order is time order."""
    if moment.tzinfo is not UTC:
        moment = moment.astimezone(UTC)
    return moment.isoformat(timespec="microseconds")[:26] + "Z"


#: An entity tag, with or without its quotes.
_ETAG = re.compile(
    r'"?(?P<id>[0-9a-fA-F-]{36})\.(?P<version>[0-9]{1,18})(?P<moved>-[0-9]{1,9})?(?:\.[0-9a-f]{16})?"?'
)


#: How answers are compressed, as entity tags tell it; what is preferred stands first.
CODINGS = ("zstd", "gzip")
_CODED = re.compile(rf'\+(?:{"|".join(CODINGS)})("?)(?=\s*(?:,|$))')


def etag(record_id: str, version: int, moved: int = 0, part: str = "") -> str:
    """The strong entity tag of a record: id and version, so that a key used again never matches.

    `moved` is the number of the definitions that last moved the collection's records, and `part` stands for
    what of the record is not shown: the same version may be shown otherwise.
    """
    tag = f"{record_id}.{version}-{moved}" if moved else f"{record_id}.{version}"
    return f'"{tag}.{part}"' if part else f'"{tag}"'


def part_tag(others: Iterable[str]) -> str:
    """What stands for a set of names, or of tags, in an entity tag."""
    return hashlib.sha256("\n".join(sorted(others)).encode()).hexdigest()[:16]


def with_part(tag: str, part: str) -> str:
    """The same entity tag of a record, with another part."""
    record_id, version, *_ = tag.strip('"').split(".")
    return f'"{record_id}.{version}.{part}"'


def coded_tag(tag: str, coding: str) -> str:
    """The entity tag of a compressed answer: a strong one is another (RFC 9110 section 8.8.3.3)."""
    return f'{tag[:-1]}+{coding}"' if tag.startswith('"') else tag


def uncoded_tag(tag: str) -> str:
    """The entity tag that this was before the answer was compressed; of a list of tags each."""
    return _CODED.sub(r"\1", tag)


def etag_alone(tag: str) -> str:
    """The entity tag of the record itself, whatever of it was shown, with what, and under which definitions.

    It is what preconditions of a change are compared by: to move a record is to change nothing of it.
    """
    found = read_etag(tag)
    return tag if found is None else etag(*found)


def read_etag(text: str) -> tuple[str, int] | None:
    """The id and the version in an entity tag, its quotes or not; None where it is none of ours."""
    found = _ETAG.fullmatch(uncoded_tag(text))
    return None if found is None else (found["id"].lower(), int(found["version"]))
