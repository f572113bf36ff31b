"""What goes out to other systems: who may have it sent, where to, and for how long that is tried."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from ipaddress import IPv4Address, IPv6Address, IPv6Network, ip_address, ip_network

#: Ways of IPv6 to write an address of IPv4: a network that looks public would lead to a private one.
_WITHIN = (IPv6Network("64:ff9b::/96"), IPv6Network("::/96"))


@dataclass(frozen=True, slots=True)
class Outward:
    """What settings say of notices that are sent. Times are in seconds."""

    #: Roles that may have subscriptions of their own; and how many there may be in all.
    subscribers: frozenset[str] = frozenset()
    most: int = 50
    #: Whether plain http will do, and which networks are allowed that are not public.
    plain: bool = False
    networks: tuple[str, ...] = ()
    #: How long one answer is waited for, and the pause after the first failure.
    timeout: float = 15.0
    pause: float = 5.0
    #: How long it is tried.
    patience: timedelta = timedelta(hours=72)
    #: The path under which clients reach the service: what sources of events begin with.
    prefix: str = ""

    def allows(self, address: str) -> bool:
        """Whether anything may be sent to an IP address: public ones, and those of the networks."""
        found = _meant(ip_address(address.partition("%")[0]))
        networks = map(ip_network, self.networks)
        if any(found.version == one.version and found in one for one in networks):
            return True
        return found.is_global and not found.is_multicast


def _meant(address: IPv4Address | IPv6Address) -> IPv4Address | IPv6Address:
    """The address that packets would reach in the end."""
    if isinstance(address, IPv4Address):
        return address
    inner = address.ipv4_mapped or address.sixtofour or (address.teredo or (None, None))[1]
    if inner is None and any(address in one for one in _WITHIN) and int(address) > 1:
        inner = IPv4Address(int(address) & 0xFFFFFFFF)
    return inner or address
