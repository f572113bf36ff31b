"""The Python client: records over HTTP, from any program.

    from fenland.client import Client

    with Client("http://127.0.0.1:8460", token="…") as fenland:
        station = fenland.get("stations", "PS-014")
        station = fenland.update("stations", "PS-014", {"pumps": 3}, seen=station)
        with fenland.edit("stations", "PS-014") as station:
            station["pumps"] += 1

`AsyncClient` is its twin for asyncio.

It knows HTTP only, and none of the service's own modules.
"""

from fenland.client.async_client import AsyncClient
from fenland.client.async_passes import AsyncPasses, AsyncProposals
from fenland.client.async_past import AsyncPast
from fenland.client.async_subscriptions import AsyncSubscriptions
from fenland.client.client import Client
from fenland.client.drafts import Draft
from fenland.client.errors import (
    ClientError,
    ConflictError,
    FieldConflict,
    FieldError,
    InvalidError,
    NoAnswerYetError,
    NotFoundError,
    NotPermittedError,
    NotSignedInError,
    ProblemError,
    UnreachableError,
    UnsendableError,
    UntrustedError,
    VersionError,
)
from fenland.client.passes import Passes, Proposals
from fenland.client.past import Past
from fenland.client.receiving import verified
from fenland.client.records import BatchResult, Entry, Form, Preview, Record, View
from fenland.client.subscriptions import Subscriptions

__all__ = [
    "AsyncClient",
    "AsyncPasses",
    "AsyncPast",
    "AsyncProposals",
    "AsyncSubscriptions",
    "BatchResult",
    "Client",
    "ClientError",
    "ConflictError",
    "Draft",
    "Entry",
    "FieldConflict",
    "FieldError",
    "Form",
    "InvalidError",
    "NoAnswerYetError",
    "NotFoundError",
    "NotPermittedError",
    "NotSignedInError",
    "Passes",
    "Past",
    "Preview",
    "ProblemError",
    "Proposals",
    "Record",
    "Subscriptions",
    "UnreachableError",
    "UnsendableError",
    "UntrustedError",
    "VersionError",
    "View",
    "verified",
]
