"""Finding one record for an actor: what every use case about a single record begins with."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller, Sight
from fenland.core.definitions.model import Right
from fenland.core.definitions.validation import REFUSED
from fenland.core.names import did_you_mean
from fenland.core.problems import (
    Malformed,
    NotFound,
    NotPermitted,
    Problem,
    VersionMismatch,
    VersionRequired,
)
from fenland.core.values.identity import etag, etag_alone, read_etag
from fenland.core.values.texts import read_text
from fenland.service.service import Resource
from fenland.service.work import View

_VERB_PHRASES: Mapping[Right, str] = {
    "create": "create records here",
    "update": "change this record",
    "delete": "delete this record",
    "erase": "erase anything of this record",
}


@dataclass(frozen=True, slots=True)
class Address:
    """Where a record is: its collection, and its key or the value of another unique field."""

    collection: str
    value: str
    field: str | None = None


@dataclass(frozen=True, slots=True)
class Preconditions:
    """RFC 9110 section 13: entity tags that must, or must not, be the record's. `*` is any."""

    match: tuple[str, ...] | None = None
    none_match: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class Base:
    """What the caller of a change was looking at: a version, and of which record when they said so."""

    version: int
    record_id: str | None = None


#: How long a reason may be, in characters.
LONGEST_REASON = 500


def checked_reason(reason: str | None) -> str | None:
    """Why a change is made, or None for an empty one. Raises `Malformed`."""
    if reason is not None and len(reason) > LONGEST_REASON:
        raise Malformed(f"reason is {len(reason)} characters long. Use at most {LONGEST_REASON}.")
    if reason is not None and "\0" in reason:
        raise Malformed("reason holds the character U+0000. Remove it.")
    return reason or None


def demand_reason(caller: Caller, resource: Resource, reason: str | None, problems: list[Problem]) -> None:
    """Adds the problem of a change that says no reason, where the collection demands one. Rules need none."""
    if reason is None and not caller.by_rule and resource.collection.reason == "required":
        name = resource.collection.name
        problems.append(
            Problem("", "reason", f"Changes to {name} must say why they are made. Send the parameter reason.")
        )


#: No precondition at all.
UNCONDITIONAL = Preconditions()


def lookup_value(resource: Resource, field: str, text: str) -> Any:
    """The value that a part of a URL names in a unique field; None where it can name none."""
    if field == "id":
        return text.lower()
    try:
        value = resource.rules.typed(field, read_text(resource.collection.fields[field].type, text))
    except ValueError:
        return None
    return None if value is REFUSED else value


def lookup_field(resource: Resource, address: Address) -> str:
    """The field an address looks in. Raises `NotFound` when it is not a unique one."""
    field = address.field or resource.collection.key
    unique = ["id", *(name for name, item in resource.collection.fields.items() if item.unique)]
    if field not in unique:
        hint = did_you_mean(field, unique)
        raise NotFound(f"Records of {address.collection} cannot be found by {field!r}. {hint}")
    return field


def find(view: View, caller: Caller, address: Address) -> tuple[Resource, Record]:
    """The record at an address, as stored, with its collection.

    Raises `NotFound`, also for a record the caller may not read. What is shown of it, `Policy.fields` says.
    """
    resource = view.resource(address.collection)
    record = _looked_up(view, resource, address)
    sight = view.sight(caller)
    if record is None or not resource.policy.may("read", sight, record):
        raise not_there(address)
    if address.field is not None and address.field in resource.policy.fields(sight, record).hidden:
        # Who may not read a field cannot find out by it, either.
        raise not_there(address)
    return resource, record


def find_any(view: View, resource: Resource, address: Address) -> Record:
    """The record at an address, whoever asks. Raises `NotFound`."""
    record = _looked_up(view, resource, address)
    if record is None:
        raise not_there(address)
    return record


def _looked_up(view: View, resource: Resource, address: Address) -> Record | None:
    field = resource.collection.key if address.field is None else lookup_field(resource, address)
    value = lookup_value(resource, field, address.value)
    return None if value is None else view.find(resource, field, value)


def not_there(address: Address) -> NotFound:
    """The one answer for "is not there" and "is not for you to see"."""
    where = f"{address.field} {address.value!r}" if address.field else repr(address.value)
    return NotFound(f"There is no {where} in {address.collection} that you may see.")


def permit(
    right: Right, resource: Resource, sight: Sight, record: Record | None, following: Record | None = None
) -> None:
    """Raises `NotPermitted` unless the record may be changed so, as it is stored and as it would be."""
    actor = sight.actor
    if not resource.policy.may(right, sight, record, following):
        raise NotPermitted(
            f"{actor.title or actor.name} may not {_VERB_PHRASES[right]}. "
            "Ask its owner, or somebody whose role allows it."
        )


def meet(view: View, preconditions: Preconditions, resource: Resource, record: Record) -> None:
    """Raises `VersionMismatch` or `VersionRequired` unless the preconditions hold (RFC 9110, 13.1).

    What was merely derived since is no obstacle.
    """
    match, none_match = preconditions.match, preconditions.none_match
    if match is None and none_match is None:
        if resource.collection.if_match == "required":
            raise VersionRequired(
                f"Changes to {resource.collection.name} must say which version they were made from. "
                "Send If-Match with the ETag you were given."
            )
        return
    if match is not None and "*" not in match and not _matches(view, match, record):
        raise VersionMismatch(
            f"The record is at version {record['version']} now, which is not the one you saw. "
            "Read it again and decide anew.",
            version=record["version"],
        )
    tag = etag(record["id"], record["version"])
    # This one compares weakly (RFC 9110 section 13.1.2), the other strongly.
    weak = [etag_alone(one.removeprefix("W/")) for one in none_match or ()]
    if "*" in weak or tag in weak:
        raise VersionMismatch(
            f"The record is there, at version {record['version']}.", version=record["version"]
        )


def _matches(view: View, tags: Iterable[str], record: Record) -> bool:
    """Whether one of these tags is the record's, or one since which it was merely derived."""
    found = [read_etag(tag) for tag in tags]
    versions = [one[1] for one in found if one is not None and one[0] == record["id"]]
    newest = max((one for one in versions if one <= record["version"]), default=0)
    return newest == record["version"] or (newest > 0 and newest >= view.settled(record))
