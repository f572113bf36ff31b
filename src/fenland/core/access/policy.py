"""Who may: the rules of each collection and its fields, compiled once. What nothing grants is denied.

This is the one seam for access: who asks `Policy.may` about one record, `Policy.condition` about many and
`Policy.fields` about fields never looks at roles, owners or rules. All answer from the record as it is
stored, so nobody passes by what they send; a rule that speaks of `next` is judged again once that is known.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from fenland.core.access.conditions import Condition, condition_of
from fenland.core.access.field_access import FieldAccess, Record, field_access
from fenland.core.definitions.catalog import AROUND_RULES
from fenland.core.definitions.model import EVERYONE, OWNER, Collection, FieldRight, Right, Rule
from fenland.core.expressions.evaluation import FOLLOW, Compiled, compiled
from fenland.core.expressions.faults import EvaluationError
from fenland.core.expressions.reducing import Reducer, reducer
from fenland.core.expressions.tree import (
    Call,
    Constant,
    Failure,
    Logic,
    Name,
    Node,
    Path,
    Select,
    Step,
    with_parts,
)
from fenland.core.expressions.types import STRING
from fenland.core.values.plain import write_json

#: Gives the record of a collection that a key names, or None.
Follow = Callable[[str, Any], Mapping[str, Any] | None]
#: Is told of a rule that could not be evaluated, and why.
Failed = Callable[[Rule, str], None]


@dataclass(frozen=True, slots=True)
class Actor:
    """Who is asking: `name` is unique, `title` is for people, `attributes` are for rules."""

    name: str
    title: str = ""
    roles: frozenset[str] = frozenset()
    attributes: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Scope:
    """What of somebody's rights a token or a pass lends: these, in these collections; None is all of them."""

    rights: frozenset[str] | None = None
    collections: frozenset[str] | None = None
    #: Of a pass, by collection, the fields that may be read, and those that may be given a value.
    shows: Mapping[str, frozenset[str]] | None = None
    sets: Mapping[str, frozenset[str]] | None = None

    def allows(self, right: str, collection: str) -> bool:
        """Whether it reaches this far."""
        within = self.collections is None or collection in self.collections
        return within and (self.rights is None or right in self.rights)

    def beyond(self, fields: Iterable[str], collection: str, *, shown: bool) -> frozenset[str]:
        """The fields of a collection that are not to be read, or to be set."""
        within = self.shows if shown else self.sets
        return frozenset() if within is None else frozenset(fields) - within.get(collection, frozenset())

    def as_json(self) -> dict[str, list[str] | None]:
        """For keeping, and for answers."""
        parts = {"rights": self.rights, "collections": self.collections}
        return {name: None if one is None else sorted(one) for name, one in parts.items()}

    @classmethod
    def from_json(cls, data: Mapping[str, list[str] | None]) -> Scope:
        """What `as_json` wrote."""
        rights, collections = data["rights"], data["collections"]
        return cls(
            None if rights is None else frozenset(rights),
            None if collections is None else frozenset(collections),
        )


@dataclass(frozen=True, slots=True)
class ByPass:
    """The pass by which somebody asks who needs no account."""

    number: int
    template: str
    #: Whose rights it lends: an account; or the place of the rule that made it.
    maker: str

    @property
    def name(self) -> str:
        """What stands for it in the history, where names of accounts stand: none of them holds a colon."""
        return pass_name(self.template, self.number)


def pass_name(template: str, number: int) -> str:
    """What stands for a pass in the history."""
    return f"pass:{template}/{number}"


_NO_PASS = {"template": "", "number": 0, "maker": ""}


