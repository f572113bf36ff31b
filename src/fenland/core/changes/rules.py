"""A collection's rules, compiled: what an update means between the patch and the difference.

The steps of an update that need the definition live here, each a method named for what it does;
`service/records/update.py` calls them in order. Every step adds to one list of problems, so that the caller
of the service hears of all at once.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

from fenland.core.access.field_access import PROTECTIONS, FieldAccess
from fenland.core.changes.edits import Edits
from fenland.core.changes.patches import MergePatch, Patch, merge
from fenland.core.consequences.calling import CalledCheck
from fenland.core.consequences.deriving import Derivations
from fenland.core.consequences.effects import Beginnings, Effects
from fenland.core.definitions.model import Blank, Collection, Field
from fenland.core.definitions.model import Check as CheckRule
from fenland.core.definitions.validation import HIGHEST_INTEGER, REFUSED, Check, compile_nullable
from fenland.core.expressions import EvaluationError, compiled
from fenland.core.expressions.tree import paths_in
from fenland.core.names import did_you_mean
from fenland.core.problems import MOST_PROBLEMS, Malformed, Problem, pointer_to
from fenland.core.reserved import RESERVED
from fenland.core.values.formats import scheme_of
from fenland.core.values.plain import MISSING, same

#: What a blank may mean for a whole request.
BLANKS: tuple[Blank, ...] = ("store", "keep", "clear", "reject")

_SERVER_KEPT = "is kept by the service and cannot be set"


class Before(NamedTuple):
    """A record before it is changed: as it is stored, and as who changes it last knew it."""

    stored: Mapping[str, Any]
    seen: Mapping[str, Any]


class Rules:
    """The compiled rules of one collection."""

    def __init__(self, collection: Collection) -> None:
        self.collection = collection
        self._checks = {name: compile_nullable(item) for name, item in collection.fields.items()}
        if collection.key in self._checks:
            self._checks[collection.key] = _fit_for_addresses(self._checks[collection.key])
        self._pointers = {name: pointer_to(name) for name in collection.fields}
        self._conditions = [
            (check, compiled(check.rule.tree)) for check in collection.checks if check.call is None
        ]
        self._called = [
            CalledCheck(check, check.call, collection) for check in collection.checks if check.call
        ]
        self._with_uris = [name for name, item in collection.fields.items() if _holds_uris(item)]
        # Of those that are derived, more is said where they cannot be.
        self._required = tuple(
            item for item in collection.fields.values() if item.required and item.derived is None
        )
        self.derivations, self.effects = Derivations(collection), Effects(collection)
        self.beginnings = Beginnings(collection)
        #: The fields that get the next number of a series.
        self.series = [item for item in collection.fields.values() if item.series is not None]
        #: Whether the service works out anything that new records begin with.
        self.begins = any(item.begins for item in collection.fields.values())
        self._says_blank = any(
            item.blank != "store" or item.properties is not None for item in collection.fields.values()
        )

    # --- what only settings tell ----------------------------------------------------------------

    def check_schemes(
        self, values: Mapping[str, Any], schemes: frozenset[str], problems: list[Problem]
    ) -> None:
        """Adds the problems of URIs whose scheme is not among those that may be kept."""
        for name in self._with_uris:
            if name in values:
                problems += _foreign(self.collection.fields[name], values[name], pointer_to(name), schemes)

    # --- step: blanks -------------------------------------------------------------------------

    def settle_blanks(
        self, fields: Mapping[str, Any], asked: Blank | None, problems: list[Problem]
    ) -> dict[str, Any]:
        """The fields with each blank taken for what its field, or the request, says it means."""
        if asked is None and not self._says_blank:
            return dict(fields)
        return _settle(fields, self.collection.fields, asked, "", problems)

    # --- step: merge --------------------------------------------------------------------------

    def touch(
        self,
        stored: Mapping[str, Any],
        patch: Patch,
        access: FieldAccess,
        asked: Blank | None,
        problems: list[Problem],
    ) -> dict[str, Any]:
        """The new value of each field that a patch touches, blanks taken for what they mean.

        A patch is applied to what its sender may read. What is sent for a part of an object leaves the others
        as they are, also where they may not be read.
        """
        if isinstance(patch, MergePatch):
            return MergePatch(self.settle_blanks(patch.fields, asked, problems)).against(stored, problems)
        if access.hidden and isinstance(patch, Edits):
            fields = self.collection.fields
            patch = replace(patch, unread={name: stored[name] for name in access.hidden if name in fields})
        touched = patch.against(access.shown(dict(stored)), problems)
        # The other formats say what they mean by null, so only an empty text can be a blank there.
        blank = {name: value for name, value in touched.items() if value == ""}
        settled = self.settle_blanks(blank, asked, problems) if blank else {}
        return {
            name: settled.get(name, value)
            for name, value in touched.items()
            if name not in blank or name in settled
        }

    def clear(
        self, stored: Mapping[str, Any], touched: dict[str, Any], places: Iterable[str]
    ) -> dict[str, Any]:
        """The touched fields with some emptied on purpose, which a blank's meaning has no say in.

        A place is a field, or one inside an object with `/` between the steps. Raises `Malformed` for
        one that is also given a value.
        """
        for place in places:
            name, *inner = place.split("/")
            if not inner:
                if touched.get(name) is not None:
                    raise Malformed(f"{name!r} is both given a value and cleared. Send one of them.")
                touched[name] = None
                continue
            whole = touched.get(name, stored.get(name))
            patch: Any = None
            for step in reversed(inner):
                patch = {step: patch}
            touched[name] = merge(whole, patch) if isinstance(whole, dict) else whole
        return touched

    # --- step: fields nobody may set this way -------------------------------------------------

    def drop_protected(
        self, touched: dict[str, Any], access: FieldAccess, before: Before, problems: list[Problem]
    ) -> dict[str, Any]:
        """The touched fields without unknown and protected fields.

        A protected field that is sent as it is stored, or as the caller has seen it, is dropped in
        silence, so that a client may return a whole record; any other adds a problem.
        """
        unknown = [name for name in touched if name not in self._checks]
        protected = [name for name in touched if name in access.protected]
        if not unknown and not protected:
            return touched
        stored, refused = before.stored, {*unknown, *protected}
        for name in unknown:
            if name not in RESERVED:
                hint = did_you_mean(name, self.collection.fields) if len(problems) < MOST_PROBLEMS else ""
                detail = f"There is no field {name!r}. {hint}"
                problems.append(Problem(pointer_to(name), "unknown_field", detail))
            elif not any(same(one.get(name), touched[name]) for one in before):
                detail = f"{name} {_SERVER_KEPT}. Leave it out."
                if name == "version" and not access.creating:
                    detail = (
                        f"The record is at version {stored.get(name)}, not {touched[name]}. "
                        "Read it again, or leave version out."
                    )
                problems.append(Problem(pointer_to(name), "server_kept", detail))
        for name in protected:
            known = () if name in access.hidden else before
            if not any(self._unchanged(name, one, touched[name]) for one in known):
                code = access.protected[name]
                problems.append(Problem(self._pointers[name], code, PROTECTIONS[code]))
        return {name: value for name, value in touched.items() if name not in refused}

    def refuse_unlike(
        self, sent: Mapping[str, Any], record: Mapping[str, Any], access: FieldAccess, problems: list[Problem]
    ) -> None:
        """Adds a problem for each derived field that was sent for a new record as it does not come out."""
        for name, value in sent.items():
            if name in record and (name in access.hidden or not self._unchanged(name, record, value)):
                problems.append(Problem(self._pointers[name], "derived", PROTECTIONS["derived"]))

    def _unchanged(self, name: str, stored: Mapping[str, Any], sent: Any) -> bool:
        value = None if sent is None else self._checks[name](sent, "", [])
        return same(stored.get(name), value)

    # --- step: validate -----------------------------------------------------------------------

    def validate(self, touched: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """The touched fields as they are kept, each checked by its own constraints."""
        checks, pointers = self._checks, self._pointers
        kept = {}
        for name, value in touched.items():
            value = checks[name](value, pointers[name], problems)
            if value is not REFUSED:
                kept[name] = value
        return kept

    def validate_whole(self, record: Mapping[str, Any], problems: list[Problem]) -> None:
        """What is asked of the record as it would be: required fields, and all when it says so."""
        # By field: of one that is wrong inside, nothing more needs to be said.
        known = {"/" + problem.pointer.split("/", 2)[1] for problem in problems if problem.pointer}
        for item in self._required:
            pointer = self._pointers[item.name]
            if record.get(item.name) is None and not item.nullable and pointer not in known:
                problems.append(Problem(pointer, "required", "Must be given. Send a value."))
        if self.collection.revalidate == "whole":
            for name, check in self._checks.items():
                if record.get(name) is not None and self._pointers[name] not in known:
                    check(record[name], self._pointers[name], problems)

    def is_whole(self, record: Mapping[str, Any]) -> bool:
        """Whether a record holds all that it must."""
        return all(record.get(item.name) is not None or item.nullable for item in self._required)

    def run_checks(
        self,
        names: Mapping[str, Any],
        following: Mapping[str, Any],
        before: Mapping[str, Any] | None,
        problems: list[Problem],
        asking: Iterable[str] | None = None,
    ) -> list[Problem]:
        """What the collection's checks say of a record as it would be; `names` are those around it.

        `asking` are fields, of which at least one must be asked for.

        A check that blames a field which is wrong already says nothing more. One that cannot be evaluated
        does not hold. Those that are functions are asked by `run_functions`.
        """
        known, found = {problem.pointer for problem in problems}, list[Problem]()
        for check, holds in self._conditions:
            pointers = [self._pointers[name] for name in check.fields] or [""]
            if not known.isdisjoint(pointers) or (before is None and check.compares):
                continue
            if asking is not None and check.asked.isdisjoint(asking):
                continue
            detail, params = check.message, dict[str, Any]()
            try:
                held = holds({**names, "next": following, "before": before}) is True
            except EvaluationError:
                held = False
                if empty := _empty_in(check, following):
                    detail = f"{detail} (It cannot be decided while {' and '.join(empty)} is empty.)"
                    params["empty"] = empty
            if not held:
                found += [Problem(pointer, check.code, detail, params) for pointer in pointers]
        return found

    def run_functions(
        self, names: Mapping[str, Any], following: Mapping[str, Any], before: Mapping[str, Any] | None
    ) -> list[Problem]:
        """What those checks say of a record that are functions: to be asked once all else is right with it.

        Raises `RuleFailed`, `Unavailable`.
        """
        known = {**names, "next": following, "before": before} if self._called else names
        return [problem for one in self._called for problem in one.problems(known)]

    def typed(self, name: str, value: Any) -> Any:
        """A value as a field, or a reserved one, keeps it; `REFUSED` when it is of another type."""
        if name in RESERVED:
            if name != "version":
                return value if isinstance(value, str) else REFUSED
            fits = type(value) is int and 0 <= value <= HIGHEST_INTEGER
            return value if fits else REFUSED
        return self._checks[name](value, "", []) if value is not None else None

    # --- step: difference ---------------------------------------------------------------------

    def difference(
        self, stored: Mapping[str, Any], kept: Mapping[str, Any], access: FieldAccess
    ) -> dict[str, Any]:
        """The fields whose value is not what is stored.

        One that no answer shows counts as changed whenever it is sent: whether it was would tell its value.
        """
        hidden = access.hidden
        return {
            name: value for name, value in kept.items() if name in hidden or not same(stored[name], value)
        }

    def without_unchanged(
        self, changes: Mapping[str, Any], patch: Patch, seen: Mapping[str, Any], access: FieldAccess
    ) -> dict[str, Any]:
        """The changes that are the caller's: not those of fields sent as the caller had seen them."""
        theirs = dict(changes)
        for name, value in changes.items():
            if name in patch.atomic or name in access.hidden:
                continue
            sent = patch.fields.get(name) if isinstance(patch, MergePatch) else None
            if isinstance(sent, dict):
                # What it would have made of the record as it was seen, whatever others put beside it.
                value = self._checks[name](merge(seen[name], sent), "", [])
            if same(seen[name], value):
                del theirs[name]
        return theirs

    # --- creating -----------------------------------------------------------------------------

    def start_record(
        self, given: Mapping[str, Any], start: Mapping[str, Any], problems: list[Problem]
    ) -> dict[str, Any]:
        """A new record's fields before validation: given, else those of `start`, else default, else null."""
        record: dict[str, Any] = {}
        for name, item in self.collection.fields.items():
            if name in given:
                record[name] = given[name]
            elif start[name] is not None:
                record[name] = start[name]
            elif item.default is not MISSING:
                record[name] = item.default
            else:
                record[name] = None
                if item.required and item.nullable and item.derived is None and not item.begins:
                    problems.append(Problem(self._pointers[name], "required", "Must be given, or null."))
        return record

    def validate_new(self, record: Mapping[str, Any], problems: list[Problem]) -> dict[str, Any]:
        """A new record's fields as they are kept; an absent optional field is null."""
        present = {name: value for name, value in record.items() if value is not None}
        # What was refused is not there: nothing further on has to ask whether a value is of its type.
        return {**dict.fromkeys(record), **self.validate(present, problems)}


