"""Verifying what left the service: an export of the history, and the evidence file of one record."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import orjson

from fenland.core.history.auditing import Fault, TreeAudit
from fenland.core.history.leaves import commitment_to, entry_from
from fenland.core.history.merkle import includes, leaf_hash
from fenland.core.values.canonical import canonical_plain
from fenland.service.proof.reports import KnownHead, Report
from fenland.service.proof.signing_keys import verified
from fenland.storage.door import QUIET, Progress

#: Lines between two words on how far it is.
_EACH = 5_000


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
        if hashed is None:
            # Of an entry that is older than salts, of which whoever exported may not see all.
            audit.lose(sequence)
        else:
            audit.append(hashed)
        report.entries += 1
        if number % _EACH == 0:
            progress.report("entries", number, 0)
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


def _line(line: bytes, number: int, report: Report) -> tuple[int, bytes | None]:
    try:
        found = orjson.loads(line)
        sequence, told, leaf = found["sequence"], found["leaf_hash"], found["leaf"]
        hashed = None if told is None else bytes.fromhex(told)
        opened = found.get("opened", {})
        if leaf is not None:
            if leaf_hash(canonical_plain(leaf)) != hashed or leaf["sequence"] != sequence:
                words = f"Entry {sequence} is not what its hash says: it was changed."
                report.faults.append(Fault("changed", words, sequence, leaf.get("time")))
            entry_from(leaf)
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
        if heads and all(one.size != size for one in heads):
            words = (
                f"No head that was kept elsewhere is of {size} entries, so the file's cannot be compared. "
                f"Ask for the evidence under one of {', '.join(str(one.size) for one in heads[-5:])}."
            )
            report.faults.append(Fault("head", words, size))
        if any(one.size == size and one.root != root for one in heads):
            words = f"The head of {size} entries is another than the one that was kept elsewhere."
            report.faults.append(Fault("head", words, size))
        report.faults += _strangers(found)
        for number, one in enumerate(found["entries"], 1):
            sequence, hashed = _line(orjson.dumps(one), number, report)
            path = [bytes.fromhex(step) for step in one["path"]]
            if hashed is None or not includes(sequence - 1, hashed, size, path, root):
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