@dataclass(frozen=True, slots=True)
class Caller:
    """An actor, and how they came: made once for each request, at the edge.

    `client` is the name a client program gave itself, to know its own changes again. `scope` is as far as
    their token reaches. `acting` is who acts, where that is on behalf of the actor.
    """

    actor: Actor
    via: str = "api"
    request_id: str = ""
    client: str | None = None
    scope: Scope | None = None
    acting: Actor | None = None
    #: Whether an outside issuer says who they are: then no account here is theirs.
    outside: bool = False
    #: What let them in, `session` or `token`, until when, and what that itself was made with.
    let_in: str = ""
    until: str | None = None
    made_with: str = ""
    #: Whether a rule acts for them, which may do exactly what it says: nobody's rights are asked.
    by_rule: bool = False
    #: The pass by which they ask; the actor is then who made it, whose rights it lends.
    by_pass: ByPass | None = None

    @property
    def name(self) -> str:
        """In whose name their changes are made."""
        return self.actor.name if self.by_pass is None else self.by_pass.name

    @property
    def sees_as(self) -> Hashable:
        """All that rules of reading can ask of who asks: those with the same see the same."""
        scope = None if self.scope is None else write_json(self.scope.as_json())
        return _known_of(self.actor), _known_of(self.acting), scope, self.by_pass

    @property
    def is_themselves(self) -> bool:
        """Whether they are the account they act as, with all that it may: not in part, nor for another."""
        return self.scope is None and self.acting is None and not self.outside


def _known_of(actor: Actor | None) -> Hashable:
    if actor is None:
        return None
    return actor.name, actor.title, tuple(sorted(actor.roles)), write_json(dict(actor.attributes))


def _names_of(one: ByPass | None) -> Mapping[str, Any]:
    return _NO_PASS if one is None else {"template": one.template, "number": one.number, "maker": one.maker}


#: What no actor can be called: words of rules, and the service itself.
RESERVED_NAMES = frozenset({"owner", EVERYONE, "fenland", "nobody"})


def nothing(_collection: str, _key: Any) -> None:
    """Follows no reference."""
    return


def _unheard(_rule: Rule, _why: str) -> None:
    return None


class Sight:
    """Who asks, when, and how references are followed: what a rule is judged with, besides the record."""

    __slots__ = (
        "_followed",
        "_names",
        "acting",
        "caller",
        "failed",
        "follow",
        "moment",
        "now",
        "today",
        "unchanged",
        "whole",
    )

    def __init__(
        self,
        caller: Caller,
        now: datetime,
        follow: Follow = nothing,
        failed: Failed = _unheard,
        whole: Follow = nothing,
    ) -> None:
        """`follow` gives of a record what rules ask of it, `whole` all of it; `now` has the zone of today."""
        self.caller, self.moment = caller, now
        # Functions of a moment are of UTC where no zone is named.
        self.now, self.today = now if now.tzinfo is UTC else now.astimezone(UTC), now.date()
        self.follow, self.failed, self.whole = follow, failed, whole
        #: The same for who acts, where they act on behalf of the actor.
        self.acting: Sight | None = None
        if caller.acting is not None:
            acting = replace(caller, actor=caller.acting, acting=None)
            self.acting = Sight(acting, now, follow, failed, whole)
        #: By the identity of a rule and a record, the records for which the rule grants what changes nothing
        #: that it asks. They are held here, so that no other can come to have the identity of one.
        self.unchanged: dict[tuple[int, int], Mapping[str, Any]] = {}
        self._names: dict[str, Any] | None = None
        self._followed: dict[tuple[str, Any], Mapping[str, Any] | None] = {}

    def forget(self) -> None:
        """To be called after a change: what was followed may not be so any more."""
        self._followed.clear()
        self.unchanged.clear()
        if self.acting is not None:
            self.acting.forget()

    def quietly(self) -> Sight:
        """The same, telling nobody of rules that cannot be evaluated."""
        return Sight(self.caller, self.moment, self.follow, _unheard, self.whole)

    @property
    def actor(self) -> Actor:
        """Who asks."""
        return self.caller.actor

    @property
    def names(self) -> Mapping[str, Any]:
        """What the names around a record stand for."""
        if self._names is None:
            actor = self.actor
            known = {
                "name": actor.name,
                "roles": sorted(actor.roles),
                "attributes": actor.attributes,
                "signed_in": True,
                "via": self.caller.via,
            }
            self._names = {
                "actor": known,
                "now": self.now,
                "today": self.today,
                "pass": _names_of(self.caller.by_pass),
                FOLLOW: self._follow,
            }
        return self._names

    def _follow(self, collection: str, key: Any) -> Mapping[str, Any] | None:
        place = (collection, key)
        if place not in self._followed:
            self._followed[place] = self.follow(collection, key)
        return self._followed[place]


