"""What only other rows can tell of a record's values: unique ones, references, the owner's account.

To be asked inside the transaction that saves.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.problems import Problem, pointer_to
from fenland.core.values.plain import MISSING, as_written
from fenland.service.changes.intent import Intent
from fenland.service.work import View


def unique_taken(name: str, value: Any = MISSING) -> Problem:
    """The problem of a value that another record already has."""
    what = "this value" if value is MISSING else as_written(value)
    return Problem(pointer_to(name), "unique", f"Another record already has {what}. Choose another value.")


def not_to_be_chosen(name: str, references: str, value: Any) -> Problem:
    """The problem of a reference to what is not there, or is not theirs to name."""
    detail = f"There is no {as_written(value)} in {references}. Choose one that is there."
    return Problem(pointer_to(name), "reference", detail, {"references": references})


def check_others(view: View, caller: Caller, intent: Intent) -> Iterator[Problem]:
    """What is wrong with a record's new values in view of other rows."""
    resource, record = intent.resource, intent.record
    collection, record_id = resource.collection, record["id"]
    for name, value in intent.values.items():
        item = collection.fields.get(name)
        if item is None or value is None:
            continue
        if item.unique:
            other = view.find(resource, name, value)
            if other is not None and other["id"] != record_id:
                yield unique_taken(name, value)
        # A record may refer to itself, also one that is not there yet.
        own = item.references == collection.name and value == record[collection.key]
        asking = None if name in intent.by_rule else caller
        if item.references is not None and not own and not _may_refer(view, asking, item.references, value):
            yield not_to_be_chosen(name, item.references, value)
        owner = name == collection.owner and value != caller.actor.name
        if owner and view.account(value) is None:
            detail = f"There is no account {as_written(value)}. Name one that is there."
            yield Problem(pointer_to(name), "reference", detail, {"references": "accounts"})


def _may_refer(view: View, caller: Caller | None, references: str, key: Any) -> bool:
    """Whether the key is there for this caller: what they may not see, they cannot name either. Rules may."""
    target = view.target(references)
    found = view.find(target, target.collection.key, key)
    if found is None or caller is None:
        return found is not None
    return target.policy.may("read", view.sight(caller), found)
