"""What an audit of the history comes to, and the heads kept elsewhere that it is held against."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import orjson

from fenland.core.history.auditing import Fault
from fenland.service.proof.signing_keys import verified


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
        faults = [one.as_json() for one in self.faults]
        return {
            "sound": self.sound, "entries": self.entries, "root": self.root, "records": self.records,
            "heads": self.heads, "faults": faults,
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