_AROUND = frozenset(AROUND_RULES)


class _Compiled:
    """One rule, in the forms in which it is asked."""

    def __init__(self, rule: Rule, owner: str | None) -> None:
        self.rule = rule
        self.grants, self.next_fields = rule.grants, rule.next_fields
        self._owner = owner if rule.grants is not None and OWNER in rule.grants else None
        self._owned: Node | None = _owned_by(self._owner) if self._owner is not None else None
        self._reduce_owned = reducer(self._owned, _AROUND) if self._owned is not None else None
        self._run: Compiled | None = None
        self._reduce: Reducer | None = None
        if rule.condition is not None:
            tree = rule.condition.tree
            self._run, self._reduce = compiled(tree), reducer(tree, _AROUND)

    def on_list(self, sight: Sight) -> bool:
        """Whether the actor is on the list whatever the record."""
        return self.grants is None or EVERYONE in self.grants or not self.grants.isdisjoint(sight.actor.roles)

    def holds(self, sight: Sight, records: Mapping[str, Any]) -> bool | None:
        """Whether it grants; None where that depends on `next`, which is not among the records yet.

        Who acts on behalf of another may do what both may.
        """
        found = self._holds(sight, records)
        if sight.acting is None or found is False:
            return found
        acting = self._holds(sight.acting, records)
        return acting if acting is False else None if None in (found, acting) else found

    def _holds(self, sight: Sight, records: Mapping[str, Any]) -> bool | None:
        if not self.on_list(sight) and not self._owned_in(records, sight):
            return False
        if self._run is None:
            return True
        if self.next_fields and "next" not in records:
            return self._foreseen(sight, records)
        try:
            return self._run({**sight.names, **records}) is True
        except EvaluationError as error:
            self._tell(sight, str(error))
            return False

    def _foreseen(self, sight: Sight, records: Mapping[str, Any]) -> bool | None:
        """Whether it grants, where that can be told before it is known what the record would be."""
        run, record = self._run, records.get("record")
        names = {**sight.names, **records}
        if run is None:
            return True
        with suppress(EvaluationError):
            # For most changes, which touch nothing that it asks of the record to be, this is the answer.
            if record is not None and run({**names, "next": record}) is True:
                sight.unchanged[id(self), id(record)] = record
                return None
        try:
            return run(names) is True
        except EvaluationError:
            # What the record would be is an error so far, and nothing else settled it.
            return None

    def _owned_in(self, records: Mapping[str, Any], sight: Sight) -> bool:
        return self._owner is not None and records["record"][self._owner] == sight.actor.name

    def _tell(self, sight: Sight, why: str) -> None:
        sight.failed(self.rule, why)

    def node(self, sight: Sight) -> Node:
        """What is left of it to ask of a record."""
        found = self._node(sight)
        if sight.acting is None or found == _NEVER:
            return found
        parts = [one for one in (found, self._node(sight.acting)) if one != _ALWAYS]
        if _NEVER in parts:
            return _NEVER
        return Logic("&&", tuple(parts), 0) if len(parts) > 1 else parts[0] if parts else _ALWAYS

    def _node(self, sight: Sight) -> Node:
        parts: list[Node] = []
        if not self.on_list(sight):
            if self._reduce_owned is None:
                return _NEVER
            parts.append(self._reduce_owned(sight.names))
        if self._reduce is not None:
            found = self._reduce(sight.names)
            if isinstance(found, Failure):
                self._tell(sight, found.message)
                return _NEVER
            if isinstance(found, Constant):
                if found.value is not True:
                    return _NEVER
            else:
                parts.append(found)
        return parts[0] if len(parts) == 1 else Logic("&&", tuple(parts), 0) if parts else _ALWAYS


