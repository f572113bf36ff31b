"""Between a record's plain values and what its columns hold.

Most values are kept as they are. Decimals become 64-bit counts of their last digit, arrays and
objects JSON text, and booleans come back from the driver as 0 and 1.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from decimal import Decimal
from itertools import starmap
from typing import Any

import orjson

from fenland.core.definitions import Collection, Field
from fenland.core.names import RESERVED_FIELDS
from fenland.core.values import write_json

Turn = Callable[[Any], Any]

_DECODER = json.JSONDecoder(parse_float=Decimal)


def read_json_text(text: str) -> Any:
    """JSON that this service wrote, with decimals exact."""
    return _DECODER.decode(text)


_VERBATIM = json.JSONDecoder(parse_float=orjson.Fragment)


def read_verbatim(text: str) -> Any:
    """The same for what is only to be written again: numbers with a fraction stay the digits they are."""
    return _VERBATIM.decode(text)


def json_text(value: Any) -> str:
    """JSON for a column."""
    return write_json(value).decode()


def _decimal_from(scale: int) -> Turn:
    # Both made once: the first saves a look-up, the second a conversion, for every row of every list.
    exact, places = Decimal, Decimal(-scale)

    def decode(count: int) -> Decimal:
        return exact(count).scaleb(places)

    return decode


def _decimal_to(scale: int) -> Turn:
    def encode(value: Decimal) -> int:
        return int(value.scaleb(scale))

    return encode


def decoder(item: Field) -> Turn | None:
    """How a column's content becomes the field's value; None where it already is."""
    if item.scale is not None:
        return _decimal_from(item.scale)
    turns: dict[str, Turn] = {"boolean": bool, "array": read_json_text, "object": read_json_text}
    return turns.get(item.type)


def encoder(item: Field) -> Turn | None:
    """How a field's value becomes the column's content; None where it already is."""
    if item.scale is not None:
        return _decimal_to(item.scale)
    return {"array": json_text, "object": json_text}.get(item.type)


def _record_maker(columns: Sequence[str], decoders: Mapping[str, Turn]) -> Callable[..., dict[str, Any]]:
    """A function of a row's values, in order, that gives the record.

    It is written for the collection, as dataclasses write their methods, since it runs for every row of
    every list: a loop over the columns takes twice as long.
    """
    members = ", ".join(
        f"{name!r}: None if v{place} is None else turn{place}(v{place})"
        if name in decoders
        else f"{name!r}: v{place}"
        for place, name in enumerate(columns)
    )
    values = ", ".join(f"v{place}" for place in range(len(columns)))
    known = {f"turn{place}": decoders[name] for place, name in enumerate(columns) if name in decoders}
    made: Callable[..., dict[str, Any]] = eval(f"lambda {values}: {{{members}}}", known)  # noqa: S307 - of our own making
    return made


class Codec:
    """The coding of one collection's rows: reserved fields first, then the defined ones."""

    def __init__(self, collection: Collection) -> None:
        self.columns: tuple[str, ...] = (*RESERVED_FIELDS, *collection.fields)
        decoders = {
            name: turn for name, item in collection.fields.items() if (turn := decoder(item)) is not None
        }
        self._record = _record_maker(self.columns, decoders)
        self._encoders = {
            name: turn for name, item in collection.fields.items() if (turn := encoder(item)) is not None
        }

    def record(self, row: Sequence[Any]) -> dict[str, Any]:
        """The record in a row that holds all columns in order."""
        return self._record(*row)

    def records(self, rows: Iterable[Sequence[Any]]) -> list[dict[str, Any]]:
        """The records in such rows."""
        return list(starmap(self._record, rows))

    def encode(self, name: str, value: Any) -> Any:
        """What a column holds for this value."""
        turn = self._encoders.get(name)
        return value if turn is None or value is None else turn(value)

    def encoded(self, values: Mapping[str, Any]) -> dict[str, Any]:
        """The same for several fields."""
        encode = self.encode
        return {name: encode(name, value) for name, value in values.items()}
