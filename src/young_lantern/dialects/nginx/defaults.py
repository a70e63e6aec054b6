"""What silence means in nginx, since which version, and where it is stated."""

from __future__ import annotations

from ...model import Field, Operation, Pattern, Side, Template, Var, Variable

# nginx manual, core module, "types" and mime.types as packaged; default_type is text/plain.
DEFAULT_TYPE = "text/plain"
MEDIA_TYPES = (("html", "text/html"), ("gif", "image/gif"), ("jpg", "image/jpeg"))
# charset module, charset_types (since 0.7.9, JavaScript's old name only); text/html is always among them.
CHARSET_TYPES = ("text/html", "text/xml", "text/plain", "text/vnd.wap.wml", "application/javascript", "application/rss+xml")
INDEX = ("index.html",)
# index module: some name must be in force; this one is written where there is no index file, for no file has it.
NO_INDEX = "none."
# ssl module: ssl_protocols. TLSv1 and TLSv1.1 are off since 1.27.3, TLSv1.3 on since 1.23.4; the package asked is 1.22.1.
TLS_PROTOCOLS = ("TLSv1", "TLSv1.1", "TLSv1.2")
# ssl module, ssl_verify_depth.
VERIFY_DEPTH = 1
# core module, client_max_body_size.
BODY_LIMIT = 1024 * 1024
# core module, large_client_header_buffers (number, size) and client_header_buffer_size.
HEAD_BUFFERS = (4, 8 * 1024)
HEAD_FIRST = 1024
# ngx_http_process_request_header (1.22.1, probed): before anything is rewritten, wherever it leads.
REFUSED_METHODS = (("TRACE", 405), ("CONNECT", 405))
# ngx_http_validate_host: two dots in a row (1.22.1, probed).
REFUSED_HOSTS = Pattern(r"\.\.")
# core module, http: uri_changes is 10 in the source (NGX_HTTP_MAX_URI_CHANGES), then 500.
RESTARTS = 10
# gzip module: text/html is always included; gzip_min_length 20.
GZIP_TYPES = ("text/html",)
GZIP_MINIMUM = 20
# upstream module, server: weight=1 max_fails=1 fail_timeout=10s; connect, read and send time-outs 60 s (proxy module).
PROXY_SECONDS = 60.0

# proxy module, proxy_set_header: these two are sent unless redefined; the source also takes these fields away.
_HOST: Template = (Var(Variable.POOL),)
PROXY_FIELDS = (
    Field(Side.REQUEST, Operation.SET, "Host", _HOST),
    Field(Side.REQUEST, Operation.SET, "Connection", ("close",)),
)
PROXY_DROPS = ("Keep-Alive", "Expect", "Upgrade", "TE")
# The status of the redirect that a `rewrite` to a URL, or one with `redirect`, makes; and the added slash.
REWRITE_REDIRECT = 302
ADDED_SLASH = 301

# What is kept where proxy_cache_valid names no status (nginx manual, proxy module).
KEPT_STATUSES = ["200", "301", "302"]

# What is answered beyond a limit on requests or connections (nginx manual, limit_req_status, limit_conn_status).
LIMITED = 503