_ALWAYS, _NEVER = Constant(True, "true", 0), Constant(False, "false", 0)


def _owned_by(owner: str) -> Node:
    """`record.owner == actor.name`, which the word `owner` on a list stands for."""
    path = Path("record", (Step(owner),), STRING, 0)
    return Call("_==_", (path, Select(Name("actor", 0), "name", 0)), 0)


def rebased(node: Node, steps: tuple[Step, ...]) -> Node:
    """A rule over a record, as a rule over the record that these steps lead to it from."""
    if isinstance(node, Path):
        return Path(node.root, (*steps, *node.steps), node.type, node.at)
    return with_parts(node, lambda part: rebased(part, steps))


class Policy:
    """The compiled rules of one collection."""

    def __init__(self, collection: Collection) -> None:
        self.collection = collection
        owner = collection.owner
        self._rules: Mapping[Right, _Compiled] = {
            right: _Compiled(rule, owner) for right, rule in collection.access.items()
        }
        self._reading: dict[str, _Compiled] = {}
        self._changing: dict[str, _Compiled] = {}
        self._creating: dict[str, _Compiled] = {}
        for name, item in collection.fields.items():
            by_right: dict[FieldRight, _Compiled] = {
                right: _Compiled(rule, owner) for right, rule in item.access.items()
            }
            for right, kept in (("read", self._reading), ("update", self._changing)):
                if right in by_right:
                    kept[name] = by_right[right]
            creating = by_right.get("create") or by_right.get("update")
            if creating is not None:
                self._creating[name] = creating
        #: Whether fields have rules of their own.
        self.by_field = bool(self._reading or self._changing or self._creating)
        self._made: dict[Any, FieldAccess] = {}

    # --- records ------------------------------------------------------------------------------

    def node(self, right: Right, sight: Sight) -> Node:
        """What is left to ask of a record: an expression over `record` alone."""
        if sight.caller.by_rule:
            return _ALWAYS if self._within(right, sight) else _NEVER
        rule = self._rule(right, sight)
        return _NEVER if rule is None else rule.node(sight)

    def _within(self, right: Right, sight: Sight) -> bool:
        """Whether it is among the rights that are lent, where not all of them are."""
        scope = sight.caller.scope
        return scope is None or scope.allows(right, self.collection.name)

    def _rule(self, right: Right, sight: Sight) -> _Compiled | None:
        return self._rules.get(right) if self._within(right, sight) else None

    def condition(self, right: Right, sight: Sight) -> Condition:
        """What must hold of a record for the actor to do this to it."""
        return condition_of(self.node(right, sight))

    def ever(self, right: Right, sight: Sight) -> bool:
        """Whether there can be a record, stored or to be, that the actor may do this to."""
        return self.node(right, sight) != _NEVER

    def may(
        self,
        right: Right,
        sight: Sight,
        record: Mapping[str, Any] | None,
        following: Mapping[str, Any] | None = None,
    ) -> bool:
        """Whether the actor may do this to a record, as stored, which would be as `following` says.

        Without `following`, where the rule asks for it, whether they may as far as can be told.
        """
        if sight.caller.by_rule:
            return self._within(right, sight)
        rule = self._rule(right, sight)
        return rule is not None and rule.holds(sight, _records(record, following)) is not False

    def asks_next(
        self, right: Right, sight: Sight, record: Mapping[str, Any] | None, names: Iterable[str]
    ) -> bool:
        """Whether the rule is to be asked again, once it is known what the record would be.

        `names` are those of the fields that change.
        """
        rule = self._rules.get(right)
        if rule is None or not rule.next_fields or sight.caller.by_rule:
            return False
        untouched = record is not None and rule.next_fields.isdisjoint(names)
        return not (untouched and sight.acting is None and (id(rule), id(record)) in sight.unchanged)

    # --- fields -------------------------------------------------------------------------------

    def field_node(self, name: str, sight: Sight) -> Node:
        """What is left to ask of a record for the actor to read this field of it."""
        item = self.collection.fields.get(name)
        if item is not None and (item.write_only or name in self._beyond(sight, shown=True)):
            return _NEVER
        if sight.caller.by_rule:
            return _ALWAYS
        rule = self._reading.get(name)
        return _ALWAYS if rule is None else rule.node(sight)

    def fields(
        self,
        sight: Sight,
        record: Mapping[str, Any] | None = None,
        *,
        creating: bool = False,
    ) -> FieldAccess:
        """What the actor may do with the fields of a record, as stored; without one, of any there may be."""
        if creating:
            # Of a record that is not there yet much is not known, which is nothing to be told of.
            sight = sight.quietly()
        transfer = self.ever("transfer", sight) if record is None else self.may("transfer", sight, record)
        hidden, denied = self._beyond(sight, shown=True), self._beyond(sight, shown=False)
        if self.by_field and not sight.caller.by_rule:
            # Of what is created only that is hidden which is so whatever it will be.
            hidden |= self._unreadable(sight, None if creating else record)
            denied |= self._denied(sight, record, creating=creating)
        key = (creating, transfer, hidden, denied)
        made = self._made.get(key)
        if made is None:
            if len(self._made) >= _MOST_MADE:
                self._made.clear()
            made = self._made[key] = field_access(
                self.collection, creating=creating, transfer=transfer, hidden=hidden, denied=denied
            )
        return made

    def _beyond(self, sight: Sight, *, shown: bool) -> frozenset[str]:
        """The fields that a pass does not show, or lets nobody set."""
        scope = sight.caller.scope
        if scope is None:
            return _NO_FIELDS
        return scope.beyond(self.collection.fields, self.collection.name, shown=shown)

    def _unreadable(self, sight: Sight, record: Mapping[str, Any] | None) -> frozenset[str]:
        if record is None:
            return frozenset(name for name, rule in self._reading.items() if rule.node(sight) == _NEVER)
        records = {"record": record}
        return frozenset(name for name, rule in self._reading.items() if not rule.holds(sight, records))

    def _denied(self, sight: Sight, record: Mapping[str, Any] | None, *, creating: bool) -> frozenset[str]:
        rules = self._creating if creating else self._changing
        if record is None or creating:
            return frozenset(name for name, rule in rules.items() if rule.node(sight) == _NEVER)
        records = {"record": record}
        return frozenset(name for name, rule in rules.items() if rule.holds(sight, records) is False)

    def refused(
        self,
        sight: Sight,
        record: Mapping[str, Any] | None,
        following: Mapping[str, Any],
        names: Mapping[str, Any],
    ) -> list[str]:
        """Of the fields that change, those that they may not change so; `record` is None for a new one."""
        rules = self._changing if record is not None else self._creating
        if not rules or sight.caller.by_rule:
            return []
        # What is created is judged by what it would be, also by rules written for changes.
        records = {"record": following if record is None else record, "next": following}
        return [name for name in names if name in rules and not rules[name].holds(sight, records)]

    def shown_of(self, sight: Sight, access: FieldAccess, records: list[Record]) -> list[Record]:
        """Several records as the actor may see each; `access` is what they may see of any."""
        by_row = [name for name, rule in self._reading.items() if name not in access.hidden]
        if not any(self._reading[name].node(sight) != _ALWAYS for name in by_row):
            return access.shown_of(records)
        return [self.fields(sight, record).shown(record) for record in records]


_MOST_MADE = 256
_NO_FIELDS = frozenset[str]()


def _records(record: Mapping[str, Any] | None, following: Mapping[str, Any] | None) -> dict[str, Any]:
    found: dict[str, Any] = {}
    if record is not None:
        found["record"] = record
    if following is not None:
        found["next"] = following
    return found
