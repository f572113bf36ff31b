"""Addresses that requests come from: what one is counted as, and the network that it belongs to."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network

#: The bits of an IPv6 address that are the same for all of a household or a machine: the others can be
#: changed at will (RFC 4291, section 2.5.1).
_ONE_V6 = 64
#: How much of an address names a provider's part of a town.
_WIDE_V4, _WIDE_V6 = 24, 48


def counted_as(address: str) -> str:
    """What an address is counted as, where one place may do something so many times only."""
    found = _read(address)
    if found is None or found.version == 4:
        return str(found or address)
    return str(ip_network((found, _ONE_V6), strict=False))


def whole(address: str) -> str:
    """An address in its usual spelling; empty where it is none."""
    return str(_read(address) or "")


def network_of(address: str) -> str:
    """The network that an address belongs to, which says nothing of who in it; empty where it is none."""
    found = _read(address)
    if found is None:
        return ""
    return str(ip_network((found, _WIDE_V4 if found.version == 4 else _WIDE_V6), strict=False))


def _read(address: str) -> IPv4Address | IPv6Address | None:
    try:
        found = ip_address(address.partition("%")[0])
    except ValueError:
        return None
    # Some servers tell those of IPv4 so (RFC 4291, section 2.5.5.2): all of them share one network.
    return found.ipv4_mapped or found if isinstance(found, IPv6Address) else found
