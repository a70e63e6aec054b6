"""Addresses of clients and the networks that they lie in."""

from __future__ import annotations

import ipaddress
from functools import lru_cache


@lru_cache(maxsize=4096)
def _network(text_: str) -> ipaddress.IPv4Network | ipaddress.IPv6Network | None:
    try:
        return ipaddress.ip_network(text_, strict=False)
    except ValueError:
        return None


def in_network(client: str, network: str) -> bool:
    """Whether an address lies in a CIDR block or is the address given."""
    found = _network(network)
    try:
        return found is not None and ipaddress.ip_address(client) in found
    except ValueError:
        return False
