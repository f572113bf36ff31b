"""Verifying a database: held against the tree, the heads and archives, and against what its entries tell.

Nothing is believed but what can be worked out: every entry's leaf and nodes, what opens its seals, the
signatures of heads, the triggers, and that the history replayed from nothing, archives included, gives just
the records, definitions and accounts that are there.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import chain, islice
from pathlib import Path
from typing import Any

import orjson

from fenland.core.access.field_access import Record
from fenland.core.consequences.deriving import Derivations
from fenland.core.consequences.held import Held
from fenland.core.consequences.network import Network
from fenland.core.definitions.asking import all_at_hand
from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.own import Functions
from fenland.core.definitions.reading import definitions_from
from fenland.core.evolving.replaying import BEFORE, Replay, Unknown
from fenland.core.history.auditing import Fault, TreeAudit, differing_records
from fenland.core.history.entries import DEFINITIONS, OWN, Entry
from fenland.core.history.leaves import commitment, entry_from
from fenland.core.history.merkle import leaf_hash
from fenland.core.problems import RuleFailed, Unavailable
from fenland.core.values.canonical import canonical_plain
from fenland.core.values.plain import same
from fenland.service.proof.reports import KnownHead, Report, read_heads
from fenland.service.proof.signing_keys import verified
from fenland.service.proof.verifying_accounts import Told
from fenland.storage.door import QUIET, Audited, Progress, Unreadable, audited

#: Faults of one kind that are told one by one.
_NAMED = 100
#: Faults after which entries are not those of which terms were made.
_OF_ENTRIES = frozenset({"changed", "missing", "swapped", "inserted", "removed"})
_EACH = 5_000


@dataclass(frozen=True, slots=True)
class Around:
    """What is at hand besides a database: folders where archives may lie, and functions of `rules.py`."""

    folders: tuple[Path, ...] = ()
    functions: Functions = field(default_factory=dict)


def verify_database(
    path: Path,
    elsewhere: str | None = None,
    *,
    tree_only: bool = False,
    around: Around = Around(),
    progress: Progress = QUIET,
) -> Report:
    """Holds a database against its history. `elsewhere` is the text of heads that were kept elsewhere.

    Raises `DatabaseRefused`, and `ValueError` for heads that cannot be read.
    """
    around = replace(around, folders=(path.parent, *around.folders))
    with audited(path) as base:
        outside = [] if elsewhere is None else read_heads(elsewhere, base.keys())
        return verify_opened(base, around, outside, tree_only=tree_only, progress=progress)


def verify_opened(
    base: Audited,
    around: Around,
    outside: Sequence[KnownHead] = (),
    *,
    tree_only: bool = False,
    progress: Progress = QUIET,
) -> Report:
    """The same, of a database that is open; its archives lie in one of the folders around it."""
    report = Report()
    files = _archives(base, around.folders, report)
    _tree(base, files, report, outside, progress)
    for name in base.missing_guards():
        words = f"The trigger {name}, which keeps entries from change, is not as it was."
        report.faults.append(Fault("trigger", words))
    for name in base.strange_triggers():
        words = f"The trigger {name} is none of this service: it can change what is written."
        report.faults.append(Fault("trigger", words))
    if not tree_only:
        replayed = _entries(base, files, report, progress)
        if replayed is not None:
            _records(base, *replayed, around.functions, report)
        # Where entries are not what they were, what was made of them is not either.
        wrong = [] if any(one.kind in _OF_ENTRIES for one in report.faults) else base.wrong_terms()
        for block in islice(wrong, _NAMED):
            words = f"What searches find entries up to {block} by was changed: they may not find them."
            report.faults.append(Fault("terms", words, block))
    return report


# --- archives ----------------------------------------------------------------------------------------


def _archives(base: Audited, folders: Sequence[Path], report: Report) -> list[Path] | None:
    """The files of all archives, oldest first; None where one is not there, or not as it was."""
    found: list[Path] = []
    expected, told = 1, len(report.faults)
    for one in base.archives():
        if one.first != expected or one.last < one.first:
            words = (
                f"The archive {one.file} is said to hold entries {one.first} to {one.last}, which cannot be."
            )
            report.faults.append(Fault("archive", words, expected, one.time))
        expected = one.last + 1
        places = [folder / one.file for folder in folders] + [
            folder / Path(one.file).name for folder in folders
        ]
        place = next((place for place in places if place.is_file()), None)
        if place is None:
            words = (
                f"The archive {one.file} of entries {one.first} to {one.last} is not there, so what they say "
                "cannot be checked. Name the folder it lies in with --archives."
            )
            report.faults.append(Fault("archive", words, one.first, one.time))
            continue
        with place.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        if digest != one.digest:
            words = f"The archive {one.file} of entries {one.first} to {one.last} is not as it was written."
            report.faults.append(Fault("archive", words, one.first, one.time))
        found.append(place)
    if base.count() and base.first() != expected:
        words = f"The entries begin at {base.first()}, and archives end before {expected}."
        report.faults.append(Fault("archive", words, expected))
    return found if len(report.faults) == told else None


def _lines(path: Path) -> Iterator[Mapping[str, Any]]:
    with path.open("rb") as file:
        next(file)
        for line in file:
            yield orjson.loads(line)


def _archived(base: Audited, files: Sequence[Path]) -> Iterator[Entry | Unreadable]:
    """The entries of archives, with what the database has of their secret values."""
    for path in files:
        for line in _lines(path):
            try:
                yield base.opened(*entry_from(line["leaf"]))
            except ValueError as error:
                yield Unreadable(int(line["sequence"]), str(error))


# --- the tree ----------------------------------------------------------------------------------------


def _tree(
    base: Audited,
    files: list[Path] | None,
    report: Report,
    outside: Sequence[KnownHead],
    progress: Progress,
) -> None:
    heads, whole = base.heads(), base.count()
    sizes = frozenset([*(one.size for one in heads), *(one.size for one in outside)])
    audit = _begun(base, files, sizes, report)
    for done, row in enumerate(base.rows(), 1):
        audit.take(row)
        if done % _EACH == 0 or done == whole:
            progress.report("entries", done, whole)
    audit.end()
    report.entries, report.root = audit.size, audit.root().hex() if audit.whole else ""
    report.faults += audit.faults
    report.heads = len(heads)
    keys = base.keys()
    for head in heads:
        _head(report, audit, head.size, head.root, f"The head of {head.size} entries, of {head.time},")
        try:
            content = verified(head.signed, keys)
        except ValueError as error:
            words = f"The head of {head.size} entries is forged: {error}"
            report.faults.append(Fault("head", words, head.size, head.time))
            continue
        if (content.get("size"), content.get("root")) != (head.size, head.root.hex()):
            words = f"The head of {head.size} entries says otherwise than what was signed."
            report.faults.append(Fault("head", words, head.size, head.time))
    for known in outside:
        words = f"The head of {known.size} entries that was kept elsewhere, of {known.time},"
        _head(report, audit, known.size, known.root, words)


def _begun(base: Audited, files: list[Path] | None, sizes: frozenset[int], report: Report) -> TreeAudit:
    """The audit up to the first entry of the database: by the archives, or without them by the nodes."""
    archives = base.archives()
    begins = archives[-1].last if archives else 0
    try:
        kept = base.peaks(begins)
        roots = {size: base.root(size) for size in sizes if size <= begins}
    except LookupError as error:
        report.faults.append(Fault("archive", str(error.args[0]), base.first()))
        audit = TreeAudit(wanted=sizes)
        audit.lose(base.first() - 1)
        return audit
    if files is None:
        return TreeAudit(size=begins, peaks=kept, wanted=sizes, roots=roots)
    audit = TreeAudit(wanted=sizes)
    for line in chain.from_iterable(map(_lines, files)):
        audit.append(leaf_hash(canonical_plain(line["leaf"])))
    if audit.size != begins or audit.peaks != kept:
        words = "The archives do not hold the entries that the nodes of the database are of."
        report.faults.append(Fault("archive", words, 1))
    return audit


def _head(report: Report, audit: TreeAudit, size: int, root: bytes, what: str) -> None:
    if size > audit.size:
        words = f"{what} is of more entries than there are: the last {size - audit.size} were cut off."
        report.faults.append(Fault("cut", words, audit.size + 1))
    elif size in audit.roots and audit.roots[size] != root:
        words = f"{what} has another root than the entries: one of them, or the head, is not as it was."
        report.faults.append(Fault("head", words, size))


# --- what entries say --------------------------------------------------------------------------------


def _entries(
    base: Audited, files: list[Path] | None, report: Report, progress: Progress
) -> tuple[Replay, dict[str, tuple[int, str]]] | None:
    """Opens every seal, and replays the history: what that gives, and by record its last entry."""
    defined = base.defined()
    archives = base.archives()
    done, whole = 0, base.count() + (archives[-1].last if archives and files else 0)
    begun = Replay(partial=bool(archives) and files is None)
    told = Told(defined, report, partial=files is None)
    last: dict[str, tuple[int, str]] = {}
    replay: Replay | None = begun
    for entry in chain(_archived(base, files or []), base.entries()):
        done += 1
        if isinstance(entry, Unreadable):
            words = f"Entry {entry.sequence} holds what no entry can: {entry.why.rstrip('.')}."
            report.faults.append(Fault("changed", words, entry.sequence))
            replay = None
            continue
        if done == 1 and entry.collection != DEFINITIONS:
            # An old database told of its first ones only later; and some may be in an archive.
            known = [one for one in defined if one.sequence < (entry.sequence or 0)] or defined[:1]
            try:
                begun.begin(known[-1].data)
            except (DefinitionMistakes, ValueError, KeyError, TypeError, AttributeError):
                replay = None
        if entry.collection not in OWN:
            last[entry.record_id] = (entry.sequence or 0, entry.time)
        if replay is not None:
            replay = _replayed(replay, entry, report)
        told.take(entry, replay)
        if done % _EACH == 0 or done == whole:
            progress.report("values", done, whole)
    told.end(base.accounts(), base.subscriptions(), base.handed_out(), base.stray_secrets())
    return None if replay is None else (replay, last)


def _replayed(replay: Replay, entry: Entry, report: Report) -> Replay | None:
    try:
        replay.take(entry)
    except (ValueError, KeyError, TypeError, AttributeError, DefinitionMistakes) as error:
        words = f"Entry {entry.sequence} cannot follow from those before it: {error}"
        report.faults.append(Fault("record", words, entry.sequence, entry.time))
        return None
    return replay


def _records(
    base: Audited,
    replay: Replay,
    last: Mapping[str, tuple[int, str]],
    functions: Functions,
    report: Report,
) -> None:
    told, definitions = 0, replay.definitions
    if not all_at_hand(definitions.collections):
        data = replay.data
        definitions = definitions_from(data["collections"], data["roles"], functions, kept=True)
    # Where not all can be worked out, not all is known of what is made of it.
    partial = replay.partial or not all_at_hand(definitions.collections)
    if replay.forgot:
        _fill(base, replay)
    between = Held(Network(definitions), replay.records)
    for name, stored in base.records(replay.definitions):
        derivations = Derivations(definitions.collections[name])
        counted = _Watched(stored, derivations, between, partial=partial)
        expected = replay.records.get(name, {})
        key = replay.definitions.collections[name].key
        for record_id, record, fields in differing_records(expected, counted, _same):
            sequence, time = last.get(record_id, (None, None))
            if sequence is None and partial:
                # All of its entries are in an archive that is not at hand.
                continue
            told += 1
            if told > _NAMED:
                continue
            if record is None:
                what = f"The record {expected[record_id][key]!r} of {name} is gone, and no entry says so."
            elif record_id not in expected:
                what = f"The record {record[key]!r} of {name} is there, and no entry says so."
            else:
                what = (
                    f"The record {record[key]!r} of {name} is not as its history has it, in "
                    f"{', '.join(fields)}: it was changed without an entry."
                )
            report.faults.append(Fault("record", what, sequence, time))
        report.records += counted.count
        if counted.failed:
            words = f"What is derived in {name} cannot be checked. {counted.failed}"
            report.faults.append(Fault("derived", words))
        for record, fields in counted.differing:
            sequence, time = last.get(record["id"], (None, None))
            words = (
                f"The record {record[key]!r} of {name} holds in {', '.join(fields)} what does not come of "
                "the fields that it is derived from."
            )
            report.faults.append(Fault("derived", words, sequence, time))
    if told > _NAMED:
        report.faults.append(
            Fault("record", f"{told - _NAMED} more records are not as their history has them.")
        )


def _fill(base: Audited, replay: Replay) -> None:
    """Takes derived values that the replay cannot know for those that stand there; all are checked later."""
    for name, stored in base.records(replay.definitions):
        for record in stored:
            expected = replay.records[name].get(record["id"], {})
            for field_name, value in expected.items():
                if value is BEFORE and field_name in record:
                    expected[field_name] = record[field_name]


class _Watched:
    """Records on their way: how many there are, and those whose derived fields are not what they come to."""

    def __init__(
        self, records: Iterable[Record], derivations: Derivations, between: Held, *, partial: bool
    ) -> None:
        """`between` are the records that there should be; `partial`, not all of them are known."""
        self._records, self._derivations = records, derivations
        self._between, self._partial = between, partial
        self.count, self.differing = 0, list[tuple[Record, list[str]]]()
        #: Why derived fields could not be worked out, where a function failed.
        self.failed = ""

    def __iter__(self) -> Iterator[Record]:
        for one in self._records:
            self.count += 1
            try:
                found = {} if self.failed else self._come_to(one)
            except (RuleFailed, Unavailable) as refusal:
                self.failed, found = refusal.detail, {}
            fields = [name for name, value in found.items() if not same(one[name], value)]
            if fields and len(self.differing) < _NAMED:
                self.differing.append((one, fields))
            yield one

    def _come_to(self, record: Record) -> Record:
        name, between = self._derivations.collection.name, self._between
        found = self._derivations.values(record, [], lambda *_: None, between.by_key)
        outer = {} if self._partial else between.values(name, record)
        return {one: value for one, value in found.items() if one not in between.outer[name]} | outer


def _same(told: Any, stored: Any) -> bool:
    if isinstance(told, Unknown):
        if told.salt is None or stored is None:
            # Nothing is known of it, or it was never to be kept.
            return True
        return commitment(told.salt, stored) == told.hash
    return same(told, stored)
