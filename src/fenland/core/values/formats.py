"""Formats: texts of a checked kind. Each reader returns the one spelling kept, or None for a refusal.

Equal moments, identifiers and days have one spelling each once read, so that text compares as the
values do: in a difference, in an index and in a sort.
"""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable, Mapping
from datetime import date, datetime, timedelta, timezone

from fenland.core.values.identity import timestamp

_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_DATE_TIME = re.compile(
    r"([0-9]{4}-[0-9]{2}-[0-9]{2})[Tt]([0-9]{2}):([0-9]{2}):([0-9]{2})(?:\.([0-9]+))?"
    r"(?:[Zz]|([+-])([0-9]{2}):([0-9]{2}))"
)
_UUID = re.compile(r"[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}")
_ATEXT = r"[A-Za-z0-9!#$%&'*+/=?^_`{|}~-]+"
_LABEL = r"[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?"
_EMAIL = re.compile(rf"(?=.{{1,254}}\Z)(?=[^@]{{1,64}}@){_ATEXT}(?:\.{_ATEXT})*@{_LABEL}(?:\.{_LABEL})*")
_URI = re.compile(
    r"[A-Za-z][A-Za-z0-9+.-]*:"
    r"(?://(?:[A-Za-z0-9._~!$&'()*+,;=:%-]*@)?(?:\[[0-9A-Fa-f:.]+\]|[A-Za-z0-9._~!$&'()*+,;=%-]*)(?::[0-9]*)?(?=[/?#]|\Z))?"
    r"[A-Za-z0-9._~!$&'()*+,;=:@%/-]*(?:\?[A-Za-z0-9._~!$&'()*+,;=:@%/?-]*)?(?:#[A-Za-z0-9._~!$&'()*+,;=:@%/?-]*)?"
)
_BAD_ESCAPE = re.compile(r"%(?![0-9A-Fa-f]{2})")


def read_date(text: str) -> str | None:
    """A full-date of RFC 3339 section 5.6."""
    if not _DATE.fullmatch(text):
        return None
    try:
        date.fromisoformat(text)
    except ValueError:
        return None
    return text


def read_date_time(text: str) -> str | None:
    """A date-time of RFC 3339 section 5.6, in UTC with six digits of the second.

    More than six digits are refused unless they are zeros, and so are leap seconds: neither could
    be kept as it was sent.
    """
    parts = _DATE_TIME.fullmatch(text)
    if parts is None:
        return None
    day, hour, minute, second, fraction, sign, off_hour, off_minute = parts.groups()
    fraction = (fraction or "").ljust(6, "0")
    if fraction[6:].strip("0") or (off_hour and int(off_hour) > 23) or (off_minute and int(off_minute) > 59):
        return None
    offset = timedelta(hours=int(off_hour or 0), minutes=int(off_minute or 0))
    zone = timezone(-offset if sign == "-" else offset)
    try:
        start = datetime.fromisoformat(day)
        moment = start.replace(
            hour=int(hour), minute=int(minute), second=int(second), microsecond=int(fraction[:6]), tzinfo=zone
        )
        return timestamp(moment)
    except (ValueError, OverflowError):
        return None


def read_uuid(text: str) -> str | None:
    """A UUID as text, by RFC 9562 section 4, lower case."""
    return str(uuid.UUID(text)) if _UUID.fullmatch(text) else None


def read_email(text: str) -> str | None:
    """A dot-atom address, by RFC 5321 section 4.1.2; quoted local parts are refused."""
    return text if _EMAIL.fullmatch(text) else None


def scheme_of(uri: str) -> str:
    """The scheme of a URI, in lower case (RFC 3986 section 3.1)."""
    return uri.partition(":")[0].lower()


def read_uri(text: str) -> str | None:
    """A URI with its scheme, by the characters of RFC 3986."""
    return text if _URI.fullmatch(text) and not _BAD_ESCAPE.search(text) else None


#: format → (reader, what a person should write).
READERS: Mapping[str, tuple[Callable[[str], str | None], str]] = {
    "date": (read_date, "a date such as 2031-04-09"),
    "date-time": (
        read_date_time,
        "a moment such as 2031-04-09T14:30:00Z, with at most six digits after the second",
    ),
    "uuid": (read_uuid, "a UUID such as 018f3c1e-7b2a-7cc0-9a51-3f0f3d1c2b4a"),
    "email": (read_email, "an e-mail address such as name@firm.example"),
    "uri": (read_uri, "a URI such as https://firm.example/page"),
}