def _fit_for_addresses(check: Check) -> Check:
    """The check of a key: it stands in addresses as one segment of a path."""

    def with_address(value: Any, pointer: str, problems: list[Problem]) -> Any:
        kept = check(value, pointer, problems)
        if isinstance(kept, str) and ("/" in kept or kept in ("", ".", "..")):
            detail = "Must not be empty, '.' or '..', nor hold a '/': keys stand in addresses."
            problems.append(Problem(pointer, "key_characters", detail))
        return kept

    return with_address


def _empty_in(check: CheckRule, record: Mapping[str, Any]) -> list[str]:
    """The fields that a check asks of a record as it would be, and that hold nothing."""
    asked = (path.steps[0].name for path in paths_in(check.rule.tree) if path.root == "next" and path.steps)
    return [name for name in dict.fromkeys(asked) if record.get(name) is None]


def _holds_uris(item: Field) -> bool:
    inner = [*(item.properties or {}).values(), *([] if item.items is None else [item.items])]
    return item.format == "uri" or any(map(_holds_uris, inner))


def _foreign(item: Field, value: Any, pointer: str, schemes: frozenset[str]) -> Iterator[Problem]:
    if isinstance(value, str) and item.format == "uri":
        if scheme_of(value) not in schemes:
            known = ", ".join(sorted(schemes))
            detail = f"Must begin with one of the schemes {known}. What browsers would run is not kept."
            yield Problem(pointer, "scheme", detail, {"schemes": sorted(schemes)})
    elif isinstance(value, list) and item.items is not None:
        for place, one in enumerate(value):
            yield from _foreign(item.items, one, f"{pointer}/{place}", schemes)
    elif isinstance(value, dict):
        for name, inner in (item.properties or {}).items():
            if name in value:
                yield from _foreign(inner, value[name], pointer + pointer_to(name), schemes)


