"""Column types: how each kind of value is kept, engine by engine, and converted to and fro.

Values above storage have one shape (`core/definitions/validation.py`); what a column holds is a type's own
affair, and another engine adds its branch here. The functions that convert values are taken out of the types
once, when statements are prepared, and never see None.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from typing import Any

import orjson
from sqlalchemy import JSON as SQL_JSON
from sqlalchemy import BigInteger, Date, DateTime, Dialect, Float, LargeBinary, Numeric, Text
from sqlalchemy.types import TypeDecorator, TypeEngine

from fenland.core.values.identity import timestamp
from fenland.core.values.plain import write_json

#: Converts one value, which is not None.
Conversion = Callable[[Any], Any]

#: Digits that a 64-bit integer can have.
_DIGITS = 19

_DECODER = json.JSONDecoder(parse_float=Decimal)
_VERBATIM = json.JSONDecoder(parse_float=orjson.Fragment)


def read_json_text(text: str) -> Any:
    """JSON that this service wrote, with decimals exact."""
    if text.startswith('"'):
        # A text, as most keys are: nothing in it is a number.
        return orjson.loads(text)
    return _DECODER.decode(text)


def read_verbatim(text: str) -> Any:
    """The same for what is only to be written again: numbers with a fraction stay the digits they are."""
    return _VERBATIM.decode(text)


def json_text(value: Any) -> str:
    """JSON for a column."""
    return write_json(value).decode()


def to_column(kind: TypeEngine[Any], dialect: Dialect) -> Conversion | None:
    """What converts a value into what a column of this type holds; None where it is the same."""
    return kind.dialect_impl(dialect).bind_processor(dialect)


def from_column(kind: TypeEngine[Any], dialect: Dialect) -> Conversion | None:
    """What converts a column's content into the value; None where it is the same."""
    return kind.dialect_impl(dialect).result_processor(dialect, None)


def _is_sqlite(dialect: Dialect) -> bool:
    return dialect.name == "sqlite"


class ExactDecimal(TypeDecorator[Decimal]):
    """Decimals of so many digits after the point: counts of the last one where an engine is not exact."""

    impl = BigInteger
    cache_ok = True

    def __init__(self, scale: int) -> None:
        super().__init__()
        self.scale = scale

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """See SQLAlchemy."""
        if _is_sqlite(dialect):
            return dialect.type_descriptor(BigInteger())
        return dialect.type_descriptor(Numeric(_DIGITS + 1, self.scale))

    def bind_processor(self, dialect: Dialect) -> Conversion | None:
        """See SQLAlchemy."""
        scale = self.scale
        return (lambda value: int(value.scaleb(scale))) if _is_sqlite(dialect) else None

    def result_processor(self, dialect: Dialect, coltype: object) -> Conversion | None:
        """See SQLAlchemy."""
        # Both made once: the first saves a look-up, the second a conversion, for every row of every list.
        exact, places = Decimal, Decimal(-self.scale)
        return (lambda count: exact(count).scaleb(places)) if _is_sqlite(dialect) else None


class BinaryNumber(TypeDecorator[float]):
    """Doubles, which every driver takes and gives as they are."""

    impl = Float
    cache_ok = True

    def bind_processor(self, dialect: Dialect) -> Conversion | None:
        """See SQLAlchemy."""
        return None

    def result_processor(self, dialect: Dialect, coltype: object) -> Conversion | None:
        """See SQLAlchemy."""
        return None


class Moment(TypeDecorator[str]):
    """Moments in the one spelling of `core/values/identity.py`, whose order is that of time."""

    impl = DateTime
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """See SQLAlchemy."""
        return dialect.type_descriptor(DateTime(timezone=True))

    def bind_processor(self, dialect: Dialect) -> Conversion | None:
        """See SQLAlchemy."""
        return None if _is_sqlite(dialect) else datetime.fromisoformat

    def result_processor(self, dialect: Dialect, coltype: object) -> Conversion | None:
        """See SQLAlchemy."""
        return None if _is_sqlite(dialect) else timestamp


class Day(TypeDecorator[str]):
    """Days as ISO 8601 writes them."""

    impl = Date
    cache_ok = True

    def bind_processor(self, dialect: Dialect) -> Conversion | None:
        """See SQLAlchemy."""
        return None if _is_sqlite(dialect) else date.fromisoformat

    def result_processor(self, dialect: Dialect, coltype: object) -> Conversion | None:
        """See SQLAlchemy."""
        return None if _is_sqlite(dialect) else str


class Bytes(TypeDecorator[bytes]):
    """Bytes, which every driver takes and gives as they are."""

    impl = LargeBinary
    cache_ok = True

    def bind_processor(self, dialect: Dialect) -> Conversion | None:
        """See SQLAlchemy."""
        return None

    def result_processor(self, dialect: Dialect, coltype: object) -> Conversion | None:
        """See SQLAlchemy."""
        return None


class Json(TypeDecorator[Any]):
    """JSON values, numbers to the last digit. With `verbatim` they are only to be written again."""

    impl = SQL_JSON
    cache_ok = True

    def __init__(self, *, verbatim: bool = False) -> None:
        super().__init__()
        self.verbatim = verbatim

    def bind_processor(self, dialect: Dialect) -> Conversion | None:
        """See SQLAlchemy."""
        return json_text

    def result_processor(self, dialect: Dialect, coltype: object) -> Conversion | None:
        """See SQLAlchemy."""
        return read_verbatim if self.verbatim else read_json_text


class JsonText(TypeDecorator[Any]):
    """The same in a column of texts: one of type JSON would make a number of the text "1" in SQLite."""

    impl = Text
    cache_ok = True

    def bind_processor(self, dialect: Dialect) -> Conversion | None:
        """See SQLAlchemy."""
        return json_text

    def result_processor(self, dialect: Dialect, coltype: object) -> Conversion | None:
        """See SQLAlchemy."""
        return read_json_text
