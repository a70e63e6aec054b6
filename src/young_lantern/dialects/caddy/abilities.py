"""What Caddy cannot say as others do: topic or directive of a source -> what becomes of it, and why. All else is kept.

Order:    of no consequence; a directive's own row counts before its topic's.
"""

from __future__ import annotations

from ...model import Disposition

ABILITIES: dict[str, tuple[Disposition, str]] = {
    "logs": (Disposition.CHANGED, "access logs are JSON lines"),
    "limits": (Disposition.CHANGED, "a limit on request content acts when the content is read"),
    **dict.fromkeys(("limit_req", "limit_req_zone", "limit_req_status", "limit_req_log_level", "limit_req_dry_run"), (Disposition.UNSUPPORTED, "Caddy as packaged has no limit on requests")),
    **dict.fromkeys(("limit_conn", "limit_conn_zone", "limit_conn_status", "limit_conn_log_level", "limit_conn_dry_run"), (Disposition.UNSUPPORTED, "Caddy as packaged has no limit on connections at a time")),
    **dict.fromkeys(("limit_rate", "limit_rate_after"), (Disposition.UNSUPPORTED, "Caddy as packaged has no limit on speed")),
    "caches": (Disposition.UNSUPPORTED, "Caddy as packaged keeps no answers"),
    "split_clients": (Disposition.UNSUPPORTED, "Caddy divides clients by nothing that they send"),
    "client_max_body_size": (Disposition.CHANGED, "it acts when the content is read, and answers 502"),
    "LimitRequestBody": (Disposition.CHANGED, "it acts when the content is read, and answers 502"),
    "ssl_ciphers": (Disposition.CHANGED, "Caddy chooses the cipher suites"),
    "SSLCipherSuite": (Disposition.CHANGED, "Caddy chooses the cipher suites"),
    "heads": (Disposition.CHANGED, "a limit counts for all lines of a head together, and is 1 MB unless more was taken"),
    "types": (Disposition.CHANGED, "Caddy has a table of media types of its own"),
    "client": (Disposition.UNSUPPORTED, "rules ask for the address of the proxy in front: Caddy has no setting for it until 2.6.3"),
    "charset": (Disposition.CHANGED, "Caddy puts charset=utf-8 behind what is text by itself"),
    "charset_types": (Disposition.CHANGED, "Caddy puts charset=utf-8 behind what is text by itself"),
    "CGIPassAuth": (Disposition.IMPLIED, "applications are told what clients say of themselves anyway"),
    "AddDefaultCharset": (Disposition.CHANGED, "Caddy puts charset=utf-8 behind what is text by itself"),
    "stub_status": (Disposition.CHANGED, "the page is metrics: other numbers, in another form"),
    "expires": (Disposition.CHANGED, "the date cannot be computed; max-age is sent"),
    "ExpiresDefault": (Disposition.CHANGED, "the date cannot be computed; max-age is sent"),
    "ExpiresByType": (Disposition.CHANGED, "the date cannot be computed; max-age is sent"),
    "error_page": (Disposition.CHANGED, "one set of error pages for a site, for errors of the server's own"),
    "ErrorDocument": (Disposition.CHANGED, "one set of error pages for a site, for errors of the server's own"),
}
