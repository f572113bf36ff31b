"""Passes and proposals, as they are kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

#: What may be proposed: other values of a record, a new record, that all is right, that a record goes.
ProposalKind = Literal["change", "create", "confirm", "delete"]
#: What has become of a proposed field; `overtaken`: its pass has proposed another value since.
FieldState = Literal["waiting", "applied", "refused", "withdrawn", "overtaken"]
#: And of a proposal, which is `partly` applied where something else became of some of its fields.
ProposalState = Literal["waiting", "applied", "partly", "refused", "withdrawn", "overtaken"]


@dataclass(frozen=True, slots=True)
class Pass:
    """What lets its holder see and propose what a template says, of one record; without its id, of many.

    `maker` is the account whose rights it lends; of one that a rule made, `rule` says where that stands.
    Its secret is kept as a hash alone: None before there is one.
    """

    id: str
    collection: str
    template: str
    record_id: str
    key: Any
    #: The number of the definitions that it was made under, whose names it has.
    definitions: int
    maker: str
    rule: str
    made_at: str
    expires_at: str
    hash: str | None = None
    #: What cookies of those who gave the second answer are signed with.
    salt: str = ""
    #: What passes that were made at once have in common.
    run: str = ""
    revoked_at: str | None = None
    version: int = 1
    #: When its page was first opened, when something was last sent by it, and how often.
    opened_at: str | None = None
    sent_at: str | None = None
    sent: int = 0
    #: Wrong second answers since the last right one.
    tries: int = 0
    number: int = 0

    @property
    def parts(self) -> dict[str, Any]:
        """What entries tell of it; of its secret nothing."""
        return {
            "collection": self.collection,
            "template": self.template,
            "id": self.record_id or None,
            "expires_at": self.expires_at,
            "revoked_at": self.revoked_at,
        }


@dataclass(frozen=True, slots=True)
class ProposedField:
    """What was proposed for a field: its value then, the one proposed, and what has become of it.

    `why` is the reason of a refusal, `by` and `time` say who settled it and when.
    """

    base: Any
    proposed: Any
    state: FieldState = "waiting"
    why: str | None = None
    by: str | None = None
    time: str | None = None

    def as_json(self) -> list[Any]:
        """For keeping."""
        return [self.base, self.proposed, self.state, self.why, self.by, self.time]


@dataclass(frozen=True, slots=True)
class Proposal:
    """What came in through a pass. Of one that no field is of, `whole` says what has become of it."""

    pass_number: int
    collection: str
    template: str
    record_id: str
    key: Any
    #: Of which definitions the names of its fields are.
    definitions: int
    kind: ProposalKind
    #: The version of the record that its sender saw.
    base: int
    fields: Mapping[str, ProposedField]
    note: str
    #: From where it came: an address, as far as it is kept.
    origin: str
    time: str
    #: What tells one sending from another, however often it comes.
    token: str
    whole: ProposedField = field(default_factory=lambda: ProposedField(None, None))
    #: Of a new record, its id once it was created; its key is the value that `whole` proposed.
    made_id: str = ""
    version: int = 1
    settled_at: str | None = None
    number: int = 0

    @property
    def state(self) -> ProposalState:
        """What has become of it, which follows from its fields."""
        states = {one.state for one in self.fields.values()} or {self.whole.state}
        if "waiting" in states:
            return "waiting"
        if "applied" in states:
            return "partly" if len(states) > 1 else "applied"
        # Of those that came to nothing, the one that somebody decided.
        return next(one for one in ("refused", "withdrawn", "overtaken") if one in states)

    @property
    def waiting(self) -> list[str]:
        """The fields that wait."""
        return [name for name, one in self.fields.items() if one.state == "waiting"]

    @property
    def parts(self) -> dict[str, Any]:
        """What entries tell of it; of its values nothing, which could be erased nowhere else."""
        return {
            "pass": self.pass_number,
            "kind": self.kind,
            "state": self.state,
            **{f"fields.{name}": one.state for name, one in self.fields.items()},
        }


class PassesWanted(NamedTuple):
    """Which passes: those of a collection, below a number, the newest first."""

    collection: str
    template: str | None = None
    record_id: str | None = None
    run: str | None = None
    below: int = 2**62
    limit: int = 100


class ProposalsWanted(NamedTuple):
    """Which proposals, above and below a number; `newest` says whether the last come first."""

    collection: str | None = None
    state: ProposalState | None = None
    record_id: str | None = None
    pass_number: int | None = None
    above: int = 0
    below: int = 2**62
    newest: bool = False
    limit: int = 100
