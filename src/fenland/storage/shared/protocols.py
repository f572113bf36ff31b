"""What storage promises, as protocols; the values they speak in are in `values.py`. `door.py` hands on both.

A use case reads within `reading` or `snapshot`, and writes within `write`; what it is given there, a
`Reading` or a `Writing`, it hands to `records`, `history`, `accounts` and `outcomes`, and never looks inside.
Whatever engine stands behind answers in the values of the core: texts, exact decimals, moments as RFC 3339
writes them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager
from datetime import datetime
from typing import Any, Protocol, TypeVar

from fenland.core.access.conditions import Condition
from fenland.core.access.field_access import Record
from fenland.core.history.entries import Entry
from fenland.storage.shared.growth import Growth
from fenland.storage.shared.handed_out import Pass, PassesWanted, Proposal, ProposalsWanted
from fenland.storage.shared.turn import Turn
from fenland.storage.shared.values import (
    Account,
    Admission,
    Archive,
    Attempt,
    Candidates,
    Counted,
    Defined,
    Delivery,
    DeliveryState,
    Head,
    Inspection,
    Kept,
    Last,
    Mark,
    Noted,
    Noticed,
    Page,
    Present,
    Subscription,
    Token,
)

Result = TypeVar("Result")

#: Changes that share one commit, at most: bounds how long the first of them waits.
MOST_TOGETHER = 64


# --- transactions ------------------------------------------------------------------------------------


class Reading(Protocol):
    """A view of the database, lent for a while."""

    def execute(self, text: str, values: Any = ..., /) -> Any:
        """For storage alone: SQL stands nowhere above the door."""


class Writing(Reading, Protocol):
    """A transaction that may write: all of it is kept, durably, or nothing."""

    def nested(self) -> AbstractContextManager[None]:
        """Undoes what the body did, and only that, when it raises."""


class Together(Protocol):
    """Changes that one thread makes, one after the other, in one transaction.

    Nothing of them may be told before `commit`. Once one of them is `lost`, all are: what failed had written
    already, or the database rolled everything back.
    """

    lost: bool

    def commit(self) -> bool:
        """Makes all of them durable. False when nothing is kept; `Unavailable` when that is not known."""


class Counting(Protocol):
    """Counts that all processes on a database share, each for a window of time."""

    def count(self, what: str, seconds: int, now: float, add: int = 1) -> Counted:
        """Counts something `add` times more within a window of so many seconds."""


class Meeting(Protocol):
    """Who has a record open now: `place` stands for the record, `window` for one open page of somebody."""

    def enter(self, place: str, window: str, present: Present, until: float) -> None:
        """Notes that somebody is at a record until then, in Unix seconds."""

    def leave(self, place: str, window: str, name: str) -> None:
        """Notes that they are not any more."""

    def there(self, place: str, now: float) -> list[Present]:
        """Who is at a record now, each once, by name; whether they edit it in any of their windows."""


class Inspecting(Protocol):
    """The last requests of accounts that have asked for it, in whatever process they were answered."""

    def begin(self, account: str, inspection: Inspection, now: float) -> bool:
        """Has it on for an account, which keeps what was noted; False where too many have it on."""

    def of(self, account: str, now: float) -> Inspection | None:
        """How an account has it on now; None where it has not. Nearly free where nobody has."""

    def note(self, account: str, content: bytes, now: float) -> None:
        """Keeps a request of an account that has it on. Where that cannot be, nothing is kept."""

    def noted(self, account: str, now: float) -> list[Noted]:
        """What is kept of an account, the oldest first."""

    def forget(self, account: str | None = None) -> None:
        """Removes what is kept, and has it off: for an account, or for all."""

    def tidy(self, now: float) -> None:
        """Removes what has been kept for long enough; to be called now and then."""


# --- what is kept ------------------------------------------------------------------------------------


class SeriesKept(Protocol):
    """How far series of numbers have come, each by the place of its field, such as `tickets.number`."""

    def last(self, reading: Reading, place: str) -> int | None:
        """The last number that a record got; None where none is kept yet."""

    def keep(self, writing: Writing, place: str, number: int) -> None:
        """Notes that a record got this one."""


class Records(Protocol):
    """The records of one collection."""

    def find(self, reading: Reading, field: str, value: Any) -> Record | None:
        """The record whose unique `field` (or `id`) holds this value, or None."""

    def find_part(self, reading: Reading, field: str, value: Any, names: tuple[str, ...]) -> Record | None:
        """The same, with these fields alone."""

    def referring(self, reading: Reading, field: str, key: Any, limit: int) -> list[Record]:
        """The records whose reference `field` holds this key, up to so many."""

    def count_referring(self, reading: Reading, field: str, key: Any) -> int:
        """How many records hold this key in their reference `field`."""

    def values(self, reading: Reading, field: str) -> Iterator[Any]:
        """What all records hold in a field, where they hold anything."""

    def sql(self, condition: Condition) -> str:
        """The text that a condition becomes, for people to read."""

    def page(self, reading: Reading, page: Page) -> tuple[list[Record], bool]:
        """The records of a page, in order, and whether more follow.

        A page ends early where its records would be too large together.
        """

    def walk(self, reading: Reading) -> Iterator[Record]:
        """All records, in the order of their creation, read a page at a time."""

    def count(self, reading: Reading, page: Page) -> int:
        """How many records the page's selection holds in all."""

    def add(self, writing: Writing, record: Mapping[str, Any]) -> None:
        """Inserts a whole record. Raises `ValueTaken`, `ReferenceBroken`."""

    def change(self, writing: Writing, record_id: str, version: int, changes: Mapping[str, Any]) -> None:
        """Writes only the fields in `changes`, guarded by the version they were made from.

        Raises `ValueTaken`, `ReferenceBroken`, `VersionRace`.
        """

    def remove(self, writing: Writing, record_id: str, version: int) -> None:
        """Deletes a record, guarded by its version. Raises `ReferenceBroken`, `VersionRace`."""


