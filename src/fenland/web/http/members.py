"""Small bodies: a JSON object of a few members, of which none is unknown."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from fenland.core.changes.patches import read_object
from fenland.core.definitions.validation import kind_of
from fenland.core.names import did_you_mean
from fenland.core.problems import Invalid, Malformed, Problem, UnsupportedMedia, pointer_to
from fenland.core.values.plain import read_json
from fenland.web.http.body import JSON, body_of, check_coding
from fenland.web.http.calls import Call

#: A member of a body: whether a value fits, and how it must look.
Member = tuple[Callable[[Any], bool], str]

TEXT: Member = (lambda one: isinstance(one, str), "a text")
FLAG: Member = (lambda one: isinstance(one, bool), "true or false")
OBJECT: Member = (lambda one: isinstance(one, dict), "an object")
NAMES: Member = (
    lambda one: isinstance(one, list) and all(isinstance(name, str) for name in one),
    "a list of names",
)
DAYS: Member = (
    lambda one: one is None or (type(one) is int and 1 <= one <= 36_500),
    "a whole number of days from 1 to 36500, or null",
)
MINUTES: Member = (
    lambda one: type(one) is int and 1 <= one <= 1_440,
    "a whole number of minutes from 1 to 1440",
)
SECRET: Member = (lambda one: one is None or isinstance(one, str), "a text, or null for none")
ANYTHING: Member = (lambda _one: True, "a scope")


def object_of(call: Call, *known: str) -> dict[str, Any]:
    """The JSON object that a request holds; an empty body is one without members. Raises `Malformed`."""
    body = body_of(call.request, call.limits)
    if not body:
        return {}
    sent = read_json(body, call.limits)
    if not isinstance(sent, dict):
        raise Malformed("The body must be a JSON object.")
    for name in sent:
        if name not in known:
            raise Malformed(f"The body holds {name[:80]!r}. It may hold {', '.join(known)}.")
    return sent


def text_in(sent: Mapping[str, Any], name: str) -> str | None:
    """A text among the members of a body. Raises `Malformed`."""
    value = sent.get(name)
    if name in sent and not isinstance(value, str):
        raise Malformed(f"{name} must be a text.")
    return value


def flag_in(sent: Mapping[str, Any], name: str, *, default: bool) -> bool:
    """True or false among them. Raises `Malformed`."""
    value = sent.get(name, default)
    if not isinstance(value, bool):
        raise Malformed(f"{name} must be true or false.")
    return value


def sent_members(call: Call, members: Mapping[str, Member], *needed: str) -> dict[str, Any]:
    """The members of a body. Raises `UnsupportedMedia`, `Malformed`, `Invalid`."""
    asked = call.request
    if asked.mimetype != JSON and asked.mimetype != "application/merge-patch+json":
        raise UnsupportedMedia(f"The body is of type {asked.mimetype or 'none'}. Send {JSON}.")
    check_coding(asked, JSON)
    found = read_object(body_of(asked, call.limits), call.limits)
    problems = []
    for name, value in found.items():
        if name not in members:
            detail = f"There is no {name!r} here. {did_you_mean(name, members)}"
            problems.append(Problem(pointer_to(name), "unknown_field", detail))
        elif not members[name][0](value):
            detail = f"Must be {members[name][1]}, not {kind_of(value)}."
            problems.append(Problem(pointer_to(name), "type", detail))
        elif isinstance(value, str) and "\0" in value:
            problems.append(Problem(pointer_to(name), "characters", "Must not hold U+0000."))
    for name in needed:
        if name not in found:
            problems.append(Problem(pointer_to(name), "required", "Must be given. Send a value."))
    if problems:
        raise Invalid(problems)
    return found
