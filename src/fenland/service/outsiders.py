"""Outsiders: what settings say of passes, and of what comes in through them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from ipaddress import ip_address, ip_network
from typing import Literal

from fenland.core.wording import Wording

#: How much of the address that a proposal came from is kept: all of it, its network, or nothing.
Origins = Literal["whole", "network", "none"]
#: How much of an address names a network: a household's, or a provider's part of a town.
_V4, _V6 = 24, 48


@dataclass(frozen=True, slots=True)
class Outsiders:
    """What is lent to people without an account, and what is kept of them."""

    #: Whether passes go on when their maker may not hand them out any more: then by their template alone.
    outlive: bool = False
    #: For how long settled proposals are kept; None is for good.
    kept: timedelta | None = None
    origins: Origins = "network"
    #: What links begin with; without it, the address that whoever has them made asked.
    address: str = ""
    #: By language, what pages say in others than English.
    wordings: Mapping[str, Wording] = field(default_factory=dict)

    def kept_of(self, address: str) -> str:
        """What is kept of the address that something came from."""
        try:
            found = ip_address(address.partition("%")[0])
        except ValueError:
            return ""
        if self.origins == "whole":
            return str(found)
        if self.origins == "none":
            return ""
        return str(ip_network((found, _V4 if found.version == 4 else _V6), strict=False))
