"""Reading rules of a definition: who may, and the checks; once the fields of every collection are known.

A rule is a list of roles, `owner` and `everyone`; a condition; or both, as `roles` and `if`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from fenland.core.definitions.calls import read_call
from fenland.core.definitions.catalog import rule_names
from fenland.core.definitions.field_reading import Notes, Path, known_keywords
from fenland.core.definitions.formulas import refuse_derived, refuse_unfit
from fenland.core.definitions.model import (
    EVERYONE,
    FIELD_RIGHTS,
    OWNER,
    RIGHTS,
    Check,
    Collection,
    Field,
    Rule,
)
from fenland.core.expressions import ExpressionMistake, parse
from fenland.core.expressions.checking import Checked, Names, check, check_condition
from fenland.core.expressions.tree import Constant, paths_in
from fenland.core.expressions.types import BOOL, Catalog, FieldType, record_of
from fenland.core.names import NAME, did_you_mean
from fenland.core.values.plain import as_written

#: What each right's rule may speak of.
_RECORDS: Mapping[str, Sequence[str]] = {
    "read": ("record",),
    "create": ("next",),
    "update": ("record", "next"),
    "delete": ("record",),
    "transfer": ("record", "next"),
    "erase": ("record",),
    "pass": ("record",),
    "review": ("record",),
}
#: What is created is judged by what it would be.
_NOT_KNOWN = "A record is not there before it is created. Speak of next."
_LOOKS = "Write a list of roles, owner or everyone, such as [owner, office]; a condition; or roles: and if:."


#: What a rule that is a mapping says, and what a check does.
RULE_WORDS = ("roles", "if")
CHECK_WORDS = ("rule", "call", "message", "code", "fields")


class RuleReader:
    """Reads the rules of one collection."""

    def __init__(self, notes: Notes, collection: Collection, roles: Sequence[str], catalog: Catalog) -> None:
        self._notes = notes
        self._collection = collection
        self._roles = roles
        self._catalog = catalog

    # --- access -------------------------------------------------------------------------------

    def access(self, data: Mapping[str, Any]) -> dict[Any, Rule]:
        """Who may do what with a record, by right."""
        return self._rights(data, ("access",), RIGHTS)

    def field_access(self, item: Field) -> dict[Any, Rule]:
        """Who may do what with a field, by right."""
        path: Path = ("fields", item.name, "access")
        given: Mapping[str, Any] = item.access  # type: ignore[assignment]
        found = self._rights(given, path, FIELD_RIGHTS)
        if item.name == self._collection.key and found.get("read") is not None:
            self._notes.add(
                (*path, "read"),
                f"Field {item.name!r} is the key: it stands in addresses and cannot be kept from readers.",
                "Write who may read the record under access: read.",
            )
        return found

    def _rights(self, data: Mapping[str, Any], path: Path, rights: Sequence[str]) -> dict[Any, Rule]:
        found = {}
        place = "access" if path == ("access",) else f"access of {path[1]}"
        for right, given in known_keywords(data, path, dict.fromkeys(rights), self._notes, place):
            rule = self._rule(right, given, (*path, right))
            if rule is not None:
                found[right] = rule
        return found

    def _rule(self, right: str, given: Any, path: Path) -> Rule | None:
        line = self._notes.source.line(path)
        file = self._notes.source.file
        if isinstance(given, str) and given in (OWNER, EVERYONE, *self._roles):
            what = f"{'.'.join(map(str, path))} is {given!r}, and not a list."
            self._notes.add(path, what, f"Write a list: [{given}].")
            return None
        if isinstance(given, str):
            condition = self._condition(given, path, _RECORDS[right])
            return None if condition is None else Rule(None, condition, file, line)
        if isinstance(given, dict) and given:
            listed = condition = None
            for word, value in known_keywords(given, path, dict.fromkeys(RULE_WORDS), self._notes, right):
                if word == "roles":
                    listed = self._list(right, value, (*path, word))
                elif isinstance(value, str):
                    condition = self._condition(value, (*path, word), _RECORDS[right])
                else:
                    self._notes.add(
                        (*path, word), f"if is {as_written(value)}.", "Write a condition, as a text."
                    )
            return Rule(listed, condition, file, line)
        listed = self._list(right, given, path)
        return None if listed is None else Rule(listed, None, file, line)

    def _list(self, right: str, given: Any, path: Path) -> frozenset[str] | None:
        if not isinstance(given, list) or not all(isinstance(one, str) for one in given):
            self._notes.add(path, f"{'.'.join(map(str, path))} is {as_written(given)}.", _LOOKS)
            return None
        for number, grant in enumerate(given):
            self._grant(right, grant, (*path, number))
        return frozenset(given)

    def _grant(self, right: str, grant: str, path: Path) -> None:
        where = ".".join(map(str, path[:-1]))
        if grant not in (OWNER, EVERYONE, *self._roles):
            known = (OWNER, EVERYONE, *self._roles)
            self._notes.add(
                path,
                f"{where} names {grant!r}, which is no role.",
                did_you_mean(grant, known) + " Roles stand in fenland.toml under roles.",
            )
        elif grant == OWNER and self._collection.owner is None:
            self._notes.add(path, f"{where} names the owner.", "Add owner: with the field that holds it.")
        elif grant == OWNER and right == "create" and path[0] == "access":
            self._notes.add(path, "A record has no owner before it is created.", "Name roles, or everyone.")

    def _condition(self, text: str, path: Path, records: Sequence[str]) -> Checked | None:
        names = rule_names(self._catalog, self._collection.name, records)
        if tuple(records) == _RECORDS["create"]:
            names = replace(names, absent={"record": _NOT_KNOWN})
        try:
            return check_condition(text, parse(text), names)
        except ExpressionMistake as mistake:
            self._notes.add_expression(path, mistake)
            return None

    # --- filling ------------------------------------------------------------------------------

    def moving(self, item: Field) -> Field:
        """The field with what gives its value in records that were there before it was as it is."""
        values = self._moving(item, "values", item.values) if isinstance(item.values, str) else item.values
        return replace(item, fill=self._moving(item, "fill", item.fill), values=values)

    def _moving(self, item: Field, word: str, text: Any) -> Checked | None:
        if text is None:
            return None
        path: Path = ("fields", item.name, word)
        # Of the record alone: what it refers to may be about to change as well.
        own = {name: FieldType(one.type) for name, one in self._catalog[self._collection.name].items()}
        names = Names(
            {"record": record_of(self._collection.name)}, {**self._catalog, self._collection.name: own}
        )
        try:
            found = check(text, parse(text), names)
        except ExpressionMistake as mistake:
            self._notes.add_expression(path, mistake)
            return None
        asked = [one.steps[0].name for one in paths_in(found.tree) if one.steps]
        refuse_derived(asked, self._collection.fields, path, word, self._notes)
        refuse_unfit(found, item, path, word, self._notes)
        return found

    # --- checks -------------------------------------------------------------------------------

    def checks(self, data: Sequence[Any]) -> tuple[Check, ...]:
        """The conditions that a record must meet to be saved."""
        found = []
        for number, given in enumerate(data):
            path: Path = ("checks", number)
            if not isinstance(given, dict):
                self._notes.add(path, f"checks holds {as_written(given)}.", "Each must be a mapping.")
                continue
            known = dict.fromkeys(CHECK_WORDS)
            values = dict(known_keywords(given, path, known, self._notes, "A check"))
            check = self._check(values, path)
            if check is not None:
                found.append(check)
        return tuple(found)

    def _check(self, given: Mapping[str, Any], path: Path) -> Check | None:
        notes = self._notes
        before = len(notes.mistakes)
        call = read_call(notes, given["call"], (*path, "call"), "check") if "call" in given else None
        if "call" in given:
            for word in ("rule", "message"):
                if word in given:
                    what = f"A check calls a function, so {word} has no say."
                    notes.add((*path, word), what, f"Remove {word}, or call.")
        elif not isinstance(given.get("rule"), str):
            notes.add(path, "A check says nothing that must hold.", "Add rule: with a condition over next.")
        if "call" not in given and (not isinstance(given.get("message"), str) or not given["message"]):
            notes.add(
                path, "A check has no message.", "Add message: with what people read when it does not hold."
            )
        code = given.get("code", "check")
        if not isinstance(code, str) or not NAME.fullmatch(code):
            what = f"code is {as_written(code)}."
            notes.add((*path, "code"), what, "Use lower-case letters, digits and _.")
        fields = given.get("fields", [])
        if not isinstance(fields, list):
            notes.add(
                (*path, "fields"), f"fields is {as_written(fields)}.", "Write a list of names of fields."
            )
            fields = []
        for number, name in enumerate(fields):
            if name not in self._collection.fields:
                hint = did_you_mean(str(name), self._collection.fields)
                notes.add(
                    (*path, "fields", number), f"A check blames {as_written(name)}, which is no field.", hint
                )
        if len(notes.mistakes) > before:
            return None
        if call is not None:
            said = Checked(f"{call.name}()", Constant(True, "", 0), BOOL)
            return Check(said, "", code, tuple(fields), call)
        rule = self._condition(given["rule"], (*path, "rule"), ("next", "before"))
        if rule is None:
            return None
        return Check(rule, given["message"], code, tuple(fields))