def _settle(
    patch: Mapping[str, Any],
    fields: Mapping[str, Field],
    asked: Blank | None,
    pointer: str,
    problems: list[Problem],
) -> dict[str, Any]:
    settled: dict[str, Any] = {}
    for name, value in patch.items():
        item = fields.get(name)
        if item is None:
            settled[name] = value
            continue
        meaning = asked or item.blank
        place = pointer + pointer_to(name)
        if isinstance(value, dict) and item.properties is not None:
            settled[name] = _settle(value, item.properties, asked, place, problems)
        elif value == "" and meaning == "reject":
            problems.append(Problem(place, "blank", "Must not be blank. Send a value, or leave it out."))
        elif value == "" and meaning == "clear":
            settled[name] = None
        elif (value == "" or value is None) and meaning == "keep":
            continue
        else:
            settled[name] = value
    return settled


def lenient(problems: Iterable[Problem]) -> tuple[list[Problem], list[str]]:
    """For `Prefer: handling=lenient`: the problems that remain, and the fields dropped instead."""
    dropped = {"unknown_field", "server_kept", *PROTECTIONS}
    problems = list(problems)
    remaining = [problem for problem in problems if problem.code not in dropped]
    return remaining, [problem.pointer[1:] for problem in problems if problem.code in dropped]
