"""Host names with a star."""

from __future__ import annotations


def host_matches(name: str, host: str, one_label: bool) -> bool:
    """Whether a host name fits a name with an optional star (RFC 9525 section 6.3 for one label)."""
    if name == "*":
        return True
    if name.startswith("*."):
        if not host.endswith(name[1:]) or len(host) <= len(name) - 1:
            return False
        return not one_label or "." not in host[:-len(name) + 1]
    if name.endswith(".*"):
        return host.startswith(name[:-1]) and len(host) > len(name) - 1
    return host == name
