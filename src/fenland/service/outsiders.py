"""Outsiders: what settings say of passes, and of what comes in through them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Literal

from fenland.core.wording import Wording
from fenland.service.addresses import network_of, whole

#: How much of the address that a proposal came from is kept: all of it, its network, or nothing.
Origins = Literal["whole", "network", "none"]


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
        read = {"whole": whole, "network": network_of}.get(self.origins)
        return read(address) if read else ""
