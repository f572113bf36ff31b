"""The notices in the outbox, for who manages accounts: rules say in them what not all may see."""

from __future__ import annotations

from dataclasses import dataclass

from fenland.core.access.policy import Caller
from fenland.service.accounts.accounts import permit_managing
from fenland.service.service import Service
from fenland.service.work import snapshot
from fenland.storage.door import Noticed


@dataclass(frozen=True, slots=True)
class NoticePage:
    """Some of them, and behind, or below, which number there are more; None where there are no more."""

    items: list[Noticed]
    next: int | None


def list_notices(
    service: Service, caller: Caller, limit: int, *, after: int | None = None, below: int | None = None
) -> NoticePage:
    """The notices behind a number, in order; or the newest ones, below another. Raises `NotPermitted`."""
    permit_managing(service, caller)
    notices = service.database.notices
    with snapshot(service) as view:
        if after is not None:
            found, more = notices.after(view.reading, after, limit)
        else:
            found, more = notices.below(view.reading, 2**62 if below is None else below, limit)
    return NoticePage(found, found[-1].number if more else None)
