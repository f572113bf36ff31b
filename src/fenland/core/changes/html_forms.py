"""HTML forms as patches: all that a form can send is names with texts, read here by field type.

A name is a field's, or a place inside an object with `/` between the steps (`contact/phone`). A name
that comes several times is a list, for a list; for any other field the last text counts, so that
an unticked box can be told by a hidden input of the same name before it. A ticked box says `on`.

A text that is none of its field's type stays a text, and is refused with all else that is wrong.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from fenland.core.changes.patches import MergePatch
from fenland.core.definitions.model import Field
from fenland.core.limits import DEFAULTS, Limits, check_depth
from fenland.core.problems import Malformed
from fenland.core.values.texts import read_text


def _field_at(fields: Mapping[str, Field], steps: Sequence[str]) -> Field | None:
    item = fields.get(steps[0])
    for step in steps[1:]:
        item = (item.properties or {}).get(step) if item is not None else None
    return item


def _takes_empty(item: Field) -> bool:
    """Whether an empty text can be a value of the field; a number, a date or a choice has none."""
    chosen = item.enum is not None and "" not in item.enum
    return item.type == "string" and item.format is None and item.references is None and not chosen


def _value(item: Field, texts: Sequence[str]) -> Any:
    if item.type == "array" and item.items is not None and item.items.type != "object":
        # One empty text is how a form says "none of them".
        return [_read(item.items.type, text) for text in texts if text != ""]
    text = texts[-1]
    if text == "" and not _takes_empty(item):
        # What a blank does, the field says, and null unless it does.
        return None if item.blank == "store" else ""
    if item.type == "boolean" and text == "on":
        return True
    return _read(item.type, text)


def _read(kind: str, text: str) -> Any:
    try:
        return read_text(kind, text)
    except ValueError:
        return text


def read_texts(fields: Mapping[str, Field], sent: Mapping[str, Any]) -> dict[str, Any]:
    """JSON fields, each text read as a form's is, by its field's type: for tools that know only texts."""
    return {name: _from_text(fields.get(name), value) for name, value in sent.items()}


def _from_text(item: Field | None, value: Any) -> Any:
    if item is None:
        return value
    if isinstance(value, str):
        return value if item.type == "string" else _value(item, [value])
    if isinstance(value, dict) and item.properties is not None:
        return read_texts(item.properties, value)
    if isinstance(value, list) and item.items is not None:
        return [_from_text(item.items, one) for one in value]
    return value


def read_form(
    fields: Mapping[str, Field], sent: Mapping[str, Sequence[str]], limits: Limits = DEFAULTS
) -> MergePatch:
    """The patch that a form's names and texts make.

    Raises `Malformed` for names that cannot go together, and `TooLarge` for one of too many steps.
    """
    patch: dict[str, Any] = {}
    for name, texts in sent.items():
        steps = name.split("/")
        check_depth(len(steps), limits)
        item = _field_at(fields, steps)
        # Unknown and reserved names are judged with those of the other formats.
        _put(patch, steps, texts[-1] if item is None else _value(item, texts))
    return MergePatch(patch)


def _put(patch: dict[str, Any], steps: Sequence[str], value: Any) -> None:
    name, inner = "/".join(steps), patch
    for step in steps[:-1]:
        inner = inner.setdefault(step, {})
        if not isinstance(inner, dict):
            raise Malformed(f"{name!r} and {step!r} are both sent. Send one of them.")
    if steps[-1] in inner:
        raise Malformed(f"{name!r} and a place inside it are both sent. Send one of them.")
    inner[steps[-1]] = value