class Proving(Protocol):
    """The Merkle tree over the history (RFC 9162 section 2.1); sizes and sequences count from 1."""

    def root(self, reading: Reading, size: int) -> bytes:
        """The root of the tree of the first so many entries."""

    def leaf(self, reading: Reading, sequence: int) -> bytes:
        """The hash of the leaf of an entry."""

    def peaks(self, reading: Reading, size: int) -> list[bytes]:
        """The roots of the perfect subtrees of the first so many entries, largest first."""

    def inclusion(self, reading: Reading, sequence: int, size: int) -> list[bytes]:
        """What proves that an entry is in the tree of the first so many."""

    def consistency(self, reading: Reading, older: int, size: int) -> list[bytes]:
        """What proves that the tree of so many entries begins with that of the older ones."""


class Heads(Protocol):
    """The signed heads of the tree that are kept, and the public keys that signed them."""

    def last(self, reading: Reading) -> Head | None:
        """The newest head, or None."""

    def all(self, reading: Reading) -> list[Head]:
        """Every head, oldest first."""

    def page(self, reading: Reading, *, below: int, limit: int) -> list[Head]:
        """The newest heads of fewer entries than `below`, newest first."""

    def keep(self, writing: Writing, head: Head) -> None:
        """Keeps a head."""

    def keys(self, reading: Reading) -> list[dict[str, Any]]:
        """Every public key that ever signed, as a JWK (RFC 7517), oldest first."""

    def add_key(self, writing: Writing, key: Mapping[str, Any], now: str) -> None:
        """Keeps a public key, which has its `kid`; one that is kept already stays."""


