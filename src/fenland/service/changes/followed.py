"""Followed: the changes that would follow from one, as its caller may be told of them before it is saved."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change
from fenland.core.history.entries import Action
from fenland.service.work import View

#: How many are told one by one.
_MOST_TOLD = 100


@dataclass(frozen=True, slots=True)
class Followed:
    """One change that would follow: of which record, what is done, by which rule, before and after."""

    collection: str
    key: Any
    action: Action | Literal["notice", "pass"]
    rule: str | None
    changes: Mapping[str, tuple[Any, Any]]
    #: What it is called, where it is a notice that a change of this record would leave; or the template of
    #: a pass that it would make.
    notice: str = ""


@dataclass(frozen=True, slots=True)
class Consequences:
    """What would follow; `unseen` counts what is not told: not theirs to see, or too many."""

    told: tuple[Followed, ...] = ()
    unseen: int = 0


#: Nothing at all.
NOTHING = Consequences()


def consequences(view: View, caller: Caller, changes: Iterable[Change]) -> Consequences:
    """Of a change and those that follow from it, the latter, as the caller may be told of them.

    And of each the notices that it leaves, and the passes that it makes, by what they are called.
    """
    sight, told, unseen = view.sight(caller), list[Followed](), 0
    for number, one in enumerate(changes):
        policy, made = view.resource(one.collection).policy, number > 0
        if len(told) >= _MOST_TOLD or not policy.may("read", sight, one.result):
            unseen += made + len(one.notices) + len(one.passes)
            continue
        if made:
            shown = policy.fields(sight, one.result).shown(dict(one.fields))
            told.append(Followed(one.collection, one.key, one.action, one.rule, shown))
        told += [
            Followed(one.collection, one.key, "notice", each.rule, {}, each.name) for each in one.notices
        ]
        told += [
            Followed(one.collection, one.key, "pass", each.rule, {}, each.template) for each in one.passes
        ]
    return Consequences(tuple(told), unseen)
