"""The query of a request, parameter by parameter: what is not understood is refused, and nothing guessed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import parse_qsl, quote

from flask import Request

from fenland.core.definitions import Blank
from fenland.core.identity import read_etag, timestamp
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed
from fenland.core.rules import BLANKS
from fenland.service.finding import Base, checked_reason
from fenland.service.listing import LARGEST_PAGE, USUAL_PAGE
from fenland.service.past import When

#: What the query of a list may hold, besides the names of fields.
LIST_PARAMETERS = (
    "where", "q", "sort", "fields", "include", "limit", "cursor", "count", "labels", "at",
    "blank_filters",
)  # fmt: skip


#: What some tools add to every address, so that no cache answers.
_UNCACHED = "_"
#: What a change may ask by its query, too, for tools that send no headers (RFC 7240 has the headers); and how
#: the texts in its body are read.
PREFERENCES = ("lenient", "return", "coerce")


def check_preferences(query: Mapping[str, str]) -> None:
    """Raises `Malformed` for a preference that is none."""
    flag(dict(query), "lenient")
    if query.get("return", "minimal") not in ("minimal", "representation"):
        raise Malformed(f"return is {query['return'][:80]!r}. It must be minimal or representation.")
    if query.get("coerce", "text") != "text":
        raise Malformed(f"coerce is {query['coerce'][:80]!r}. It must be text.")


def without_blanks(
    query: Mapping[str, str], equal: Mapping[str, tuple[str, ...]]
) -> dict[str, tuple[str, ...]]:
    """The fields that a list is filtered by; with `blank_filters=ignore` not those that are given a blank."""
    said = query.get("blank_filters", "keep")
    if said not in ("keep", "ignore"):
        raise Malformed(f"blank_filters is {said[:80]!r}. It must be ignore, or keep.")
    if said == "keep":
        return dict(equal)
    kept = {name: tuple(value for value in values if value) for name, values in equal.items()}
    return {name: values for name, values in kept.items() if values}


def _pairs(request: Request) -> list[tuple[str, str]]:
    sent: str = request.environ.get("QUERY_STRING", "")
    if not sent:
        return []
    try:
        return parse_qsl(sent.encode("latin-1").decode(), keep_blank_values=True, errors="strict")
    except UnicodeError:
        raise Malformed("The query is not UTF-8. Percent-encode the bytes of UTF-8.") from None


def query_and_fields(
    request: Request, known: Sequence[str], fields: Iterable[str]
) -> tuple[dict[str, str], dict[str, tuple[str, ...]]]:
    """The query's parameters, and beside them those named like fields, each with the values it is given.

    A parameter of this name is meant where a field has the same one. Raises `Malformed` as `query_of`.
    """
    pairs, fields = _pairs(request), set(fields).difference(known)
    equal: dict[str, tuple[str, ...]] = {}
    for name, value in pairs:
        if name in fields:
            equal[name] = (*equal.get(name, ()), value)
    others = [(name, value) for name, value in pairs if name not in equal]
    return _once([*known, *fields], others), equal


def query_of(request: Request, *known: str) -> dict[str, str]:
    """The query's parameters. Raises `Malformed` for an unknown one, or one given twice."""
    return _once(known, _pairs(request))


def _once(known: Sequence[str], pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    found: dict[str, str] = {}
    for name, value in pairs:
        if name == _UNCACHED and name not in known:
            continue
        if name not in known:
            raise Malformed(f"There is no query parameter {name!r} here. {did_you_mean(name, known)}")
        if name in found:
            raise Malformed(f"The query parameter {name!r} stands twice. Send it once.")
        found[name] = value
    return found


def query_with(
    query: Mapping[str, str], equal: Mapping[str, Iterable[str]] | None = None, **other: Any
) -> str:
    """The text of a query with some of its parameters set otherwise, and fields with all their values."""
    pairs = [*{**query, **other}.items()]
    pairs += [(name, value) for name, values in (equal or {}).items() for value in values]
    return "&".join(f"{name}={quote(str(value), safe='')}" for name, value in pairs)


def whole_number(query: dict[str, str], name: str, default: int | None) -> int | None:
    """A whole number from the query, or the default. Raises `Malformed`."""
    text = query.get(name)
    if text is None:
        return default
    if not (text.isascii() and text.isdigit() and len(text) < 19):
        raise Malformed(f"{name} is {text!r}. It must be a whole number.")
    return int(text)


def flag(query: dict[str, str], name: str) -> bool:
    """A true or false from the query, false when it is not there. Raises `Malformed`."""
    text = query.get(name, "false")
    if text not in ("true", "false"):
        raise Malformed(f"{name} is {text!r}. It must be true or false.")
    return text == "true"


def blank_of(query: dict[str, str]) -> Blank | None:
    """What blanks shall mean for this request. Raises `Malformed`."""
    text = query.get("blank")
    if text is None:
        return None
    if text not in BLANKS:
        raise Malformed(f"blank is {text!r}. It must be one of {', '.join(BLANKS)}.")
    return text


def base_of(query: dict[str, str]) -> Base | None:
    """What the caller was looking at: a version, or better the entity tag. Raises `Malformed`."""
    text = query.get("base")
    if text is None:
        return None
    if (tag := read_etag(text)) is not None:
        return Base(tag[1], tag[0])
    if not (text.isascii() and text.isdigit() and len(text) < 19):
        raise Malformed(f"base is {text[:80]!r}. It must be a version, or the ETag you were given.")
    return Base(int(text))


def reason_of(query: dict[str, str]) -> str | None:
    """Why a change is made. Raises `Malformed`."""
    return checked_reason(query.get("reason"))


def names_of(query: dict[str, str], name: str) -> tuple[str, ...]:
    """The names in a parameter that lists them by comma. Raises `Malformed`."""
    if name not in query:
        return ()
    names = tuple(part.strip() for part in query[name].split(","))
    if not all(names):
        raise Malformed(f"{name} is {query[name]!r}. It must be names by comma.")
    return names


def page_size(query: dict[str, str]) -> int:
    """How many items a page of a history is to hold. Raises `Malformed`."""
    size = whole_number(query, "limit", USUAL_PAGE) or 0
    if not 1 <= size <= LARGEST_PAGE:
        raise Malformed(f"limit is {query['limit']}. It must be from 1 to {LARGEST_PAGE}.")
    return size


def moment_of(query: Mapping[str, str], name: str) -> str | None:
    """A time in the query, as records keep it; of a day its beginning, or where it ends, its last moment.

    Raises `Malformed`.
    """
    text = query.get(name)
    if text is None:
        return None
    try:
        found = datetime.fromisoformat(text)
        if len(text) == len("2031-04-09"):
            found = found.replace(tzinfo=UTC)
            if name == "to":
                found += timedelta(days=1, microseconds=-1)
        if found.tzinfo is None:
            raise ValueError
        return timestamp(found)
    except (ValueError, OverflowError):
        raise Malformed(
            f"{name} is {text[:80]!r}. It must be a time such as 2031-04-09T12:00:00Z, or a day."
        ) from None


def when_of(query: Mapping[str, str]) -> When:
    """The moment of a record's past that a query names, if any. Raises `Malformed`."""
    version, at = whole_number(dict(query), "version", None), moment_of(query, "at")
    if version is not None and at is not None:
        raise Malformed("version and at name two moments. Send one of them.")
    return When(version, at)