class History(Protocol):
    """The entries of all changes, which are only ever added."""

    @property
    def tree(self) -> Proving:
        """What proves that entries are there, and that they are the same as ever."""

    def add(self, writing: Writing, entry: Entry) -> Last:
        """Appends one entry, which is then the last: its sequence is one more than that of the one before.

        Its time is never before that entry's.
        """

    def last(self, reading: Reading) -> Last:
        """The newest entry; one of sequence 0 where there is none."""

    def unsalted(self, reading: Reading) -> int:
        """The sequence of the last entry whose leaf has no salt; 0 where all have one."""

    def first(self, reading: Reading) -> int:
        """The sequence of the oldest entry that is in no archive."""

    def entry(self, reading: Reading, sequence: int) -> Entry | None:
        """The entry of this sequence, or None."""

    def following(self, reading: Reading, above: int, limit: int, below: int = ...) -> list[Entry]:
        """The entries after this sequence, oldest first, up to so many."""

    def changed_since(self, reading: Reading, above: int) -> tuple[int, dict[str, int]]:
        """The sequence of the last entry, and of the last one of each collection with any after this one."""

    def at(self, reading: Reading, time: str) -> int:
        """The sequence of the last entry up to this time."""

    def before(self, reading: Reading, time: str) -> int:
        """The sequence of the last entry from before this time."""

    def candidates(
        self, reading: Reading, wanted: Candidates, *, below: int
    ) -> Iterator[tuple[int, list[Entry]]]:
        """Entries before a sequence that may be wanted, newest first, a span at a time.

        Each comes with the sequence that its span begins above. All that are wanted are among them.
        """

    def behind(self, reading: Reading, sequence: int) -> Mark | None:
        """The mark of the entry right behind one; None behind the last."""

    def marks(self, reading: Reading, wanted: Candidates, *, below: int) -> Iterator[list[Mark]]:
        """The same, with no more of each than its mark."""

    def counts(self, reading: Reading, above: int, last: int) -> list[tuple[str, str, int]]:
        """How many entries over one sequence and up to another there are: by collection and actor."""

    def deleted_since(
        self, reading: Reading, collection: str, sequence: int, *, after: str, limit: int
    ) -> list[str]:
        """The ids, over this one and in order, of records that were deleted after this sequence."""

    def erase(self, writing: Writing, record_id: str, field: str, above: int, upto: int) -> int:
        """Removes what opens the seals of a field in a record's entries over one sequence and up to another;
        how many values there were.
        """

    def sealed_fields(
        self, reading: Reading, after: tuple[str, str], *, limit: int
    ) -> list[tuple[str, str, int]]:
        """Records and their fields with values under seals, behind this pair and in order; and how many."""

    def archives(self, reading: Reading) -> list[Archive]:
        """The archives that older entries were moved to, oldest first."""

    def archive(self, writing: Writing, about: Archive) -> None:
        """Removes entries that stand in an archive. Their nodes stay, and so does what is under seals."""

    def of_record(
        self, reading: Reading, record_id: str, *, below: int, limit: int
    ) -> tuple[list[Entry], bool]:
        """A record's entries of versions under `below`, newest first, and whether more follow.

        There are fewer than `limit` where they would be too large together.
        """

    def settled(self, reading: Reading, record_id: str) -> int | None:
        """Where a record was merely derived last, its last version before that was not; otherwise None."""

    def first_changes(
        self, reading: Reading, record_id: str, version: int, *, above: int
    ) -> Iterator[list[tuple[int, Mapping[str, tuple[Any, Any]]]]]:
        """What a record's entries of versions over this one changed, oldest first, with their sequences.

        Of the entries above a sequence only those come that change a field for the first time among them.
        They come in portions, which may be empty.
        """

    def since(
        self, reading: Reading, record_id: str, version: int, *, most: int, characters: int
    ) -> list[Entry] | None:
        """A record's entries of versions over `version`, oldest first; None when they pass the bounds."""

    def last_deleted(self, reading: Reading, collection: str, key: Any) -> Entry | None:
        """The entry that deleted the last record with this key, or None."""


class Accounts(Protocol):
    """Accounts and their tokens, of which only hashes are kept."""

    def by_name(self, reading: Reading, name: str) -> Account | None:
        """The account of this name, or None."""

    def all(self, reading: Reading) -> list[Account]:
        """Every account, by name."""

    def add(self, writing: Writing, account: Account, now: str) -> None:
        """Adds an account, whose name nobody may have yet."""

    def change(self, writing: Writing, account: Account) -> None:
        """Gives the account of this name this title, these roles and attributes; disabled or not."""

    def password(self, reading: Reading, name: str) -> str | None:
        """The hash of an account's password, or None where it has none."""

    def set_password(self, writing: Writing, name: str, hashed: str | None) -> None:
        """Keeps the hash of an account's password."""

    def use(self, writing: Writing, uses: Mapping[str, str]) -> None:
        """Notes when tokens, by their hashes, were last used."""

    def tokens_of(self, reading: Reading, account: str) -> list[Token]:
        """The tokens of an account that are not revoked, oldest first."""

    def add_token(self, writing: Writing, account: str, token: str, about: Token) -> Token:
        """Keeps the hash of a new token for an account, and what may be known of it; with the id it gets."""

    def revoke(self, writing: Writing, account: str, now: str) -> int:
        """Revokes every token of an account; returns how many there were."""

    def revoke_one(self, writing: Writing, account: str, token_id: str, now: str) -> int:
        """Revokes the token of an account with this id; returns how many there were."""


class Outcomes(Protocol):
    """Outcomes of requests that came with an idempotency key, until they expire."""

    def holds(self, reading: Reading, account: str, key: str, now: str) -> bool:
        """Whether an outcome is kept under an account's key."""

    def find(self, writing: Writing, account: str, key: str, now: str) -> Kept | None:
        """The outcome kept under an account's key, after clearing away what has expired."""

    def keep(self, writing: Writing, account: str, key: str, outcome: Kept, expires: str) -> None:
        """Keeps an outcome until it expires."""

    def rewrite(self, writing: Writing, holding: str, change: Callable[[Any], Any]) -> int:
        """Gives every outcome whose text holds this another content; how many there were."""


