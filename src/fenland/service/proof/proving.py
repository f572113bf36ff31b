"""Proving: signed heads of the history's tree, and what shows that entries stand under them.

A head says how many entries there are, what the root of their tree is, and when that was; it is made when it
is asked for and entries have come since the last one. docs/verifying.md describes all of this for outsiders.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

import orjson

from fenland.core.access.policy import Caller
from fenland.core.history.entries import Entry, Seal
from fenland.core.history.leaves import leaf_of, leaf_value
from fenland.core.problems import Malformed, NotFound, NotPermitted
from fenland.service.changes.finding import Address
from fenland.service.history.past import Subject, newest_first, subject
from fenland.service.history.searching import Reader
from fenland.service.history.timeline import telling_of
from fenland.service.proof.signing_keys import SigningKey
from fenland.service.service import Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Head, Reading, Writing

#: The newest entries that an evidence file holds, at most.
MOST_ENTRIES = 10_000


def permit_hashes(view: View, caller: Caller) -> None:
    """Raises `NotPermitted` to who may not have hashes over all of the history.

    Where all leaves have salts, everybody may: nothing can be told from a hash. Of a leaf without one, what
    is hidden from somebody could be found by trying values, and every path stands on such leaves.
    """
    if not _may_have_hashes(view, caller):
        raise NotPermitted(
            "Hashes of this history stand on entries from before leaves had salts, of which what is hidden "
            "could be guessed. Ask somebody who may see all of it, or a role that history_auditors names."
        )


def _may_have_hashes(view: View, caller: Caller) -> bool:
    service = view.service
    if not service.database.history.unsalted(view.reading):
        return True
    auditing = caller.scope is None and not service.ways_in.auditors.isdisjoint(caller.actor.roles)
    return (auditing and caller.acting is None) or Reader(view, caller).sees_everything


def shown_hash(entry: Entry, leaf: Mapping[str, Any], reading: Reading, service: Service) -> str | None:
    """The hash of an entry's leaf; None where it could tell what is hidden of it."""
    if entry.salt is None and leaf["leaf"] is None:
        return None
    return service.database.history.tree.leaf(reading, entry.sequence or 0).hex()


def head_json(head: Head) -> dict[str, Any]:
    """A head as answers and files show it."""
    return {"size": head.size, "root": head.root.hex(), "time": head.time, "signed": head.signed}


def newest_head(service: Service) -> Head:
    """The head of the tree as it is now; signed and kept if it is not yet."""
    heads, history = service.database.heads, service.database.history
    with service.database.reading() as reading:
        kept, size = heads.last(reading), history.last(reading).sequence
    if kept is not None and kept.size == size:
        return kept
    key = signing_key(service)

    def work(writing: Writing) -> Head:
        last = history.last(writing)
        size = last.sequence
        kept = heads.last(writing)
        if kept is not None and kept.size == size:
            return kept
        now = max(service.now(), last.time)
        root = history.tree.root(writing, size)
        content = {"size": size, "root": root.hex(), "time": now}
        head = Head(size, root, now, key.signed(content))
        heads.add_key(writing, key.public, now)
        heads.keep(writing, head)
        return head

    return service.database.write(work)


def signing_key(service: Service) -> SigningKey:
    """The key that signs, read anew each time: it may be replaced while the service runs."""
    return SigningKey(service.key_file)


def key_set(service: Service) -> dict[str, Any]:
    """Every public key that signs or signed, as a JWK set (RFC 7517 section 5)."""
    heads, key = service.database.heads, signing_key(service).public
    with service.database.reading() as reading:
        kept = heads.keys(reading)
    if key["kid"] not in {one["kid"] for one in kept}:
        service.database.write(lambda writing: heads.add_key(writing, key, service.now()))
        kept.append(key)
    return {"keys": kept}


def kept_heads(service: Service, caller: Caller, *, below: int | None, limit: int) -> list[Head]:
    """The heads that are kept, newest first."""
    with snapshot(service) as view:
        found = service.database.heads.page(
            view.reading, below=2**62 if below is None else below, limit=limit
        )
        if _may_have_hashes(view, caller):
            return found
        unsalted = service.database.history.unsalted(view.reading)
    return [one for one in found if one.size > unsalted]


def consistency(service: Service, caller: Caller, older: int, size: int | None) -> dict[str, Any]:
    """What shows that the tree of `size` entries begins with all of the older one. Raises `Malformed`."""
    with snapshot(service) as view:
        permit_hashes(view, caller)
    newest = newest_head(service)
    size = newest.size if size is None else size
    if not 0 < older <= size <= newest.size:
        raise Malformed(f"from is {older} and to is {size}. They must go up, from 1 to {newest.size}.")
    with service.database.snapshot() as reading:
        tree = service.database.history.tree
        return {
            "from": older,
            "to": size,
            "from_root": tree.root(reading, older).hex(),
            "to_root": tree.root(reading, size).hex(),
            "path": [one.hex() for one in tree.consistency(reading, older, size)],
        }


