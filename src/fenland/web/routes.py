"""All routes of the API, in the order in which the document and a reader go through them."""

from __future__ import annotations

from fenland.web import (
    accounts,
    batch,
    feed,
    files,
    history,
    inspecting,
    many,
    notices,
    passes,
    past,
    presence,
    proofs,
    proposals,
    records,
    schemas,
    sessions,
    status,
    subscriptions,
)
from fenland.web.http.route import Route

ROUTES: tuple[Route, ...] = (
    *records.ROUTES,
    *many.ROUTES,
    *files.ROUTES,
    *past.ROUTES,
    *presence.ROUTES,
    *batch.ROUTES,
    *history.ROUTES,
    *passes.ROUTES,
    *proposals.ROUTES,
    *feed.ROUTES,
    *proofs.ROUTES,
    *schemas.ROUTES,
    *sessions.ROUTES,
    *inspecting.ROUTES,
    *accounts.ROUTES,
    *notices.ROUTES,
    *subscriptions.ROUTES,
    *status.ROUTES,
)
