"""The parts of an entry, a row each: what it is called where, how it is kept, shown and searched.

Leaves, the table, answers, the OpenAPI document, exports and searches are made of these rows; a new part is
a row here, an attribute of `Entry`, and what fills it. The changes of an entry, their seals and its nodes are
no such parts: each of them has its own form.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

from fenland.core.expressions.types import INT, STRING, TIMESTAMP, ValueType
from fenland.core.history.entries import Action

Schema = Mapping[str, Any]
#: In the table: a short text, any text, JSON, a time, the sequence of an entry, and a number.
Kept = Literal["word", "text", "json", "time", "sequence", "number"]


@dataclass(frozen=True, slots=True)
class Part:
    """One row. A part that not every entry has is null where it has none, and then in no leaf."""

    #: What leaves, answers and files call it, and the attribute of entries.
    name: str
    kept: Kept
    schema: Schema
    searched: ValueType = STRING
    attribute: str = ""
    always: bool = False
    #: Whether a parameter of its name asks for the entries that have it; whether blocks of entries are known
    #: by it (`terms.py`), and then of few different ones or of many.
    equal: bool = False
    term: Literal["", "few", "many"] = ""
    #: Whether answers and files show it.
    shown: bool = True

    def __post_init__(self) -> None:
        object.__setattr__(self, "attribute", self.attribute or self.name)

    def of(self, entry: Any) -> Any:
        """The part of an entry."""
        return getattr(entry, self.attribute)


_ACTIONS: Schema = {"type": "string", "enum": list(get_args(Action))}
_TEXT, _MAYBE, _NUMBER = {"type": "string"}, {"type": ["string", "null"]}, {"type": ["integer", "null"]}


def _said(schema: Schema, description: str) -> Schema:
    return {**schema, "description": description}


#: In the order in which answers and files show them.
PARTS: tuple[Part, ...] = (
    Part("sequence", "sequence", {"type": "integer"}, INT, always=True),
    Part("time", "time", {"type": "string", "format": "date-time"}, TIMESTAMP, always=True),
    # Entries from before there were salts have none.
    Part("salt", "word", _MAYBE, shown=False),
    Part("collection", "word", _TEXT, always=True, equal=True, term="few"),
    Part("id", "word", {"type": "string", "format": "uuid"}, attribute="record_id", always=True, equal=True),
    Part("key", "json", {"type": ["string", "integer"]}, always=True, equal=True),
    Part("version", "number", {"type": "integer"}, INT, always=True),
    Part("action", "word", _ACTIONS, always=True, equal=True, term="few"),
    Part("actor", "word", _TEXT, always=True, equal=True, term="few"),
    Part("behalf", "word", _MAYBE, term="few"),
    Part(
        "via", "word", {**_TEXT, "examples": ["api", "client", "command-line", "console", "effect"]},
        always=True, equal=True,
    ),
    Part("client", "word", _MAYBE),
    Part("request_id", "word", _TEXT, always=True, equal=True, term="many"),
    Part("batch", "word", _said(_MAYBE, "What the changes of one batch share."), equal=True, term="many"),
    Part("reason", "text", _MAYBE),
    Part("cause", "sequence", _said(_NUMBER, "The entry that this one follows from."), INT),
    Part("undoes", "sequence", _said(_NUMBER, "The entry that this one takes back."), INT),
    Part("restores", "number", _said(_NUMBER, "The version that this one goes back to."), INT),
    Part("rule", "word", _said(_MAYBE, "Where the rule stands by which it follows, file and line.")),
    Part("proposal", "number", _said(_NUMBER, "The proposal that it applies."), INT),
    Part(
        "settled", "number",
        _said(_NUMBER, "Of a record that was merely derived, the last version that was not."), INT,
    ),
)  # fmt: skip
SHOWN = tuple(part for part in PARTS if part.shown)
#: What leaves call the attributes of entries.
LEAF_NAMES: Mapping[str, str] = {part.attribute: part.name for part in PARTS}
