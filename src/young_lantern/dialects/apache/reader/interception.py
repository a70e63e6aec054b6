"""Which errors of an origin the server answers itself.

Source:   Apache HTTP Server manual, ProxyErrorOverride; ap_proxy_should_override: all from 400 on, or those that are listed.
"""

from __future__ import annotations

from typing import Any

from .context import Context, Node


def intercepts(levels: list[Node], context: Context) -> dict[str, Any]:
    """What `ProxyErrorOverride` says, as parts of a Forward or Gateway."""
    node = context.last(levels, "proxyerroroverride")
    if node is None or node.args[:1] and node.args[0].lower() == "off":
        return {}
    codes = frozenset(int(word) for word in node.args[1:] if word.isdigit())
    return {"intercepts_errors": True, "intercepts_all": True, "intercepted": codes or None, "intercepts_span": node.span}
