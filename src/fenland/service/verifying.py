"""Verifying: a database, or an export of its history, held against the tree, the heads and the records.

Nothing is believed but what can be worked out: every entry's leaf and nodes, what opens its seals, the
signatures of heads, the triggers, and that the history replayed from nothing gives just the records there.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import orjson

from fenland.core.auditing import Fault, TreeAudit, differing_records
from fenland.core.canonical import canonical_plain
from fenland.core.history import ACCOUNTS, DEFINITIONS, Entry
from fenland.core.leaves import commitment, commitment_to
from fenland.core.merkle import includes, leaf_hash
from fenland.core.replaying import Replay, Unknown
from fenland.core.values import same
from fenland.service.signing_keys import verified
from fenland.storage.door import QUIET, Audited, Progress, audited

#: Faults of one kind that are told one by one.
_TOLD = 100
_EACH = 5_000


@dataclass
class Report:
    """What an audit found: how many entries, under which root, how many records and heads, and all faults."""

    entries: int = 0
    root: str = ""
    records: int = 0
    heads: int = 0
    faults: list[Fault] = field(default_factory=list)

    @property
    def sound(self) -> bool:
        """Whether nothing is wrong."""
        return not self.faults

    def as_json(self) -> dict[str, Any]:
        """For scripts."""
        told = [one.as_json() for one in self.faults]
        return {
            "sound": self.sound, "entries": self.entries, "root": self.root, "records": self.records,
            "heads": self.heads, "faults": told,
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class KnownHead:
    """A head that was kept elsewhere: its size and root, and when it was made."""

    size: int
    root: bytes
    time: str


def read_heads(text: str, keys: Iterable[Mapping[str, Any]]) -> list[KnownHead]:
    """The heads in a file, one JSON object a line, such as the service sends. Raises `ValueError`."""
    found, known = [], list(keys)
    for number, line in enumerate(filter(None, (one.strip() for one in text.splitlines())), 1):
        try:
            head = orjson.loads(line)
            # A file that names its keys is believed: it is what its holder has kept.
            content = verified(head["signed"], [*head.get("keys", []), *known])
            found.append(KnownHead(int(content["size"]), bytes.fromhex(content["root"]), content["time"]))
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise ValueError(f"Head {number} of the file cannot be used: {error}") from None
    if not found:
        raise ValueError("The file holds no head.")
    return found


def verify_database(
    path: Path, elsewhere: str | None = None, *, tree_only: bool = False, progress: Progress = QUIET
) -> Report:
    """Holds a database against its history. `elsewhere` is the text of heads that were kept elsewhere.

    Raises `DatabaseRefused`, and `ValueError` for heads that cannot be read.
    """
    with audited(path) as base:
        report, keys = Report(), base.keys()
        outside = [] if elsewhere is None else read_heads(elsewhere, keys)
        _tree(base, report, outside, progress)
        for name in base.missing_guards():
            report.faults.append(
                Fault("trigger", f"The trigger {name}, which keeps entries from change, is not as it was.")
            )
        _archives(base, path.parent, report)
        if not tree_only:
            _entries(base, report, progress)
        return report


# --- the tree ----------------------------------------------------------------------------------------


def _tree(base: Audited, report: Report, outside: Sequence[KnownHead], progress: Progress) -> None:
    heads, archives, whole = base.heads(), base.archives(), base.count()
    begins = archives[-1].last if archives else 0
    sizes = frozenset([*(one.size for one in heads), *(one.size for one in outside)])
    audit = TreeAudit(size=begins, peaks=base.peaks(begins), wanted=sizes)
    if begins in sizes:
        audit.roots[begins] = audit.root()
    for done, row in enumerate(base.rows(), 1):
        audit.take(row)
        if done % _EACH == 0 or done == whole:
            progress.told("entries", done, whole)
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
            report.faults.append(
                Fault("head", f"The head of {head.size} entries is forged: {error}", head.size, head.time)
            )
            continue
        if (content.get("size"), content.get("root")) != (head.size, head.root.hex()):
            words = f"The head of {head.size} entries says otherwise than what was signed."
            report.faults.append(Fault("head", words, head.size, head.time))
    for known in outside:
        words = f"The head of {known.size} entries that was kept elsewhere, of {known.time},"
        _head(report, audit, known.size, known.root, words)


def _head(report: Report, audit: TreeAudit, size: int, root: bytes, what: str) -> None:
    if size > audit.size:
        words = f"{what} is of more entries than there are: the last {size - audit.size} were cut off."
        report.faults.append(Fault("cut", words, audit.size + 1))
    elif size in audit.roots and audit.roots[size] != root:
        words = f"{what} has another root than the entries: one of them, or the head, is not as it was."
        report.faults.append(Fault("head", words, size))


def _archives(base: Audited, folder: Path, report: Report) -> None:
    for one in base.archives():
        place = folder / one.file
        if not place.is_file():
            # Kept elsewhere, perhaps: nothing can be said of it here.
            continue
        with place.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        if digest != one.digest:
            words = f"The archive {one.file} of entries {one.first} to {one.last} is not as it was written."
            report.faults.append(Fault("archive", words, one.first, one.time))


# --- what entries say --------------------------------------------------------------------------------


def _entries(base: Audited, report: Report, progress: Progress) -> None:
    """Opens every seal, and replays the history."""
    archives, defined, whole = base.archives(), base.defined(), base.count()
    begun = Replay(partial=bool(archives))
    last: dict[str, tuple[int, str]] = {}
    first = next(iter(base.entries()), None)
    if first is not None and first.collection != DEFINITIONS:
        # An old database told of its first ones only later; and some may be in an archive.
        ended = archives[-1].last if archives else 0
        known = [one for one in defined if one.sequence < ended] or defined[:1]
        begun.begin(known[-1].data)
    replay: Replay | None = begun
    for done, entry in enumerate(base.entries(), 1):
        _seals(entry, report)
        if entry.collection not in (ACCOUNTS, DEFINITIONS):
            last[entry.record_id] = (entry.sequence or 0, entry.time)
        if replay is not None:
            replay = _replayed(replay, entry, report)
        if done % _EACH == 0 or done == whole:
            progress.told("values", done, whole)
    if replay is not None:
        _records(base, replay, last, report)


def _replayed(replay: Replay, entry: Entry, report: Report) -> Replay | None:
    try:
        replay.take(entry)
    except (ValueError, KeyError) as error:
        words = f"Entry {entry.sequence} cannot follow from those before it: {error}"
        report.faults.append(Fault("record", words, entry.sequence, entry.time))
        return None
    return replay


def _seals(entry: Entry, report: Report) -> None:
    for name, seals in entry.seals.items():
        for seal, value in zip(seals, entry.changes[name], strict=True):
            if seal is None or seal.salt is None or not seal.kept:
                continue
            if commitment(seal.salt, value) != seal.hash:
                words = (
                    f"The value of {name} in entry {entry.sequence}, or its salt, is not what was entered."
                )
                report.faults.append(Fault("salt", words, entry.sequence, entry.time))


def _records(base: Audited, replay: Replay, last: Mapping[str, tuple[int, str]], report: Report) -> None:
    told, archived = 0, bool(base.archives())
    for name, stored in base.records(replay.definitions):
        counted = _Counted(stored)
        expected = replay.records.get(name, {})
        key = replay.definitions.collections[name].key
        for record_id, record, fields in differing_records(expected, name, counted, _same):
            sequence, time = last.get(record_id, (None, None))
            if sequence is None and archived:
                # All of its entries are in an archive.
                continue
            told += 1
            if told > _TOLD:
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
    if told > _TOLD:
        report.faults.append(
            Fault("record", f"{told - _TOLD} more records are not as their history has them.")
        )


class _Counted:
    def __init__(self, items: Iterable[Any]) -> None:
        self._items, self.count = items, 0

    def __iter__(self) -> Any:
        for one in self._items:
            self.count += 1
            yield one


def _same(name: str, told: Any, stored: Any) -> bool:
    if isinstance(told, Unknown):
        if told.salt is None or stored is None:
            # Nothing is known of it, or it was never to be kept.
            return True
        return commitment(told.salt, stored) == told.hash
    return same(told, stored)


# --- exports -----------------------------------------------------------------------------------------


def verify_export(lines: Iterable[bytes], heads: Sequence[KnownHead], progress: Progress = QUIET) -> Report:
    """Holds an export of the history, one entry a line, against itself and against heads kept elsewhere.

    A whole one is under a head; of a part, that each entry is its leaf is all that can be told, unless it
    has a path. Raises `ValueError` for a line that is no entry.
    """
    report, audit = Report(), TreeAudit(wanted=frozenset(one.size for one in heads))
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        sequence, hashed = _line(line, number, report)
        if sequence != audit.size + 1:
            if report.entries:
                words = f"Entries {audit.size + 1} to {sequence - 1} are not in the export."
                report.faults.append(Fault("missing", words, audit.size + 1))
            audit.lose(sequence - 1)
        audit.append(hashed)
        report.entries += 1
        if number % _EACH == 0:
            progress.told("entries", number, 0)
    report.heads = len(heads)
    if audit.whole:
        report.root = audit.root().hex()
    for head in heads:
        what = f"The head of {head.size} entries, of {head.time},"
        if head.size > audit.size:
            report.faults.append(
                Fault("cut", f"{what} is of more entries than the export has.", audit.size + 1)
            )
        elif audit.whole and audit.roots.get(head.size) != head.root:
            report.faults.append(Fault("head", f"{what} has another root than the export.", head.size))
    return report


def _line(line: bytes, number: int, report: Report) -> tuple[int, bytes]:
    try:
        found = orjson.loads(line)
        sequence, hashed, leaf = found["sequence"], bytes.fromhex(found["leaf_hash"]), found["leaf"]
        opened = found.get("opened", {})
        if leaf is not None:
            if leaf_hash(canonical_plain(leaf)) != hashed or leaf["sequence"] != sequence:
                words = f"Entry {sequence} is not what its hash says: it was changed."
                report.faults.append(Fault("changed", words, sequence, leaf.get("time")))
            for name, sides in opened.items():
                _check_opened(leaf, name, sides, report)
        return int(sequence), hashed
    except (orjson.JSONDecodeError, KeyError, TypeError, ValueError, AttributeError):
        raise ValueError(f"Line {number} is no entry of an export.") from None


def _check_opened(leaf: Mapping[str, Any], name: str, sides: Any, report: Report) -> None:
    for hashed, one in zip(leaf["sealed"][name], sides, strict=True):
        if one is None:
            continue
        if commitment_to(bytes.fromhex(one["salt"]), one["value"]) != hashed:
            words = f"The value of {name} in entry {leaf['sequence']}, or its salt, is not what was entered."
            report.faults.append(Fault("salt", words, leaf["sequence"], leaf["time"]))


def verify_evidence(found: Mapping[str, Any], heads: Sequence[KnownHead] = ()) -> Report:
    """Holds an evidence file of one record against itself, and its head against those kept elsewhere.

    Raises `ValueError` for what is none.
    """
    try:
        report, head, keys = Report(heads=1), found["head"], found["keys"]["keys"]
        content = verified(head["signed"], keys)
        size, root = content["size"], bytes.fromhex(content["root"])
        if any(one.size == size and one.root != root for one in heads):
            words = f"The head of {size} entries is another than the one that was kept elsewhere."
            report.faults.append(Fault("head", words, size))
        report.faults += _strangers(found)
        for number, one in enumerate(found["entries"], 1):
            sequence, hashed = _line(orjson.dumps(one), number, report)
            path = [bytes.fromhex(step) for step in one["path"]]
            if not includes(sequence - 1, hashed, size, path, root):
                words = f"Entry {sequence} is not in the tree of the head."
                report.faults.append(Fault("head", words, sequence))
            report.entries += 1
        report.root = root.hex()
        return report
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise ValueError(f"This is no evidence file, or its head is forged: {error}") from None


def _strangers(found: Mapping[str, Any]) -> list[Fault]:
    """Entries that are of another record, or before which others of the record were left out."""
    faults: list[Fault] = []
    begins: int | None = None
    for place, one in enumerate(found["entries"]):
        leaf, sequence = one["leaf"], one["sequence"]
        if leaf is None:
            continue
        begins = leaf["version"] - place if begins is None else begins
        if leaf["id"] != found["id"]:
            faults.append(Fault("missing", f"Entry {sequence} is of another record.", sequence, leaf["time"]))
        elif leaf["version"] != begins + place:
            words = f"Entry {sequence} does not follow the one before it: entries were left out."
            faults.append(Fault("missing", words, sequence, leaf["time"]))
            begins = leaf["version"] - place
    return faults
