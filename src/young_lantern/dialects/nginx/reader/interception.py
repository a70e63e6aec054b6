"""Which errors of an origin the server answers itself.

Source:   nginx manual, proxy_intercept_errors, fastcgi_intercept_errors; ngx_http_upstream_intercept_errors: only statuses that have a page.
"""

from __future__ import annotations

from typing import Any

from .context import Context, Scope


def intercepts(scope: Scope, name: str, context: Context) -> dict[str, Any]:
    """What `proxy_intercept_errors` or its like says, as parts of a Forward or Gateway: errors that have a page here are answered by it."""
    directive = context.used(scope, name)
    if directive is None or directive.args != ["on"]:
        return {}
    pages = frozenset(int(word) for item in scope.inherited("error_page") for word in item.args[:-1] if word.isdigit())
    return {"intercepts_errors": True, "intercepted": pages, "intercepts_span": directive.span}
