"""Seeing why: what a rule says of an actor and a record, part by part, and what rules say of each role."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.definitions.model import (
    EVERYONE,
    FIELD_RIGHTS,
    OWNER,
    RIGHTS,
    Collection,
    FieldRight,
    Right,
    Rule,
)
from fenland.core.expressions import EvaluationError, compiled
from fenland.core.expressions.reducing import reducer
from fenland.core.expressions.tree import Call, Constant, Logic, Name, Node, Select, with_parts
from fenland.core.expressions.writing import written

#: What names stand for; evaluating with it says what an expression is.
Names = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a condition that decided, and what it said; None where it has no value, and then why."""

    text: str
    value: bool | None
    why: str = ""

    def as_json(self) -> dict[str, Any]:
        """For answers."""
        return {"part": self.text, "value": self.value, **({"why": self.why} if self.why else {})}


def truth_of(node: Node, names: Names) -> tuple[bool | None, str]:
    """What a condition says, and why it says nothing."""
    try:
        found = compiled(node)(names)
    except EvaluationError as error:
        return None, str(error)
    return (found, "") if isinstance(found, bool) else (None, "It is neither true nor false.")


def deciding(node: Node, names: Names) -> Iterator[Part]:
    """The parts that decide what a condition says: what settles a `&&` or `||`; else what failed; or all."""
    value, why = truth_of(node, names)
    if isinstance(node, Logic):
        settling = node.operator == "||"
        settled = [part for part in node.parts if truth_of(part, names)[0] is settling]
        failed = [part for part in node.parts if truth_of(part, names)[0] is None]
        for part in settled[:1] or failed or node.parts:
            yield from deciding(part, names)
    elif isinstance(node, Call) and node.name == "!_" and isinstance(node.arguments[0], Logic):
        yield from deciding(node.arguments[0], names)
    else:
        yield Part(written(node), value, why)


# --- rules by role ----------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Cell:
    """What somebody may: `always`, `never`, `where` a condition holds, `owner` where the record is theirs."""

    may: str
    condition: str = ""

    def as_json(self) -> dict[str, str]:
        """For answers."""
        return {"may": self.may, **({"if": self.condition} if self.condition else {})}


_NEVER = Cell("never")


def matrix(collection: Collection, roles: tuple[str, ...]) -> dict[str, Any]:
    """For each role, and for who has none: what they may do with records, and with fields that have rules."""
    return {
        "rights": list(RIGHTS),
        "roles": [{"role": role, "rights": _rights(collection.access, role)} for role in (*roles, None)],
        "fields": [
            {
                "field": name,
                "title": item.label,
                "roles": [
                    {"role": role, "rights": _field_rights(item.access, role)} for role in (*roles, None)
                ],
            }
            for name, item in collection.fields.items()
            if item.access
        ],
        "rules": {right: _rule_json(rule) for right, rule in collection.access.items()},
        "checks": [
            {"rule": check.rule.text, "message": check.message, "fields": list(check.fields)}
            for check in collection.checks
        ],
    }


def _rights(access: Mapping[Right, Rule], role: str | None) -> dict[str, Any]:
    return {right: _cell(access.get(right), role).as_json() for right in RIGHTS}


def _field_rights(access: Mapping[FieldRight, Rule], role: str | None) -> dict[str, Any]:
    return {right: _field_cell(access, right, role).as_json() for right in FIELD_RIGHTS}


def _rule_json(rule: Rule) -> dict[str, Any]:
    return {"rule": str(rule), "file": rule.file, "line": rule.line}


def _field_cell(access: Mapping[FieldRight, Rule], right: FieldRight, role: str | None) -> Cell:
    rule = access.get(right) or (access.get("update") if right == "create" else None)
    # What no rule of the field forbids is as the record's rules have it.
    return Cell("as the record") if rule is None else _cell(rule, role)


def _cell(rule: Rule | None, role: str | None) -> Cell:
    if rule is None:
        return _NEVER
    listed = rule.grants is None or EVERYONE in rule.grants or role in rule.grants
    owned = not listed and rule.grants is not None and OWNER in rule.grants
    if not listed and not owned:
        return _NEVER
    if rule.condition is None:
        return Cell("owner" if owned else "always")
    rest = reducer(_with_role(rule.condition.tree, role), frozenset())({})
    if isinstance(rest, Constant):
        return Cell("owner" if owned else "always") if rest.value is True else _NEVER
    return Cell("owner" if owned else "where", written(rest))


def _with_role(node: Node, role: str | None) -> Node:
    """The condition for somebody of whom only the role is known."""
    if isinstance(node, Select) and node.field == "roles" and node.operand == Name("actor", node.operand.at):
        return Constant([] if role is None else [role], "", node.at)
    return with_parts(node, lambda part: _with_role(part, role))
