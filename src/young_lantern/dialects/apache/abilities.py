"""What httpd cannot say as others do: topic or directive of a source -> what becomes of it, and why. All else is kept.

Order:    of no consequence; a directive's own row counts before its topic's.
"""

from __future__ import annotations

from ...model import Disposition

_LENGTH = "a rule asks for the length that the client states; content without one is not limited"

ABILITIES: dict[str, tuple[Disposition, str]] = {
    "logs": (Disposition.CHANGED, "written in the format combined; a format of its own must be defined by hand"),
    "limits": (Disposition.CHANGED, _LENGTH),
    **dict.fromkeys(("limit_req", "limit_req_zone", "limit_req_status", "limit_req_log_level", "limit_req_dry_run"), (Disposition.UNSUPPORTED, "httpd as packaged has no limit on requests")),
    **dict.fromkeys(("limit_conn", "limit_conn_zone", "limit_conn_status", "limit_conn_log_level", "limit_conn_dry_run"), (Disposition.UNSUPPORTED, "httpd as packaged has no limit on connections at a time")),
    "caches": (Disposition.CHANGED, "the cache begins anew, and only some statuses have a time of their own; for applications, and keys of more than the URL, nothing is kept"),
    "gzip_static": (Disposition.UNSUPPORTED, "httpd by itself sends no file that lies there compressed in the place of another"),
    "split_clients": (Disposition.UNSUPPORTED, "httpd divides clients by nothing that they send"),
    "limit_rate": (Disposition.CHANGED, "in whole KiB"),
    "limit_rate_after": (Disposition.CHANGED, "in whole KiB"),
    "client_max_body_size": (Disposition.CHANGED, _LENGTH),
    "request_body": (Disposition.CHANGED, _LENGTH),
    "gzip_min_length": (Disposition.CHANGED, "answers of any length are compressed"),
    "error_page": (Disposition.CHANGED, "the status stays the error's"),
    "handle_errors": (Disposition.CHANGED, "a page for each status that may happen; it depends on nothing else"),
    "file_server": (Disposition.CHANGED, "the added slash is 301, and a folder without an index file gets it, too"),
    "abort": (Disposition.CHANGED, "httpd always answers: 403"),
    "asking": (Disposition.UNSUPPORTED, "httpd asks no origin whether a request may go on: what is guarded so is answered with 501"),
    "underscores_in_headers": (Disposition.UNSUPPORTED, "fields of any name go on to origins, and none with an underscore to applications"),
    "ignore_invalid_headers": (Disposition.UNSUPPORTED, "fields of any name go on to origins, and none with an underscore to applications"),
    "proxy_method": (Disposition.UNSUPPORTED, "an origin is asked by the method of the request"),
    "ip_hash": (Disposition.CHANGED, "the members are asked in turn"),
    "hash": (Disposition.CHANGED, "the members are asked in turn"),
    "stub_status": (Disposition.UNSUPPORTED, "requests for the page are answered with 501: have a <Location> with SetHandler server-status"),
    "metrics": (Disposition.UNSUPPORTED, "requests for the page are answered with 501: have a <Location> with SetHandler server-status"),
}
