"""Archiving: entries older than a limit move into a file, which proves that the history begins so.

The file is JSON Lines: what it is first, then each entry with the hash of its leaf. It holds no value that
stands under a seal: those stay in the database, where they can be erased. Nothing is removed before the file
was written, read back and found to be what the tree says.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import orjson

from fenland.core.history.auditing import TreeAudit
from fenland.core.history.leaves import leaf_of
from fenland.core.history.merkle import consistent, leaf_hash
from fenland.core.problems import Conflict, Unavailable
from fenland.core.values.canonical import canonical_plain
from fenland.service.proof.proving import head_json, newest_head
from fenland.service.proof.signing_keys import verified
from fenland.service.service import Service
from fenland.storage.door import QUIET, Archive, Head, Progress, Reading

_FORMAT = "fenland-archive-1"
_AT_A_TIME = 1_000


@dataclass(frozen=True, slots=True)
class Archived:
    """What an archive holds: its first and last entry, and the root of all up to that."""

    first: int
    last: int
    root: bytes


def archive(service: Service, folder: Path, before: str, progress: Progress = QUIET) -> tuple[Path, Archived]:
    """Moves the entries from before a time into a new file in a folder. The newest one always stays.

    Raises `Conflict` where there is nothing to move, and `Unavailable` where the file cannot be written.
    """
    history, head = service.database.history, newest_head(service)
    with service.database.snapshot() as reading:
        first = history.first(reading)
        last = min(history.before(reading, before), history.last(reading).sequence - 1)
        if last < first:
            raise Conflict(f"There are no entries from before {before} to move.")
        path = folder / f"history-{first}-{last}.jsonl"
        digest = _write(path, _lines(service, reading, (first, last), head, progress))
    found = read_archive(path)
    with service.database.reading() as reading:
        if found.root != history.tree.root(reading, last):
            path.unlink()
            raise Unavailable("The archive was not written as it should be. Nothing was removed.")
    beside = os.path.relpath(path, service.place)
    about = Archive(first, last, beside, digest, service.now())
    service.database.write(lambda writing: history.archive(writing, about))
    return path, found


def _write(path: Path, lines: Iterator[bytes]) -> str:
    """Writes the file; the SHA-256 of its bytes."""
    digest, part = hashlib.sha256(), path.with_name(path.name + ".part")
    try:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        file = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o600)
        with os.fdopen(file, "wb") as out:
            for line in lines:
                digest.update(line)
                out.write(line)
            out.flush()
            os.fsync(out.fileno())
        os.link(part, path)
    except FileExistsError:
        raise Unavailable(f"{path} is there already, and nothing is written over. Move it away.") from None
    except OSError as error:
        raise Unavailable(f"{path} cannot be written: {error.strerror}.") from None
    finally:
        with suppress(OSError):
            part.unlink()
    return digest.hexdigest()


def _lines(
    service: Service, reading: Reading, span: tuple[int, int], head: Head, progress: Progress
) -> Iterator[bytes]:
    history, (first, last) = service.database.history, span
    about = {
        "format": _FORMAT,
        "first": first,
        "last": last,
        "root": history.tree.root(reading, last).hex(),
        # With these, the root can be worked out from the entries of this file alone.
        "peaks": [one.hex() for one in history.tree.peaks(reading, first - 1)],
        "consistency": [one.hex() for one in history.tree.consistency(reading, last, head.size)],
        "head": head_json(head),
        "keys": {"keys": service.database.heads.keys(reading)},
    }
    yield orjson.dumps(about, option=orjson.OPT_APPEND_NEWLINE)
    above = first - 1
    while above < last:
        page = history.following(reading, above, _AT_A_TIME, last + 1)
        for entry in page:
            leaf = leaf_of(entry)
            line = {
                "sequence": entry.sequence,
                "leaf_hash": leaf_hash(leaf).hex(),
                "leaf": orjson.Fragment(leaf),
            }
            yield orjson.dumps(line, option=orjson.OPT_APPEND_NEWLINE)
        above = page[-1].sequence or last
        progress.report("entries", above - first + 1, last - first + 1)


def read_archive(path: Path) -> Archived:
    """What an archive holds, once it was seen to be what it says. Raises `ValueError`."""
    try:
        return _read_archive(path)
    except (orjson.JSONDecodeError, KeyError, TypeError, IndexError, AttributeError):
        # Some part of it is not there, or is of another kind.
        raise ValueError(f"{path} is no archive of a history.") from None


def _read_archive(path: Path) -> Archived:
    with path.open("rb") as file:
        about = orjson.loads(file.readline())
        if about["format"] != _FORMAT:
            raise ValueError(f"{path} is no archive of a history.")
        audit = TreeAudit(size=about["first"] - 1, peaks=[bytes.fromhex(one) for one in about["peaks"]])
        for number, line in enumerate(file, about["first"]):
            found = orjson.loads(line)
            hashed = leaf_hash(canonical_plain(found["leaf"]))
            if found["sequence"] != number or hashed.hex() != found["leaf_hash"]:
                raise ValueError(f"Entry {number} of {path} is not what it was.")
            audit.append(hashed)
    if audit.size != about["last"] or audit.root().hex() != about["root"]:
        raise ValueError(f"{path} is not whole.")
    _check_head(path, about)
    return Archived(about["first"], about["last"], audit.root())


def _check_head(path: Path, about: Mapping[str, Any]) -> None:
    head = verified(about["head"]["signed"], about["keys"]["keys"])
    steps = [bytes.fromhex(one) for one in about["consistency"]]
    older = (about["last"], bytes.fromhex(about["root"]))
    if not consistent(older, (head["size"], bytes.fromhex(head["root"])), steps):
        raise ValueError(f"{path} is not the beginning of what its head is of.")
