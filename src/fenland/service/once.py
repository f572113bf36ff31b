"""Once: a request with an idempotency key is carried out once, however often it is sent.

The outcome is kept in the transaction of the change itself, so there is no moment at which one is
there without the other. Refusals are not kept: they changed nothing, and may turn out otherwise
the next time. A second request that comes while the first runs waits for the writer, then finds it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from fenland.core.access import Actor
from fenland.core.problems import KeyReused
from fenland.service.saving import Saved
from fenland.service.service import Service
from fenland.storage.sqlite import Connection

LONGEST_KEY = 255


@dataclass(frozen=True, slots=True)
class Once:
    """An idempotency key, and a fingerprint of the request it came with."""

    key: str
    fingerprint: str


def once(
    service: Service, actor: Actor, asked: Once | None, work: Callable[[Connection], Saved]
) -> Callable[[Connection], Saved]:
    """`work`, or what gives its kept outcome. Raises `KeyReused` for a key that came with another request."""
    if asked is None:
        return work

    def guarded(connection: Connection) -> Saved:
        outcomes, now = service.database.outcomes, service.now()
        kept = outcomes.find(connection, actor.name, asked.key, now)
        if kept is None:
            saved = work(connection)
            content = {"record": saved.record, "changed": saved.changed, "dropped": list(saved.dropped)}
            outcomes.keep(
                connection, actor.name, asked.key, asked.fingerprint, content, service.outcome_expiry()
            )
            return saved
        if kept.fingerprint != asked.fingerprint:
            raise KeyReused(
                "This Idempotency-Key was used for another request. Use a new key for each change."
            )
        found = kept.content
        return Saved(
            found["record"], changed=found["changed"], dropped=tuple(found["dropped"]), repeated=True
        )

    return guarded
