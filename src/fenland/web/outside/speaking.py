"""Speaking: what pages say, in the language of who reads them; dates and numbers as are usual there."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, tzinfo
from decimal import Decimal
from typing import Any

from babel import Locale, UnknownLocaleError
from babel.dates import format_date, format_datetime
from babel.numbers import format_decimal
from werkzeug.datastructures import LanguageAccept

from fenland.core.definitions.model import Field
from fenland.core.problems import Problem
from fenland.core.wording import ENGLISH, Wording


class Speaking:
    """The words of one language, for one page."""

    def __init__(self, wording: Wording, zone: tzinfo) -> None:
        self._wording, self._zone = wording, zone
        self.language = wording.language
        self._locale = _locale_of(wording.language)

    @property
    def direction(self) -> str:
        """Which way it is written."""
        return str(self._locale.text_direction)

    def say(self, name: str, **values: Any) -> str:
        """What stands under a name."""
        return self._wording.say(name, **values)

    def text(self, own: str) -> str:
        """A text of the definitions."""
        return self._wording.text(own)

    def label(self, item: Field) -> str:
        """What a field is called."""
        return self.text(item.label)

    def time(self, moment: str) -> str:
        """A moment, where the project is."""
        found = datetime.fromisoformat(moment).astimezone(self._zone)
        return format_datetime(found, "medium", locale=self._locale)

    def value(self, item: Field, value: Any, labels: Mapping[str, str] | None = None) -> str:
        """A value of a field as people write it; lists and objects as one text of several lines."""
        if value is None or value in ("", [], {}):
            return self.say("nothing_there")
        if labels and str(value) in labels:
            return labels[str(value)]
        if item.enum is not None:
            return self.text(str(value))
        if isinstance(value, bool):
            return self.say("yes" if value else "no")
        if isinstance(value, (int, float, Decimal)):
            return str(format_decimal(value, locale=self._locale, decimal_quantization=False))
        if isinstance(value, list):
            return "\n".join(self._inner(item.items, one) for one in value)
        if isinstance(value, dict):
            return self._object(item, value)
        return self._text(item, str(value))

    def _inner(self, item: Field | None, value: Any) -> str:
        return str(value) if item is None else self.value(item, value)

    def _object(self, item: Field, value: Mapping[str, Any]) -> str:
        known = item.properties or {}
        pairs = ((known.get(name), name, one) for name, one in value.items() if one not in (None, ""))
        return "\n".join(
            f"{name if of is None else self.label(of)}: {self._inner(of, one)}" for of, name, one in pairs
        )

    def _text(self, item: Field, value: str) -> str:
        if item.format == "date":
            return str(format_date(date.fromisoformat(value), "long", locale=self._locale))
        if item.format == "date-time":
            return self.time(value)
        return value

    def problem(self, one: Problem) -> str:
        """What is wrong with a field, in words for people; what a check says stands as it is."""
        name = f"problem_{one.code}"
        return self.say(name, **one.params) if self._wording.knows(name) else self.text(one.detail)


def _locale_of(language: str) -> Locale:
    try:
        return Locale.parse(language, sep="-")
    except (UnknownLocaleError, ValueError):
        return Locale("en", "GB")


def spoken(accepted: LanguageAccept, wordings: Mapping[str, Wording], zone: tzinfo) -> Speaking:
    """What speaks the language that a reader would rather have, of those that there are.

    A region that there is none for is spoken to as the language is (RFC 4647 section 3.4).
    """
    known = {one.language.lower(): one for one in (ENGLISH, *wordings.values())}
    for tag in accepted.values():
        steps = str(tag).lower().replace("_", "-").split("-")
        while steps:
            if (found := known.get("-".join(steps))) is not None:
                return Speaking(found, zone)
            steps.pop()
    return Speaking(ENGLISH, zone)
