"""Inputs: what stands in the forms of pages, field by field, and what is read of them when they come back.

A blank input that was blank before says nothing: nobody empties what they did not see.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from fenland.core.changes.html_forms import read_form
from fenland.core.changes.patches import MergePatch
from fenland.core.definitions.model import Field
from fenland.core.limits import Limits
from fenland.core.values.plain import write_json

Sent = Mapping[str, Sequence[str]]
#: What the names of inputs begin with: of fields, and of those of a new record.
FIELD, NEW = "f", "n"
_TYPES = {"email": "email", "uri": "url", "date": "date"}
#: Texts that may be longer have several lines.
_ONE_LINE = 120


@dataclass(frozen=True, slots=True)
class Input:
    """One input, or for an object a group of them."""

    name: str
    item: Field
    kind: str
    text: str = ""
    #: Of a list of choices, those that are chosen; and what may be: values and labels.
    chosen: frozenset[str] = frozenset()
    options: tuple[tuple[str, str], ...] = ()
    inner: tuple[Input, ...] = ()
    required: bool = False

    @property
    def id(self) -> str:
        """Its id on the page."""
        return self.name.replace("/", "-")


@dataclass(frozen=True, slots=True)
class Filled:
    """What inputs are filled with: what is there, or what was sent and did not do."""

    record: Mapping[str, Any]
    sent: Sent = field(default_factory=dict)
    #: By reference, what may be chosen.
    choices: Mapping[str, Sequence[tuple[str, str]]] = field(default_factory=dict)


def takes_input(item: Field) -> bool:
    """Whether a page has an input for values of a field."""
    if item.type == "object":
        return item.properties is not None and all(map(takes_input, item.properties.values()))
    if item.type == "array":
        return item.items is not None and item.items.type not in ("object", "array")
    return True


def inputs_of(prefix: str, fields: Sequence[Field], filled: Filled) -> list[Input]:
    """The inputs of fields."""
    return [_input(f"{prefix}/{item.name}", item, filled, filled.record.get(item.name)) for item in fields]


def _input(name: str, item: Field, filled: Filled, value: Any) -> Input:
    texts = filled.sent.get(name)
    text = texts[-1] if texts else "" if name in filled.sent else _as_text(value)
    required = item.required and not item.nullable
    if item.type == "object":
        held = value if isinstance(value, dict) else {}
        inner = tuple(
            _input(f"{name}/{one.name}", one, filled, held.get(one.name))
            for one in (item.properties or {}).values()
        )
        return Input(name, item, "group", inner=inner)
    if item.references is not None and item.name in filled.choices:
        return Input(name, item, "choice", text, options=_with(filled.choices[item.name], text))
    if item.enum is not None:
        options = tuple((str(one), str(one)) for one in item.enum if one is not None)
        return Input(name, item, "choice", text, options=options, required=required)
    if item.type == "boolean":
        return Input(name, item, "flag", text, required=required)
    if item.type == "array" and item.items is not None and item.items.enum is not None:
        chosen = frozenset(texts or ()) if filled.sent else frozenset(map(str, value or ()))
        options = tuple((str(one), str(one)) for one in item.items.enum)
        return Input(name, item, "several", chosen=chosen, options=options)
    if item.type == "array":
        return Input(name, item, "lines", text)
    if item.type in ("integer", "number"):
        return Input(name, item, "number", text, required=required)
    if item.type == "string" and not item.format and _is_long(item, text):
        return Input(name, item, "text", text, required=required)
    return Input(name, item, _TYPES.get(item.format or "", "line"), text, required=required)


def _is_long(item: Field, text: str) -> bool:
    """Whether a text is given several lines."""
    return "\n" in text or max(item.max_length or 0, len(text)) > _ONE_LINE


def _with(options: Sequence[tuple[str, str]], text: str) -> tuple[tuple[str, str], ...]:
    """The choices, with what is chosen now among them."""
    there = any(value == text for value, _ in options)
    return tuple(options) if there or not text else ((text, text), *options)


def _as_text(value: Any) -> str:
    """A value as it stands in an input."""
    if value is None:
        return ""
    if isinstance(value, list):
        return "\n".join(str(one) for one in value)
    if isinstance(value, str):
        return value
    return write_json(value).decode()


# --- reading ---------------------------------------------------------------------------------------------


def read_inputs_of(
    prefix: str, fields: Sequence[Field], sent: Sent, record: Mapping[str, Any], limits: Limits
) -> MergePatch:
    """What inputs of these fields say, as a patch. Raises `Malformed`, `TooLarge`."""
    known = {item.name: item for item in fields}
    texts = {
        name: found
        for item in fields
        for name, found in _texts(item, f"{prefix}/{item.name}", item.name, sent, record.get(item.name))
    }
    return read_form(known, texts, limits)


def _texts(item: Field, place: str, name: str, sent: Sent, value: Any) -> Iterator[tuple[str, Sequence[str]]]:
    """The texts of a field by the names that forms have for it, `contact/phone`."""
    if item.type == "object":
        held = value if isinstance(value, dict) else {}
        for one in (item.properties or {}).values():
            yield from _texts(one, f"{place}/{one.name}", f"{name}/{one.name}", sent, held.get(one.name))
        return
    found = [text.replace("\r\n", "\n") for text in sent.get(place, ())]
    if item.type == "array":
        if item.items is not None and item.items.enum is None:
            found = [line.strip() for text in found for line in text.split("\n") if line.strip()]
        if found or value:
            yield name, found or [""]
    elif found and not (found[-1] == "" and value in (None, "")):
        yield name, found
