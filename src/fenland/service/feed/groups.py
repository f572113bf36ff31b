"""Groups: followers who are told the same, so that what they are told is worked out once for all of them."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from typing import NamedTuple

from fenland.core.access.policy import Caller
from fenland.core.history.entries import PROPOSALS
from fenland.service.feed.membership import Membership


class Group(NamedTuple):
    """Followers with equal keys who follow the same are told the same, at every place."""

    key: Hashable
    #: The collections whose changes can concern them; any other change is nothing to them.
    interest: frozenset[str]


def group_of(members: Mapping[str, Membership], caller: Caller, where: str, *, reviews: bool) -> Group:
    """The group of a follower, by what they see of each collection; who `reviews` is told of proposals."""
    interest = {*members, *(leads.collection for one in members.values() for leads in one.leads)}
    if reviews:
        interest.add(PROPOSALS)
    if not where and not reviews and all(one.plain for one in members.values()):
        # Whoever they are: all records are theirs, and the same of each.
        return Group(frozenset((name, one.hidden) for name, one in members.items()), frozenset(interest))
    return Group(caller.sees_as, frozenset(interest))
