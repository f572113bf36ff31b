"""What use cases about one record answer with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fenland.core.access.field_access import Record
from fenland.core.changes.change import Change


@dataclass(frozen=True, slots=True)
class Saved:
    """A record after a request about it, as its caller may see it.

    `dropped` names the fields that lenient handling ignored; `repeated` says that this is the kept
    outcome of an earlier request with the same idempotency key.
    """

    record: Record
    changed: bool
    etag: str
    collection: str = ""
    dropped: tuple[str, ...] = ()
    repeated: bool = False
    #: Whether the caller may not read the record any more: then it holds id and key alone, without a tag.
    unseen: bool = False
    #: The changes that were decided, whoever may see what of them: no answer shows these.
    changes: Sequence[Change] = ()