class Notices(Protocol):
    """The outbox: notices for other systems, each written with the change that left it."""

    def add(self, writing: Writing, notice: Noticed, before: str) -> int:
        """Adds one, whose number is given here, and removes some from before that time; its number."""

    def after(self, reading: Reading, number: int, limit: int) -> tuple[list[Noticed], bool]:
        """Some behind this one, in order, and whether there are more: no more than an answer may hold."""

    def below(self, reading: Reading, number: int, limit: int) -> tuple[list[Noticed], bool]:
        """The same before this one, newest first."""

    def before(self, reading: Reading, time: str) -> int:
        """The number of the last one from before this time."""

    def empty(self, writing: Writing, record_id: str) -> int:
        """Has those of a record say nothing any more; how many there were."""


class Subscriptions(Protocol):
    """Which other systems are sent what."""

    def all(self, reading: Reading) -> list[Subscription]:
        """Every subscription, by name."""

    def by_name(self, reading: Reading, name: str) -> Subscription | None:
        """The subscription of this name, or None."""

    def add(self, writing: Writing, one: Subscription) -> None:
        """Adds one, whose name none may have yet."""

    def change(self, writing: Writing, one: Subscription) -> None:
        """Gives the subscription of this id all that it is."""

    def go_on(self, writing: Writing, one: Subscription, place: str, notice: int) -> bool:
        """Has one go on to another place and notice; False where it is not where it was known to be."""

    def note_failing(self, writing: Writing, subscription: str, since: str | None) -> None:
        """Notes since when nothing that was sent was taken; None where something was."""

    def remove(self, writing: Writing, subscription: str) -> None:
        """Removes one; its deliveries stay for `Deliveries.remove_of`."""


class Deliveries(Protocol):
    """What is to be sent to subscriptions, and what became of it; they are named by their ids."""

    def add(self, writing: Writing, one: Delivery) -> int:
        """Adds one and gives its number; or 0, where the event was there and is to be sent again."""

    def due(self, reading: Reading, subscription: str, now: str, limit: int) -> list[Delivery]:
        """Those that are to be sent now: of each record the first that waits, in the order of changes."""

    def next_due(self, reading: Reading, subscription: str) -> str | None:
        """When the next of those that wait is to be sent; None where none waits."""

    def count(self, reading: Reading, subscription: str, state: DeliveryState) -> int:
        """How many are in this state."""

    def page(
        self, reading: Reading, subscription: str, state: DeliveryState | None, *, below: int, limit: int
    ) -> list[Delivery]:
        """Those of a number below this, the newest first; of all states, or of one."""

    def one(self, reading: Reading, subscription: str, number: int) -> Delivery | None:
        """The delivery of this number, or None."""

    def settle(self, writing: Writing, one: Delivery, attempt: Attempt | None, due: str) -> bool:
        """Keeps an attempt and the state that it led to; False where it is not `due` then any more."""

    def attempts(self, reading: Reading, number: int, limit: int) -> list[Attempt]:
        """The attempts at a delivery, the newest first."""

    def silence(self, writing: Writing, record_id: str) -> int:
        """Removes what was answered to deliveries about a record; how many attempts there were."""

    def remove_old(self, writing: Writing, before: str, limit: int) -> int:
        """Removes some that do not wait and whose time was over before that; how many there were."""

    def remove_of(self, writing: Writing, subscription: str, limit: int) -> int:
        """Removes some of a subscription; how many there were."""

    def whose(self, reading: Reading) -> list[str]:
        """The subscriptions that there are deliveries of."""


class Passes(Protocol):
    """What was handed out to people without an account."""

    def by_hash(self, reading: Reading, hashed: str) -> Pass | None:
        """The pass whose secret has this hash, or None."""

    def by_number(self, reading: Reading, number: int) -> Pass | None:
        """The pass of this number, or None."""

    def page(self, reading: Reading, wanted: PassesWanted) -> list[Pass]:
        """Those that are wanted, the newest first."""

    def add(self, writing: Writing, one: Pass) -> int:
        """Adds one; its number."""

    def change(self, writing: Writing, one: Pass) -> None:
        """Gives the pass of this number all that it is."""

    def use(self, writing: Writing, one: Pass) -> None:
        """The same of what says how it was used, and of nothing else."""