def entry_proof(service: Service, caller: Caller, sequence: int, size: int | None) -> dict[str, Any]:
    """What shows that one entry stands in the tree of a head. Raises `NotFound`."""
    head = _head(service, caller, size)
    with snapshot(service) as view:
        permit_hashes(view, caller)
        reader = Reader(view, caller)
        entry = service.database.history.entry(view.reading, sequence)
        if entry is None or sequence > head.size or not reader.sees(entry):
            raise NotFound(f"There is no entry {sequence} under this head that you may see.")
        return {
            **_proof(service, view.reading, entry, head),
            **shown_leaf(entry, reader.telling(entry).hidden),
            "head": head_json(head),
        }


def record_proof(
    service: Service, caller: Caller, address: Address, *, below: int | None, limit: int
) -> dict[str, Any]:
    """The same for a page of a record's entries, newest first."""
    head = newest_head(service)
    with snapshot(service) as view:
        found = subject(view, caller, address)
        permit_hashes(view, caller)
        entries, more = service.database.history.of_record(
            view.reading, found.id, below=2**62 if below is None else below, limit=limit
        )
        shown = [_with_proof(service, view.reading, found, one, head) for one in _under(entries, head)]
    return {"head": head_json(head), "items": shown, "next": entries[-1].version if more else None}


def evidence(service: Service, caller: Caller, address: Address, size: int | None = None) -> dict[str, Any]:
    """All that shows what became of a record, in one file that can be checked without the service.

    With `size`, under the kept head of so many entries. Raises `NotFound` where there is none.
    """
    head = _head(service, caller, size)
    with snapshot(service) as view:
        found = subject(view, caller, address)
        permit_hashes(view, caller)
        entries = list[Entry]()
        for one in newest_first(view, found.id):
            if len(entries) == MOST_ENTRIES:
                break
            entries.append(one)
        collection = found.resource.collection
        return {
            "format": "fenland-evidence-1",
            "collection": collection.name,
            "id": found.id,
            "key": found.record[collection.key],
            "head": head_json(head),
            "keys": {"keys": service.database.heads.keys(view.reading)},
            "entries": [
                _with_proof(service, view.reading, found, one, head)
                for one in _under(reversed(entries), head)
            ],
        }


def _under(entries: Any, head: Head) -> list[Entry]:
    return [one for one in entries if (one.sequence or 0) <= head.size]


def _head(service: Service, caller: Caller, size: int | None) -> Head:
    """The newest head, or the one of this size. Raises `NotFound`."""
    newest = newest_head(service)
    if size is None or size == newest.size:
        return newest
    found = kept_heads(service, caller, below=size + 1, limit=1)
    if not found or found[0].size != size:
        raise NotFound(f"No head of {size} entries is kept.")
    return found[0]


def _proof(service: Service, reading: Reading, entry: Entry, head: Head) -> dict[str, Any]:
    sequence, tree = entry.sequence or 0, service.database.history.tree
    return {
        "sequence": sequence,
        "leaf_hash": tree.leaf(reading, sequence).hex(),
        "path": [one.hex() for one in tree.inclusion(reading, sequence, head.size)],
    }


def _with_proof(
    service: Service, reading: Reading, found: Subject, entry: Entry, head: Head
) -> dict[str, Any]:
    hidden = telling_of(service, found)(entry).hidden
    return {**_proof(service, reading, entry, head), **shown_leaf(entry, hidden)}


def shown_leaf(entry: Entry, hidden: Collection[str]) -> dict[str, Any]:
    """The leaf of an entry and what opens its seals, but for fields that are hidden from who reads it.

    A leaf that holds in clear what they may not see is left out: its hash alone is told then.
    """
    if any(name in hidden and name not in entry.seals for name in entry.changes):
        return {"leaf": None, "opened": {}}
    opened = {
        name: [_opened(seal, value) for seal, value in zip(seals, entry.changes[name], strict=True)]
        for name, seals in entry.seals.items()
        if name not in hidden
    }
    return {"leaf": orjson.loads(leaf_of(entry)), "opened": opened}


def _opened(seal: Seal | None, value: Any) -> Mapping[str, Any] | None:
    if seal is None or seal.salt is None or not seal.kept:
        return None
    return {"salt": seal.salt.hex(), "value": leaf_value(value)}
