"""The table of every Caddyfile directive we know, and the order in which Caddy runs them.

Source:   Caddy documentation, "Caddyfile Directives" and "Directive order"; `caddy adapt` of 2.6.2 for the order.
Order:    of ORDER matters: it is the order of execution. handle_path counts as handle (httpcaddyfile).
Unknown:  a name that is not here is `directive-unknown`, with the likely one.
"""

from __future__ import annotations

from ...model import Disposition
from ..dialect import Row, at_least

SITE, GLOBAL = "site", "global"

ORDER: tuple[str, ...] = (
    "tracing", "map", "vars", "root", "skip_log", "header", "copy_response_headers", "request_body", "redir", "method",
    "rewrite", "uri", "try_files", "basicauth", "forward_auth", "request_header", "encode", "push", "templates",
    "handle", "route", "abort", "error", "copy_response", "respond", "metrics", "reverse_proxy", "php_fastcgi",
    "file_server", "acme_server",
)
POSITION = {name: number for number, name in enumerate(ORDER)} | {"handle_path": ORDER.index("handle")}

_NOT_YET = "the model has no word for it yet: what it did will not happen in the target"


def _site(names: str, topic: str) -> list[Row]:
    return [Row(name, frozenset({SITE}), at_least(0), topic=topic, shape=name) for name in names.split()]


ROWS: tuple[Row, ...] = (
    *_site("tls bind", "sites"),
    *_site("root file_server try_files", "files"),
    *_site("header request_header", "fields"),
    *_site("redir respond error abort metrics", "answers"),
    *_site("rewrite uri vars", "rewrites"),
    *_site("handle handle_path handle_errors route", "routes"),
    *_site("reverse_proxy", "forwards"),
    *_site("php_fastcgi", "gateways"),
    *_site("basicauth", "access"),
    *_site("forward_auth", "asking"),
    *_site("encode", "compression"),
    *_site("request_body", "limits"),
    *_site("map", "tables"),
    *_site("log skip_log", "logs"),
    *_site("import", "structure"),
    *(Row(name, frozenset({SITE}), at_least(0), disposition=Disposition.UNSUPPORTED, why=_NOT_YET, shape=name)
      for name in "templates method push tracing acme_server copy_response copy_response_headers invoke".split()),
    *(Row(name, frozenset({GLOBAL}), at_least(0), topic="sites", shape=name)
      for name in "http_port https_port auto_https default_sni default_bind order".split()),
    *(Row(name, frozenset({GLOBAL}), at_least(0), disposition=Disposition.IMPLIED,
          why="it concerns the server's own running or certificate issuance; no answer depends on it", shape=name)
      for name in ("admin debug email storage persist_config grace_period shutdown_delay log acme_ca acme_ca_root acme_dns acme_eab "
                   "cert_issuer key_type local_certs skip_install_trust ocsp_stapling on_demand_tls ocsp_interval renew_interval "
                   "preferred_chains storage_clean_interval").split()),
    *(Row(name, frozenset({GLOBAL}), at_least(0), disposition=Disposition.UNSUPPORTED, why=_NOT_YET, shape=name)
      for name in "servers pki events filesystem".split()),
)
# Lines of the global option `servers` that concern the server itself.
SERVERS_OWN = frozenset({"timeouts", "max_header_size", "metrics", "log_credentials", "protocols", "keepalive_interval", "name"})
NAMES = frozenset(row.name for row in ROWS)
_BY_KEY = {(row.name, within): row for row in ROWS for within in row.within}


def row_for(name: str, within: str) -> Row | None:
    return _BY_KEY.get((name, within))
