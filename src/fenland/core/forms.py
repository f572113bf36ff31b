"""HTML forms as patches: all that a form can send is names with texts, read here by field type.

A name is a field's, or a place inside an object with `/` between the steps (`contact/phone`). A name
that comes several times is a list, for a list; for any other field the last text counts, so that
an unticked box can be told by a hidden input of the same name before it. A ticked box says `on`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from fenland.core.definitions import Field
from fenland.core.names import did_you_mean
from fenland.core.patches import MergePatch
from fenland.core.problems import Invalid, Problem, pointer_to
from fenland.core.texts import read_text


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
        return [read_text(item.items.type, text) for text in texts if text != ""]
    text = texts[-1]
    if text == "" and not _takes_empty(item):
        # What a blank does, the field says, and null unless it does.
        return None if item.blank == "store" else ""
    if item.type == "boolean" and text == "on":
        return True
    return read_text(item.type, text)


def read_form(fields: Mapping[str, Field], sent: Mapping[str, Sequence[str]]) -> MergePatch:
    """The patch that a form's names and texts make. Raises `Invalid` for texts that cannot be read."""
    patch: dict[str, Any] = {}
    problems = []
    for name, texts in sent.items():
        steps = name.split("/")
        item = _field_at(fields, steps)
        if item is None:
            if len(steps) == 1:
                # Unknown and reserved names are judged with those of the other forms.
                patch[name] = texts[-1]
                continue
            detail = f"There is no place {name!r}. {did_you_mean(steps[0], fields)}"
            problems.append(Problem(pointer_to(*steps), "unknown_property", detail))
            continue
        try:
            _put(patch, steps, _value(item, texts))
        except ValueError as error:
            params = {"expected": item.type, "found": "string"}
            problems.append(Problem(pointer_to(*steps), "type", str(error), params))
    if problems:
        raise Invalid(problems)
    return MergePatch(patch)


def _put(patch: dict[str, Any], steps: Sequence[str], value: Any) -> None:
    for step in steps[:-1]:
        patch = patch.setdefault(step, {})
        if not isinstance(patch, dict):
            raise ValueError("Stands inside something that is sent as a whole, too. Send one of them.")
    patch[steps[-1]] = value
