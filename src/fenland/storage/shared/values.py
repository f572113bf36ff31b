"""The values that storage speaks in, and its errors: what the door hands up beside its protocols."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from fenland.core.access.conditions import ALWAYS, Condition
from fenland.core.access.policy import Scope
from fenland.core.definitions.model import Definitions
from fenland.core.definitions.reading import definitions_from
from fenland.core.history.entries import Action
from fenland.core.history.terms import term

#: What a token is for: programs, or a browser's session.
TokenKind = Literal["token", "session"]


# --- errors, besides `Unavailable` and `StorageFull` of the core -----------------------------------


class DatabaseRefused(Exception):
    """The database cannot be used as it is: the message says why and what to do."""


class ValueTaken(Exception):
    """Another record already has this value: `field` must be unique."""

    def __init__(self, field: str) -> None:
        super().__init__(field)
        self.field = field


class ReferenceBroken(Exception):
    """A reference leads nowhere, or something still leads here."""


class VersionRace(Exception):
    """The record changed between reading and writing it within one transaction: a defect."""


# --- values ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Made:
    """Who gives a database other definitions, through what, and when; and whether opening it is enough."""

    time: str
    by: str = "fenland"
    via: str = "start"
    at_start: bool = True


@dataclass(frozen=True, slots=True)
class Defined:
    """Definitions as they were kept: their number, what moved with them, the last entry of older ones."""

    number: int
    data: dict[str, Any]
    moved: tuple[str, ...]
    sequence: int

    def read(self) -> Definitions:
        """The definitions. Raises `DefinitionMistakes` where this version takes them for wrong."""
        return definitions_from(self.data["collections"], self.data["roles"], kept=True)


@dataclass(frozen=True, slots=True)
class Obstacle:
    """Records that newer definitions refuse: where, what is wrong, how many, and the keys of the first.

    `blocks` says whether nothing can be done before they are mended.
    """

    place: str
    words: str
    count: int
    #: Keys, each with what is there.
    first: tuple[tuple[Any, str], ...]
    blocks: bool


@dataclass(frozen=True, slots=True)
class Migration:
    """What it would take to have a database under newer definitions, whose number that would be."""

    number: int
    steps: tuple[str, ...] = ()
    #: By the place of what is lost, how many records hold something there.
    losses: Mapping[str, int] = field(default_factory=dict)
    obstacles: tuple[Obstacle, ...] = ()
    impossible: tuple[str, ...] = ()
    sql: str = ""
    #: Whether a start does it by itself.
    free: bool = False
    #: The layout of a database of an older version, which is brought over first.
    layout: int | None = None

    @property
    def needed(self) -> bool:
        """Whether there is anything to do."""
        return bool(self.steps)

    @property
    def blocked(self) -> bool:
        """Whether something stands in the way."""
        return bool(self.impossible) or any(one.blocks for one in self.obstacles)


@dataclass(frozen=True, slots=True)
class Copied:
    """What a copy of a database holds: records, entries, the number of its definitions, its layout."""

    records: int
    entries: int
    definitions: int
    layout: int
    bytes: int


@dataclass(frozen=True, slots=True)
class Progress:
    """Who is told how far long work is: what is done, how much of it, and how much there is in all."""

    report: Callable[[str, int, int], None] = lambda _what, _done, _whole: None


QUIET = Progress()


@dataclass(frozen=True, slots=True)
class Order:
    """One step of a sort: a field, and its direction; where `known` does not hold, it counts as nothing."""

    field: str
    descending: bool = False
    known: Condition = ALWAYS


@dataclass(frozen=True, slots=True)
class Page:
    """What part of a list is wanted. `after` holds the values of `order` at the last record seen."""

    #: What must hold of a record to be in the list at all.
    condition: Condition = ALWAYS
    #: Each must be found in one of these fields, where their conditions hold.
    words: tuple[str, ...] = ()
    searched: tuple[tuple[str, Condition], ...] = ()
    order: tuple[Order, ...] = ()
    after: tuple[Any, ...] | None = None
    limit: int = 50
    #: In place of `after`: how many records come before it.
    offset: int = 0
    #: Only the records with nothing in the first field of the order.
    nulls_only: bool = False


@dataclass(frozen=True, slots=True)
class Account:
    """Somebody who may sign in. `attributes` are for rules to use; who is disabled may nothing."""

    name: str
    title: str
    roles: frozenset[str]
    attributes: Mapping[str, Any] = field(default_factory=dict)
    disabled: bool = False
    #: Grows by one with each change of any of this.
    version: int = 1

    @property
    def parts(self) -> dict[str, Any]:
        """What entries tell of it."""
        return {
            "title": self.title,
            "roles": sorted(self.roles),
            "attributes": dict(self.attributes),
            "disabled": self.disabled,
        }


@dataclass(frozen=True, slots=True)
class Token:
    """What may be known of a token that was issued; storage gives it an `id` of its own.

    One of kind `session` is a browser's, which also ends when it is not used for `idle` seconds.
    """

    label: str
    created_at: str
    expires_at: str | None = None
    id: str = ""
    kind: TokenKind = "token"
    scope: Scope | None = None
    used_at: str | None = None
    idle: int | None = None
    #: What let its maker in: `session`, `password` or `token`; empty for tokens of the command line.
    made_with: str = ""


@dataclass(frozen=True, slots=True)
class Admission:
    """Who a token lets in, and as far as what."""

    account: Account
    token: Token


@dataclass(frozen=True, slots=True)
class Candidates:
    """What a search of the history asks that can be told without judging entries one by one.

    All `terms` (`core/history/terms.py`) are in what is wanted; its columns hold one of the values in
    `equal`; and its sequence is over `above`.
    """

    terms: tuple[int, ...] = ()
    equal: Mapping[str, Collection[Any]] = field(default_factory=dict)
    above: int = 0

    @classmethod
    def having(cls, part: str, value: str, above: int = 0) -> Candidates:
        """Those of which one part, that terms are kept of, is this."""
        return cls((term(part, value),), {part: (value,)}, above)


class Noticed(NamedTuple):
    """A notice in the outbox: by which change of which record it was left, and what it says."""

    number: int
    name: str
    time: str
    collection: str
    record_id: str
    key: Any
    sequence: int
    rule: str
    data: Mapping[str, Any]


class Secret(NamedTuple):
    """What signs the notices of a subscription, and until when; None is for good."""

    text: str
    until: str | None


@dataclass(frozen=True, slots=True)
class Subscription:
    """An address of another system, and what is sent there: what an account may see of changes.

    `collections` are those followed, of which none is all, `where` a condition on records of the one; `data`
    what stands beside each event; `notices` the effects' notices that are sent as well, by their names.
    """

    id: str
    name: str
    account: str
    url: str
    collections: tuple[str, ...] = ()
    where: str = ""
    data: str = "changes"
    notices: tuple[str, ...] = ()
    #: The newest first.
    secrets: tuple[Secret, ...] = ()
    paused: bool = False
    #: Why it is paused, where nobody did that.
    why: str = ""
    #: Grows by one with each change of any of this.
    version: int = 1
    #: How far it has come: the id of an event of the feed, and the number of a notice.
    place: str = "0"
    notice: int = 0
    #: Since when nothing that was sent was taken.
    failing_since: str | None = None

    @property
    def parts(self) -> dict[str, Any]:
        """What entries tell of it; of its secrets nothing."""
        return {
            "account": self.account,
            "url": self.url,
            "collections": list(self.collections),
            "where": self.where,
            "data": self.data,
            "notices": list(self.notices),
            "paused": self.paused,
        }


#: `waiting` to be sent, or sent again; `sent`; `parked` when it was tried for long enough; `void` when its
#: account may not see any more what it was about.
DeliveryState = Literal["waiting", "sent", "parked", "void"]


@dataclass(frozen=True, slots=True)
class Delivery:
    """An event that is to be sent to a subscription, or was. What it says is made anew for each attempt."""

    #: The id of the subscription.
    subscription: str
    #: The id of the event, its type; the entry that it comes of, and the record that it is about.
    event: str
    type: str
    sequence: int
    collection: str
    record_id: str
    subject: str
    time: str
    #: When it is sent next, and when it is tried no more.
    due: str
    until: str
    state: DeliveryState = "waiting"
    attempts: int = 0
    #: How often values of its record were erased.
    silenced: int = 0
    number: int = 0


class Attempt(NamedTuple):
    """One sending: when, how long it took, and the status and first bytes of the answer; or why none came."""

    time: str
    milliseconds: int
    status: int | None
    why: str
    answer: str


class Present(NamedTuple):
    """Somebody who has a record open, and whether they edit it."""

    name: str
    editing: bool


class Inspection(NamedTuple):
    """How an account has the request inspector on: until when, and how long what it notes is kept."""

    #: In Unix seconds.
    until: float
    kept_until: float
    #: Whether what the console asks for the account is noted, too.
    console: bool


class Noted(NamedTuple):
    """A request that it has noted: its number, and what is told of it, as JSON."""

    number: int
    content: bytes


class Mark(NamedTuple):
    """What of an entry says what it is about, and how it came, without what it changed."""

    sequence: int
    collection: str
    record_id: str
    key: Any
    actor: str
    action: Action
    cause: int | None


class Last(NamedTuple):
    """The newest entry: its sequence and time, and the nodes of the tree that came with it."""

    sequence: int
    time: str
    nodes: bytes


#: What stands for it before there is any.
NONE_YET = Last(0, "", b"")


@dataclass(frozen=True, slots=True)
class Head:
    """A signed head of the tree: its size and root, when it was made, and the JWS (RFC 7515) that says so."""

    size: int
    root: bytes
    time: str
    signed: str


@dataclass(frozen=True, slots=True)
class Archive:
    """A file that entries were moved to: the first and the last of them, and the SHA-256 of the file."""

    first: int
    last: int
    file: str
    digest: str
    time: str


@dataclass(frozen=True, slots=True)
class Kept:
    """The kept outcome of a request, and the fingerprint of that request."""

    fingerprint: str
    content: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Counted:
    """How often something happened in the current window of time, and the seconds that are left of it."""

    times: int
    left: int
