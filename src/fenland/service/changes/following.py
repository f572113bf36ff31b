"""What follows from a change: the one place where further changes come from.

From a deletion follows what becomes of the records that refer to it (`deleting.py`); from every change, what
is derived of it in other records (`core/consequences/spreading.py`), then the effects that reach others, each
with what is derived of it, and so on until nothing moves. All of it is decided before anything is written,
over a draft in which it is made already, and by the right of its rule: nobody's rights are asked.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.changes.change import (
    Change,
    Follows,
    Handing,
    Notice,
    alteration,
    deletion,
    derivation,
)
from fenland.core.consequences.calling import CalledEffect, Create, Delete, Notify, Wish
from fenland.core.consequences.effects import Compiled
from fenland.core.consequences.handing import shown
from fenland.core.consequences.spreading import Derived, Spread
from fenland.core.definitions.catalog import followed_fields
from fenland.core.definitions.model import Trigger
from fenland.core.expressions.budget import spend
from fenland.core.limits import beyond, weight
from fenland.core.problems import Conflict, Invalid, Problem
from fenland.core.values.plain import same
from fenland.service.changes.beginning import Begun, made_by_rule
from fenland.service.changes.deleting import with_referring
from fenland.service.changes.drafting import Draft
from fenland.service.changes.intent import Intent
from fenland.service.changes.looking import names_around
from fenland.service.changes.settling import judge_derived, settle_by_rule, unseen, with_consequences
from fenland.service.changes.sought import found_by, one_of
from fenland.service.service import Resource, Service
from fenland.service.work import View

_UNSEEN = "What follows from it would not be allowed, in a record that is not yours to see."
#: Of what is wrong with a record, how much is told.
_TOLD = 5


def follow(view: View, caller: Caller, change: Change, trigger: Trigger | None) -> list[Change]:
    """The change and all that follows from it, in the order in which they are made. Nothing is written.

    `trigger` is what the change is for effects; with None, none happen. Raises `Conflict` where something
    forbids it, `Invalid` where what follows would not be allowed, and `TooLarge` where too much would follow.
    """
    if view.follows_later:
        return [change]
    changes = with_referring(view, caller, change) if change.action == "delete" else [change]
    network, reaches = view.service.network, view.service.reaches
    collections = {one.collection for one in changes}
    if not any(map(network.concerns, collections)) and (
        trigger is None or not any(map(reaches.concerns, collections))
    ):
        return changes
    chain = _Chain(view, caller, changes, trigger)
    chain.follow()
    return chain.changes


def follow_all(view: View, caller: Caller, changes: list[Change]) -> list[Change]:
    """Changes of different records, and what is derived of all of them together: see `derives_alone`.

    Raises what `follow` raises.
    """
    chain = _Chain(view, caller, changes, None)
    chain.follow()
    return chain.changes


def derives_alone(service: Service, collection: str) -> bool:
    """Whether derived values alone follow from records that come or change, and none of these asks for them.

    Then it is the same whether they follow from each, or from many together.
    """
    collections, reached = service.definitions.collections, service.network.reached(collection)
    if service.calls or not reached or collection in reached or service.reaches.concerns(collection):
        return False
    if any("update" in effect.on for name in reached for effect in collections[name].effects):
        return False
    asked = followed_fields([collections[collection]])
    derived = [
        item
        for name, fields in asked.items()
        for field in fields
        if (item := collections[name].fields.get(field)) is not None and item.derived is not None
    ]
    return not derived


class Found:
    """Where what is derived finds records. See `Lookups` of `core/consequences/spreading.py`."""

    def __init__(self, view: View) -> None:
        self._view = view

    def by_id(self, collection: str, record_id: str) -> Record | None:
        """See `Lookups`."""
        return self._view.find(self._view.resource(collection), "id", record_id)

    def by_key(self, collection: str, key: Any) -> Record | None:
        """See `Lookups`."""
        resource = self._view.resource(collection)
        return self._view.find(resource, resource.collection.key, key)

    def all_referring(self, collection: str, name: str, key: Any) -> Iterable[Record]:
        """See `Lookups`."""
        return self._view.all_referring(self._view.resource(collection), name, key)

    def how_many_refer(self, collection: str, name: str, key: Any) -> int:
        """See `Lookups`."""
        return self._view.count_referring(self._view.resource(collection), name, key)

    def has_changed(self, collection: str) -> bool:
        """See `Lookups`."""
        return self._view.has_changed(collection)


#: As how many steps of expressions a change counts that follows from another.
_COST = 5
#: What a change that follows from another is for effects.
_TRIGGERS: Mapping[str, Trigger] = {
    "create": "create",
    "update": "update",
    "derive": "update",
    "restore": "restore",
    "delete": "delete",
}


class _Chain:
    """Changes, and what follows from them until nothing moves any more."""

    def __init__(self, view: View, caller: Caller, changes: list[Change], trigger: Trigger | None) -> None:
        service = view.service
        self._caller, self._trigger = caller, trigger
        self._draft = Draft(service, view.reading, view.act, view)
        most = view.limits.consequences
        self._spread = Spread(service.network, Found(self._draft), service.rule_failed, most)
        self.changes: list[Change] = []
        #: How many effects each follows from; by record, where the last change of it stands.
        self._depth: list[int] = []
        self._last: dict[str, int] = {}
        #: Those before this one have had their effects, or been judged.
        self._reacted = self._judged = 0
        self._asked = len(changes)
        # Entries are in the order of their times: what follows is no older than the last that it follows.
        stamp = changes[-1].stamp
        # What follows has entries of its own, which take nothing back and say no reason.
        self._stamp = replace(stamp, reason=None, act=replace(stamp.act, undoes=None, restores=None))
        self._draft.take(changes)
        for change in changes:
            self._add(change, 0)

    def follow(self) -> None:
        """Makes all that follows. Raises `Invalid`, `TooLarge`."""
        self._still()
        while self._trigger is not None and self._reacted < len(self.changes):
            self._reacted += 1
            self._react(self._reacted - 1)

    def _add(self, change: Change, depth: int) -> None:
        """Takes note of a change that was made in the draft."""
        place = len(self.changes)
        if place >= self._asked:
            # Many changes may be asked for at once, each of which has as many to follow: all of them together
            # are bounded as expressions are.
            spend(_COST)
        self.changes.append(change)
        self._depth.append(depth)
        self._last[change.record_id] = place
        self._spread.note(
            change.collection, change.before, change.after, place, derived=change.action == "derive"
        )

    # --- what is derived ------------------------------------------------------------------------------

    def _still(self) -> None:
        """Makes all that is derived, until nothing moves."""
        while found := self._spread.step():
            for one in found:
                self._derive(one)
        for change in self.changes[self._judged :]:
            if change.action == "derive":
                self._judge(change)
        self._judged = len(self.changes)

    def _derive(self, found: Derived) -> None:
        resource, rule = self._draft.resource(found.collection), found.rule
        if found.problems:
            self._refuse(resource, dict(found.record), found.problems, f"{rule.file}:{rule.line}")
        before, wanted = dict(found.record), {**found.record, **found.values}
        place = self._last.get(before["id"])
        earlier = None if place is None else self.changes[place]
        if place is None or earlier is None or earlier.action != "derive" or place < self._judged:
            follows = Follows(self._stamp, found.cause, f"{rule.file}:{rule.line}")
            change = derivation(resource.collection, before, wanted, follows)
            self._draft.take([change])
            self._add(change, self._depth[found.cause])
            return
        # What it comes to in the end is one change.
        follows = Follows(self._stamp, earlier.cause, earlier.rule)
        change = derivation(resource.collection, earlier.before or {}, wanted, follows)
        self.changes[place] = change
        self._draft.take([change])
        self._spread.note(found.collection, before, change.after, place, derived=True)

    def _judge(self, change: Change) -> None:
        resource, problems = self._draft.resource(change.collection), list[Problem]()
        judge_derived(self._draft, self._caller, change, problems)
        if problems:
            self._refuse(resource, change.result, problems, change.rule or "")

    # --- effects --------------------------------------------------------------------------------------

    def _react(self, place: int) -> None:
        """Has the effects of a change happen, in the order of the file, and what is derived behind each."""
        change, failed = self.changes[place], self._draft.service.rule_failed
        trigger = self._trigger if place == 0 else _TRIGGERS.get(change.action)
        reaching = self._draft.service.reaches.on(change.collection, trigger)
        own = change.action == "derive" and self._draft.resource(change.collection).rules.effects.on("update")
        if not reaching and not own:
            return
        names = {
            **names_around(self._draft, self._caller),
            "before": change.before or {},
            "after": change.after or {},
        }
        if own:
            self._set_own(place)
            self._still()
        for effect in reaching:
            if effect.happens(names, failed):
                self._carry_out(place, effect, names)
                self._still()

    def _set_own(self, place: int) -> None:
        """What effects set in a record that was derived: a change by itself, being more than derived."""
        change = self.changes[place]
        resource, before, after = self._draft.resource(change.collection), change.before, change.result
        values = {name: pair[1] for name, pair in change.fields.items()}
        asked = Intent(resource, before, before or {}, values, {}, None, "update")
        settled, problems = with_consequences(self._draft, self._caller, asked, [])
        set_by = {name: one for name, one in settled.values.items() if not same(after[name], one)}
        current = self._draft.find(resource, "id", change.record_id)
        if problems:
            self._refuse(resource, after, problems, settled.effects or change.rule or "")
        if current is not None and set_by:
            self._alter(place, (resource, current), set_by, settled.effects)

    def _carry_out(self, place: int, effect: Compiled, names: Mapping[str, Any]) -> None:
        does, search, draft = effect.effect.does, effect.search, self._draft
        if effect.called is not None:
            for wish in effect.called.wishes(names):
                self._grant(place, effect, effect.called, wish)
            return
        resource, failed = draft.resource(effect.effect.target), draft.service.rule_failed
        if does == "pass":
            spend(_COST)
            handed, change = Handing(effect.effect.template, str(effect.effect)), self.changes[place]
            self.changes[place] = replace(change, passes=(*change.passes, handed))
            return
        if does == "notice":
            self._notify(
                place, Notice(effect.effect.notice, effect.noticed(names, failed), str(effect.effect))
            )
            return
        found: list[Record | None] = [None]
        if search is not None:
            chosen = (
                [one_of(draft, search, names)] if search.search.at_random else found_by(draft, search, names)
            )
            found = list(chosen)
        for one in found:
            known, problems = {**names, "each": one}, list[Problem]()
            if does == "delete" and one is not None:
                self._delete(place, effect, resource, one)
                continue
            values = effect.values(known, problems, failed)
            if does == "create":
                self._create(place, effect, resource, values, problems)
            elif one is not None:
                self._alter(place, (resource, one), values, str(effect.effect), problems)

    def _notify(self, place: int, notice: Notice) -> None:
        """Has a change leave a notice. Raises `TooLarge` for one that says too much."""
        most, change = self._draft.limits.record, self.changes[place]
        if weight(dict(notice.data)) > most:
            raise beyond("record_limit", most, f"The notice {notice.name} would be too large.")
        spend(_COST)
        self.changes[place] = replace(change, notices=(*change.notices, notice))

    def _grant(self, place: int, effect: Compiled, called: CalledEffect, wish: Wish) -> None:
        """Carries out what a function wants done."""
        draft, problems, rule = self._draft, list[Problem](), str(effect.effect)
        if isinstance(wish, Notify):
            self._notify(place, Notice(wish.name, called.said(wish), rule))
            return
        if isinstance(wish, Create):
            named = wish.collection if isinstance(wish.collection, str) else ""
            target = draft.service.resources.get(named)
            if target is None:
                raise called.failed(f"there is no collection {shown(wish.collection)}.")
            values = called.values(target.rows, wish.values, None, problems)
            self._create(place, effect, target, values, problems)
            return
        resource = draft.resource(wish.record.collection)
        current = draft.find(resource, "id", wish.record["id"])
        if isinstance(wish, Delete):
            # One that is gone went with another.
            if current is not None:
                self._delete(place, effect, resource, current)
            return
        if current is None:
            raise called.failed(
                f"it changes {wish.record['id']} of {wish.record.collection}, which is not there."
            )
        values = called.values(resource.rows, wish.values, current, problems)
        self._alter(place, (resource, current), values, rule, problems)

    def _alter(
        self,
        place: int,
        subject: tuple[Resource, Record],
        values: Mapping[str, Any],
        rule: str,
        problems: Sequence[Problem] = (),
    ) -> None:
        resource, stored = subject
        found, values = (
            list(problems),
            {name: one for name, one in values.items() if not same(stored[name], one)},
        )
        if not values and not found:
            return
        by_rule = frozenset(values)
        intent = Intent(resource, stored, stored, values, {}, None, "update", by_rule)
        settled = settle_by_rule(self._draft, self._caller, intent, found)
        if found:
            self._refuse(resource, settled.record, found, rule)
        if settled.values:
            change = alteration(resource.collection, stored, settled.values, self._stamp)
            self._make([change], place, rule)

    def _create(
        self, place: int, effect: Compiled, resource: Resource, values: Record, problems: list[Problem]
    ) -> None:
        begun = Begun(self._draft, self._caller, resource, self._stamp)
        change = made_by_rule(begun, values, problems)
        if problems:
            self._refuse(resource, change.result, problems, str(effect.effect))
        self._make([change], place, str(effect.effect))

    def _delete(self, place: int, effect: Compiled, resource: Resource, record: Record) -> None:
        current = self._draft.find(resource, "id", record["id"])
        if current is None:
            # It went with another.
            return
        change, rule = deletion(resource.collection, current, self._stamp), str(effect.effect)
        try:
            self._make(with_referring(self._draft, self._caller, change), place, rule)
        except Conflict as conflict:
            self._refuse(resource, current, [Problem("", "conflict", conflict.detail)], rule)

    def _make(self, changes: list[Change], cause: int, rule: str) -> None:
        """Makes what an effect comes to. Raises `Invalid` where effects go on and on."""
        depth, base, limits = self._depth[cause] + 1, len(self.changes), self._draft.limits
        if depth > limits.depth:
            self._refuse_depth(cause, rule)
        count = base + len(changes) - self._asked
        if count > limits.consequences:
            what = f"{count} records or more would be changed by it."
            raise beyond("consequence_limit", limits.consequences, what)
        # What a deletion takes along follows from that, and by no rule of its own.
        placed = [
            replace(one, cause=cause, rule=rule)
            if one.cause is None
            else replace(one, cause=base + one.cause)
            for one in changes
        ]
        self._draft.take(placed)
        for one in placed:
            self._add(one, depth)

    def _refuse_depth(self, cause: int | None, rule: str) -> None:
        rules = [rule]
        while cause is not None:
            change = self.changes[cause]
            rules += [] if change.rule is None else [change.rule]
            cause = change.cause
        most = self._draft.limits.depth
        chain = " → ".join(reversed(rules))
        detail = (
            f"Effects follow from each other without an end: {chain}. At most {most} may, one after another "
            "(the setting consequence_depth_limit). Give one of them a condition that ends it."
        )
        raise Invalid([Problem("", "consequence", detail)])

    def _refuse(self, resource: Resource, record: Record, problems: list[Problem], rule: str) -> None:
        """Raises `Invalid`: of a record that the caller may not see, it tells only that there is one."""
        sight = self._draft.sight(self._caller)
        if not resource.policy.may("read", sight, record):
            raise Invalid([Problem("", "consequence", _UNSEEN)])
        name, key = resource.collection.name, record[resource.collection.key]
        told = unseen(problems, resource.policy.fields(sight, record))[:_TOLD]
        # What a function gives may be wrong twice: as it is fitted to the field, and in the record.
        told = [one for place, one in enumerate(told) if one not in told[:place]]
        said = " ".join(f"{one.pointer[1:]}: {one.detail}" if one.pointer else one.detail for one in told)
        params = {
            "collection": name,
            "key": key,
            "rule": rule,
            "problems": [{"pointer": one.pointer, "code": one.code, "detail": one.detail} for one in told],
        }
        detail = f"What follows from it in {key!r} of {name} would not be allowed. {said}"
        raise Invalid([Problem("", "consequence", detail, params)])
