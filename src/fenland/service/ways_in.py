"""How one signs in, and who manages accounts: what the settings say of it, as use cases take it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta


@dataclass(frozen=True, slots=True)
class Issuer:
    """An outside issuer of JSON Web Tokens. `keys` is the address of its key set, or empty: then it is found.

    `claims` name what is taken for the account's name, its roles and its attributes.
    """

    address: str
    audience: str
    keys: str = ""
    algorithms: tuple[str, ...] = ("RS256", "ES256", "EdDSA")
    claims: tuple[str, str, str] = ("sub", "roles", "attributes")


@dataclass(frozen=True, slots=True)
class WaysIn:
    """`managers` and `delegates` are roles: who manages accounts, and who may act on behalf of others."""

    managers: frozenset[str] = frozenset()
    delegates: frozenset[str] = frozenset()
    #: Roles that may have hashes of entries from before leaves had salts.
    auditors: frozenset[str] = frozenset()
    session: timedelta = timedelta(hours=12)
    idle: timedelta = timedelta(hours=1)
    #: Requests a minute of one account, and of one address; 0 is any number.
    rate: int = 0
    issuer: Issuer | None = None
    #: The origin under which browsers reach the service, where it is not the one they name as host; and the
    #: path there. Pages of `others` may use sessions too.
    origin: str = ""
    path: str = "/"
    others: frozenset[str] = frozenset()
    #: Whether the issuer's names are those of the accounts here; whether a changed password ends tokens made
    #: in its sessions; and whether the session's cookie goes along from pages of other sites.
    joined: bool = False
    password_ends_tokens: bool = True
    across_sites: bool = False
