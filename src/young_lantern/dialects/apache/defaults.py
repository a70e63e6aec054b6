"""What silence means in httpd 2.4, and where it is stated."""

from __future__ import annotations

from ...model import PathReading, Pattern

# core: AllowEncodedSlashes Off (404), MergeSlashes On (2.4.39), `..` above the root is 400. Slashes at the start are one even with
# MergeSlashes Off (protocol.c, ap_parse_uri; 2.4.71, probed).
READING = PathReading(merges_slashes=True, normalises_first=True, resolves_dots=True, refuses_upward=True, encoded_slash_status=404, keeps_empty_query=True, escapes=" \"#%<>?[\\]^`{|}", escapes_in_captures="")
# core: DocumentRoot as compiled into Debian's package (2.4.71, probed), and as Red Hat's httpd.conf says; the manual's is /usr/local/apache/htdocs.
DOCUMENT_ROOT = "/var/www/html"
# mod_dir: DirectoryIndex index.html, DirectorySlash On.
INDEX = ("index.html",)
ADDED_SLASH = 301
# core, LimitInternalRecursion: 10 redirects inside, then 500.
RESTARTS = 10
# core, default handler (server/core.c, default_handler): POST is answered like GET; other methods are 405.
# http_request.c: CONNECT is for proxies (2.4.71, probed).
REFUSED_METHODS = (("CONNECT", 400),)
# vhost.c, strict_hostname_check (2.4.71, probed): other signs than letters, digits, hyphens, underscores and dots, and numbers that are no address; with
# HttpProtocolOptions Unsafe two dots in a row only.
REFUSED_HOSTS = Pattern(r"\.\.|[^A-Za-z0-9._-]|^(?=[0-9.]+$)(?!(?:0|[1-9][0-9]*)(?:\.(?:0|[1-9][0-9]*)){3}\.?$)")
REFUSED_HOSTS_UNSAFE = Pattern(r"\.\.")
METHODS = ("GET", "HEAD", "POST")
# core.c, default_handler -> ap_send_http_options (2.4.71, probed): OPTIONS is answered with `Allow` before any file is looked for.
OPTIONS_STATUS = 200
# core, LimitRequestBody: 1 GiB since 2.4.53.
BODY_LIMIT = 1024 * 1024 * 1024
# core, AddDefaultCharset: only these, whoever answers.
CHARSET_TYPES = ("text/html", "text/plain")
# http_protocol.c, ap_send_error_response: a text of ErrorDocument, and the server's own words.
TEXT_TYPE = "text/html; charset=iso-8859-1"
# core: LimitRequestLine and LimitRequestFieldSize, LimitRequestFields (DEFAULT_LIMIT_REQUEST_* in httpd.h).
HEAD_LINE = 8190
HEAD_FIELDS = 100

# Where kept answers lie on Debian (its mods-available/cache_disk.conf).
CACHE_FOLDER = "/var/cache/apache2/mod_cache_disk"
