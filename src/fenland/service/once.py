"""Once: a request with an idempotency key is carried out once, however often it is sent.

The outcome is kept in the transaction of the change itself, so there is no moment at which one is
there without the other. Refusals are not kept: they changed nothing, and may turn out otherwise
the next time. A second request that comes while the first runs waits for the writer, then finds it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from fenland.core.access import Actor
from fenland.core.problems import KeyReused
from fenland.service.saving import Saved
from fenland.service.service import Service
from fenland.storage.sqlite import Connection

Result = TypeVar("Result")

LONGEST_KEY = 255


@dataclass(frozen=True, slots=True)
class Once:
    """An idempotency key, and a fingerprint of the request it came with."""

    key: str
    fingerprint: str


@dataclass(frozen=True, slots=True)
class Form(Generic[Result]):
    """How an outcome is kept as JSON, and given again."""

    keep: Callable[[Result], dict[str, Any]]
    give: Callable[[dict[str, Any]], Result]


def _keep_saved(saved: Saved) -> dict[str, Any]:
    return {"record": saved.record, "changed": saved.changed, "dropped": list(saved.dropped)}


def _give_saved(kept: dict[str, Any]) -> Saved:
    return Saved(kept["record"], changed=kept["changed"], dropped=tuple(kept["dropped"]), repeated=True)


#: The outcome of a request about one record.
SAVED = Form(_keep_saved, _give_saved)


def once(
    service: Service,
    actor: Actor,
    asked: Once | None,
    work: Callable[[Connection], Result],
    form: Form[Result],
) -> Callable[[Connection], Result]:
    """`work`, or what gives its kept outcome. Raises `KeyReused` for a key that came with another request."""
    if asked is None:
        return work

    def guarded(connection: Connection) -> Result:
        outcomes, now = service.database.outcomes, service.now()
        kept = outcomes.find(connection, actor.name, asked.key, now)
        if kept is None:
            result = work(connection)
            content, expiry = form.keep(result), service.outcome_expiry()
            outcomes.keep(connection, actor.name, asked.key, asked.fingerprint, content, expiry)
            return result
        if kept.fingerprint != asked.fingerprint:
            raise KeyReused(
                "This Idempotency-Key was used for another request. Use a new key for each change."
            )
        return form.give(kept.content)

    return guarded