class Proposals(Protocol):
    """What came in through passes."""

    def by_number(self, reading: Reading, number: int) -> Proposal | None:
        """The proposal of this number, or None."""

    def sent(self, reading: Reading, pass_number: int, token: str) -> Proposal | None:
        """What came in through a pass by a sending of this token, or None."""

    def page(self, reading: Reading, wanted: ProposalsWanted) -> list[Proposal]:
        """Those that are wanted, in the order of their numbers."""

    def waiting(self, reading: Reading) -> dict[str, int]:
        """By collection, how many wait."""

    def old(self, reading: Reading, before: str, limit: int) -> list[Proposal]:
        """Those that were settled before a moment, the oldest first."""

    def about(self, reading: Reading, record_id: str) -> list[Proposal]:
        """All of a record: those that would change it, and the one that created it."""

    def add(self, writing: Writing, one: Proposal) -> int:
        """Adds one; its number."""

    def change(self, writing: Writing, one: Proposal) -> None:
        """Gives the proposal of this number all that it is."""

    def remove(self, writing: Writing, number: int) -> None:
        """Removes one."""


class Database(Protocol):
    """The open database of a project."""

    #: Who works in this process.
    turn: Turn
    #: The number of the definitions that it is under; those of all that it has had; and by collection, the
    #: number of the last ones that moved its records.
    number: int
    defined: tuple[Defined, ...]
    moved: Mapping[str, int]
    #: What of newer definitions was taken in as it was opened, in sentences.
    taken: tuple[str, ...]

    #: How far the history has come.
    growth: Growth

    @property
    def counters(self) -> Counting:
        """What is counted across processes."""

    @property
    def presence(self) -> Meeting:
        """Who has which record open now, in whatever process they are served."""

    @property
    def inspector(self) -> Inspecting:
        """Requests that were noted for the accounts that made them."""

    @property
    def records(self) -> Mapping[str, Records]:
        """The records of each collection, by its name."""

    @property
    def history(self) -> History:
        """The entries of all changes."""

    @property
    def accounts(self) -> Accounts:
        """Accounts and tokens."""

    @property
    def outcomes(self) -> Outcomes:
        """Kept outcomes."""

    @property
    def notices(self) -> Notices:
        """The outbox."""

    @property
    def subscriptions(self) -> Subscriptions:
        """Which other systems are sent what."""

    @property
    def deliveries(self) -> Deliveries:
        """What is to be sent to them, and what became of it."""

    @property
    def passes(self) -> Passes:
        """What was handed out to people without an account."""

    @property
    def proposals(self) -> Proposals:
        """What came in through it."""

    @property
    def series(self) -> SeriesKept:
        """Series of numbers."""

    @property
    def heads(self) -> Heads:
        """Signed heads of the history, and the keys that signed them."""

    def check(self) -> None:
        """Raises `Unavailable` when the database cannot be read."""

    def reading(self, account: str | None = None) -> AbstractContextManager[Reading]:
        """A view for the body, in which each statement sees what is committed when it starts.

        Of an account's long reads only so many run or wait at a time; `Unavailable` is raised for more.
        """

    def snapshot(self, account: str | None = None) -> AbstractContextManager[Reading]:
        """The same, but of one moment throughout."""

    def write(self, work: Callable[[Writing], Result]) -> Result:
        """Runs `work` in one durable transaction and returns what it gives, once that is kept.

        Whatever `work` raises is raised here, with nothing it did kept. It may run on another thread, and
        again after a lost transaction: it must touch nothing but what it is given. Raises `ReferenceBroken`,
        `Unavailable`, `StorageFull`.
        """

    def change_accounts(self, work: Callable[[Writing], Result]) -> Result:
        """The same for a change of accounts or tokens, which every process then heeds at once."""

    def accounts_stamp(self) -> bytes | None:
        """Another one after each change of accounts or tokens, by whichever process; None: nobody knows."""

    def admitted(self, token: str, moment: datetime, *, used: bool = True) -> Admission | None:
        """Whom a token lets in at a moment, looked up or remembered; or None. Notes that it is `used`."""

    def note_uses(self) -> None:
        """Keeps when tokens were last used in this process; to be called now and then."""

    def together(self) -> Together:
        """Opens a transaction for several calls of `write` by this thread, which may wait for nobody.

        Raises `WouldWait` where it would have to.
        """

    def scrub(self) -> None:
        """Sees that what was removed is in no file of the database any more; waits for readers a while.

        Raises `Unavailable` where it cannot tell so.
        """

    def close(self) -> None:
        """Closes every connection."""
