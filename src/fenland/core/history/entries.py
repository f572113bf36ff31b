"""History entries: what is kept of each change, for good."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal
from uuid import UUID, uuid5

from fenland.core.reserved import renewed

#: What a change does to its record. `restore` brings a deleted one back, `erase` takes values out of it and
#: of its history for good, `derive` is what follows in a record from others that it is derived from,
#: `migrate` is what becomes of the definitions; the others are of accounts.
Action = Literal[
    "create", "update", "delete", "restore", "erase", "derive", "migrate",
    "sign_in", "sign_in_refused", "issue_token", "revoke_token",
]  # fmt: skip
#: In entries that say how definitions changed: the collection that they are of, and its one record.
DEFINITIONS = "fenland_definitions"
DEFINITIONS_ID = "00000000-0000-0000-0000-000000000000"
#: As what the roles stand beside the collections there; no collection can be called so.
ROLES = "fenland_roles"
BEYOND_ALL = 2**63 - 1
#: In entries about accounts, the collection that they are of.
ACCOUNTS = "fenland_accounts"
#: And in those about subscriptions.
SUBSCRIPTIONS = "fenland_subscriptions"
#: About passes, and about what came in through them.
PASSES, PROPOSALS = "fenland_passes", "fenland_proposals"
#: The collections of entries that are about no records.
OWN = frozenset({ACCOUNTS, DEFINITIONS, SUBSCRIPTIONS, PASSES, PROPOSALS})
#: Actions after which there is a record that was not there before.
BRINGS = frozenset({"create", "restore"})


def account_id(name: str) -> str:
    """What stands for an account as the record of its entries: a UUID made of its name (RFC 9562, 5.5)."""
    return str(uuid5(UUID(DEFINITIONS_ID), name))


def proposal_id(number: int) -> str:
    """What stands for a proposal as the record of its entries."""
    return str(uuid5(UUID(DEFINITIONS_ID), f"proposal {number}"))


@dataclass(frozen=True, slots=True)
class Seal:
    """What stands in an entry for a secret value: a commitment in hexadecimal digits, and what opens it.

    Without a salt the value is gone for good. `kept` says whether the value itself is in the history.
    """

    hash: str
    salt: bytes | None = None
    kept: bool = True


#: By field, the seals of the value before and of the one after.
Seals = Mapping[str, tuple[Seal | None, Seal | None]]
_NONE: Seals = {}


@dataclass(frozen=True, slots=True)
class Entry:
    """One change of one record, as it is kept for good.

    `changes` maps each changed field to its value before and after. `sequence` is None until the
    storage has given the entry its place.
    """

    time: str
    collection: str
    record_id: str
    key: Any
    version: int
    action: Action
    actor: str
    via: str
    request_id: str
    changes: Mapping[str, tuple[Any, Any]]
    behalf: str | None = None
    reason: str | None = None
    cause: int | None = None
    sequence: int | None = None
    client: str | None = None
    batch: str | None = None
    #: The entry that this one takes back, and the version that this one goes back to.
    undoes: int | None = None
    restores: int | None = None
    #: Of what follows from another change, where the rule stands by which it does; and of a record that was
    #: merely derived, the last version that was not.
    rule: str | None = None
    settled: int | None = None
    #: The proposal that it applies, or a part of it.
    proposal: int | None = None
    #: Once it is kept, 32 random hexadecimal digits, so that nobody can guess a leaf by its hash; none in
    #: entries that are older than salts.
    salt: str | None = None
    #: Before it is kept, the fields whose values go under seals; and those that are kept nowhere.
    secret: frozenset[str] = frozenset()
    unkept: frozenset[str] = frozenset()
    #: Once it is kept: a value whose seal is closed stands as None in `changes`.
    seals: Seals = field(default_factory=lambda: _NONE)

    @property
    def on_behalf(self) -> str:
        """Whose change it is: who acted, or on whose behalf they did."""
        return self.behalf or self.actor

    def kept(self) -> dict[str, Any]:
        """The fields that the service keeps itself, as this change left them."""
        return renewed(self.version, self.time, self.on_behalf)

    def last_copy(self) -> dict[str, Any]:
        """Of a deletion, the fields of the record that held anything."""
        return {name: before for name, (before, _) in self.changes.items()}

    @property
    def gone(self) -> dict[str, tuple[bool, bool]]:
        """By field, whether the value before, and the one after, are in the history no more."""
        found = {name: (_is_gone(old), _is_gone(new)) for name, (old, new) in self.seals.items()}
        return {name: sides for name, sides in found.items() if any(sides)}


def _is_gone(seal: Seal | None) -> bool:
    return seal is not None and (seal.salt is None or not seal.kept)
