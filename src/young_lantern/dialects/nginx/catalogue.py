"""The table of every nginx directive we know: where it may stand, how many words follow, what becomes of it.

Source:   nginx manual, "Alphabetical index of directives"; contexts as in each module's page. Read for 1.22 to 1.27.
Order:    of no consequence; grouped by what becomes of them.
Unknown:  a name that is not here is the finding `directive-unknown`, with the likely one.
Left out: stream, mail and third-party modules: the block that opens them is unsupported as a whole.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ...model import Disposition
from ..dialect import Row, Takes, at_least, between, exactly

MAIN, EVENTS, HTTP, SERVER, LOCATION, IF, UPSTREAM, LIMIT = "main", "events", "http", "server", "location", "if", "upstream", "limit_except"
TYPES, MAP = "types", "map"
_WITHIN = {"m": MAIN, "e": EVENTS, "h": HTTP, "s": SERVER, "l": LOCATION, "i": IF, "u": UPSTREAM, "x": LIMIT}


def _rows(topic: str, lines: str) -> list[Row]:
    """Lines `name contexts least[-most|+] shape` -> rows of a topic."""
    rows = []
    for line in lines.strip().splitlines():
        name, within, takes, *shape = line.split(None, 3)
        rows.append(Row(name, _contexts(within), _takes(takes), topic=topic, shape=" ".join([name, *shape])))
    return rows


def _settled(disposition: Disposition, why: str, lines: str) -> list[Row]:
    """Lines `contexts takes: name name …` -> rows that need no reading."""
    rows = []
    for line in lines.strip().splitlines():
        head, names = line.split(":", 1)
        within, takes = head.split()
        rows += [Row(name, _contexts(within), _takes(takes), disposition=disposition, why=why, shape=name) for name in names.split()]
    return rows


def _contexts(letters: str) -> frozenset[str]:
    return frozenset(_WITHIN[letter] for letter in letters)


def _takes(text: str) -> Takes:
    if text.endswith("+"):
        return at_least(int(text[:-1]))
    least, _, most = text.partition("-")
    return between(int(least), int(most)) if most else exactly(int(least))


# What the modules that ask origins have alike, each under its own name.
_OF_CACHES = """
    MODULE_cache hsl 1 ZONE | off
    MODULE_cache_path h 2+ FOLDER keys_zone=NAME:SIZE …
    MODULE_cache_key hsl 1 TEXT
    MODULE_cache_valid hsl 1+ [STATUS … | any] TIME
    MODULE_cache_bypass hsl 1+ TEXT …
    MODULE_no_cache hsl 1+ TEXT …
    MODULE_cache_use_stale hsl 1+ CASE … | off
    MODULE_cache_lock hsl 1 on | off
    MODULE_cache_lock_age hsl 1 TIME
    MODULE_cache_lock_timeout hsl 1 TIME
    MODULE_cache_max_range_offset hsl 1 NUMBER
    MODULE_cache_methods hsl 1+ METHOD …
    MODULE_cache_min_uses hsl 1 NUMBER
    MODULE_cache_revalidate hsl 1 on | off
    MODULE_cache_background_update hsl 1 on | off
    MODULE_ignore_headers hsl 1+ FIELD …
"""

_READ = [
    *_rows("structure", """
        http m 0 { … }
        events m 0 { … }
        include mehsliux 1 FILE | MASK
    """),
    *_rows("sites", """
        server h 0 { … }
        listen s 1+ ADDRESS[:PORT] [ssl] [http2] [default_server]
        server_name s 1+ NAME …
        merge_slashes hs 1 on | off
        http2 hs 1 on | off
    """),
    *_rows("tls", """
        ssl_certificate hs 1 FILE
        ssl_certificate_key hs 1 FILE
        ssl_protocols hs 1+ PROTOCOL …
        ssl_ciphers hs 1 CIPHERS
        ssl_reject_handshake hs 1 on | off
        ssl_verify_client hs 1 on | off | optional | optional_no_ca
        ssl_client_certificate hs 1 FILE
        ssl_verify_depth hs 1 NUMBER
        ssl_crl hs 1 FILE
    """),
    *_rows("locations", """
        location sl 1-2 [= | ~ | ~* | ^~] PATH { … }
        internal l 0
    """),
    *_rows("rewrites", """
        rewrite sli 2-3 PATTERN REPLACEMENT [last | break | redirect | permanent]
        if sl 1+ (CONDITION) { … }
        set sli 2 $VARIABLE VALUE
        break sli 0
    """),
    *_rows("tables", """
        map h 2 TEXT $VARIABLE { … }
        split_clients h 2 TEXT $VARIABLE { … }
        geo h 1-2 [$ADDRESS] $VARIABLE { … }
    """),
    *_rows("answers", """
        return sli 1-2 CODE [TEXT] | CODE URL | URL
        error_page hsli 2+ CODE … [=[CODE]] URI
        stub_status sl 0+ (nothing)
        absolute_redirect hsl 1 on | off
        port_in_redirect hsl 1 on | off
        server_name_in_redirect hsl 1 on | off
        recursive_error_pages hsl 1 on | off
    """),
    *_rows("files", """
        root hsli 1 FOLDER
        alias l 1 FOLDER
        index hsl 1+ FILE …
        try_files sl 2+ FILE … URI | =CODE
        autoindex hsl 1 on | off
        types hsl 0 { … }
        default_type hsl 1 TYPE
        charset hsli 1 CHARSET | off
        charset_types hsl 1+ TYPE …
    """),
    *_rows("forwards", """
        proxy_pass lix 1 URL
        proxy_set_header hsl 2 FIELD VALUE
        proxy_hide_header hsl 1 FIELD
        proxy_redirect hsl 1-2 default | off | FROM TO
        proxy_http_version hsl 1 1.0 | 1.1
        proxy_connect_timeout hsl 1 TIME
        proxy_read_timeout hsl 1 TIME
        proxy_method hsl 1 METHOD
        proxy_next_upstream hsl 1+ error | timeout | http_STATUS … | off
        proxy_next_upstream_tries hsl 1 NUMBER
        proxy_send_timeout hsl 1 TIME
        proxy_buffering hsl 1 on | off
        proxy_intercept_errors hsl 1 on | off
        proxy_ssl_verify hsl 1 on | off
        proxy_ssl_trusted_certificate hsl 1 FILE
        proxy_ssl_name hsl 1 NAME
        proxy_ssl_server_name hsl 1 on | off
        proxy_cookie_path hsl 1-2 off | PATH REPLACEMENT
        proxy_cookie_domain hsl 1-2 off | DOMAIN REPLACEMENT
        proxy_cookie_flags hsl 1+ off | COOKIE [FLAG ...]
    """),
    *_rows("forwards", """
        grpc_pass lix 1 ADDRESS
        grpc_set_header hsl 2 FIELD VALUE
        grpc_hide_header hsl 1 FIELD
        grpc_intercept_errors hsl 1 on | off
        grpc_connect_timeout hsl 1 TIME
        grpc_read_timeout hsl 1 TIME
        grpc_next_upstream hsl 1+ error | timeout | http_STATUS … | off
        grpc_next_upstream_tries hsl 1 NUMBER
        grpc_send_timeout hsl 1 TIME
    """),
    *_rows("rewrites", """
        valid_referers sl 1+ none | blocked | server_names | NAME ...
    """),
    *_rows("access", """
        auth_basic hslx 1 REALM | off
        auth_basic_user_file hslx 1 FILE
        satisfy hsl 1 all | any
    """),
    *_rows("gateways", """
        fastcgi_pass li 1 ADDRESS
        fastcgi_param hsl 2-3 NAME VALUE [if_not_empty]
        fastcgi_index hsl 1 FILE
        fastcgi_hide_header hsl 1 FIELD
        fastcgi_split_path_info hsl 1 PATTERN
        fastcgi_intercept_errors hsl 1 on | off
        fastcgi_read_timeout hsl 1 TIME
        fastcgi_next_upstream hsl 1+ error | timeout | http_STATUS … | off
        fastcgi_next_upstream_tries hsl 1 NUMBER
        uwsgi_pass li 1 ADDRESS
        uwsgi_param hsl 2-3 NAME VALUE [if_not_empty]
        uwsgi_hide_header hsl 1 FIELD
        uwsgi_intercept_errors hsl 1 on | off
        uwsgi_read_timeout hsl 1 TIME
        uwsgi_next_upstream hsl 1+ error | timeout | http_STATUS … | off
        uwsgi_next_upstream_tries hsl 1 NUMBER
        scgi_pass li 1 ADDRESS
        scgi_param hsl 2-3 NAME VALUE [if_not_empty]
        scgi_hide_header hsl 1 FIELD
        scgi_intercept_errors hsl 1 on | off
        scgi_read_timeout hsl 1 TIME
        scgi_next_upstream hsl 1+ error | timeout | http_STATUS … | off
        scgi_next_upstream_tries hsl 1 NUMBER
    """),
    *_rows("pools", """
        upstream h 1 NAME { … }
        server u 1+ ADDRESS [weight=N] [backup] [down] [max_fails=N] [fail_timeout=TIME]
        least_conn u 0
        ip_hash u 0
        random u 0-2
        hash u 1-2 KEY [consistent]
        keepalive u 1 N
    """),
    *_rows("fields", """
        add_header hsli 2-3 FIELD VALUE [always]
        expires hsli 1-2 [modified] TIME | epoch | max | off
    """),
    *_rows("content", """
        sub_filter hsl 2 TEXT REPLACEMENT
        sub_filter_once hsl 1 on | off
        sub_filter_types hsl 1+ TYPE …
    """),
    *_rows("compression", """
        gzip hsli 1 on | off
        gzip_types hsl 1+ TYPE …
        gzip_min_length hsl 1 LENGTH
        gzip_static hsl 1 on | off | always
    """),
    *_rows("access", """
        limit_except l 1+ METHOD … { … }
        allow hslx 1 ADDRESS | NETWORK | all
        deny hslx 1 ADDRESS | NETWORK | all
        client_max_body_size hsl 1 SIZE
    """),
    *_rows("asking", """
        auth_request hsl 1 PATH | off
        auth_request_set hsl 2 $NAME $upstream_http_FIELD
    """),
    *_rows("heads", """
        large_client_header_buffers hs 2 NUMBER SIZE
        client_header_buffer_size hs 1 SIZE
        ignore_invalid_headers hs 1 on | off
        underscores_in_headers hs 1 on | off
    """),
    *_rows("client", """
        set_real_ip_from hsl 1 ADDRESS | NETWORK | unix:
        real_ip_header hsl 1 FIELD
        real_ip_recursive hsl 1 on | off
    """),
    *(row for module in ("proxy", "fastcgi", "uwsgi", "scgi") for row in _rows("caches", _OF_CACHES.replace("MODULE", module))),
    *_rows("caches", """
        proxy_cache_convert_head hsl 1 on | off
    """),
    *_rows("limits", """
        limit_req_zone h 3-4 KEY zone=NAME:SIZE rate=NUMBERr/s
        limit_req hsl 1-3 zone=NAME [burst=NUMBER] [nodelay | delay=NUMBER]
        limit_req_status hsl 1 STATUS
        limit_req_log_level hsl 1 LEVEL
        limit_req_dry_run hsl 1 on | off
        limit_conn_zone h 2 KEY zone=NAME:SIZE
        limit_conn hsl 2 NAME NUMBER
        limit_conn_status hsl 1 STATUS
        limit_conn_log_level hsl 1 LEVEL
        limit_conn_dry_run hsl 1 on | off
        limit_rate hsli 1 SIZE
        limit_rate_after hsli 1 SIZE
    """),
    *_rows("logs", """
        access_log hslix 1-5 FILE [FORMAT] | off
        log_format h 2+ NAME TEXT …
    """),
]

_OWN_PROCESS = _settled(Disposition.IMPLIED, "the target runs its own processes and connections; no answer depends on it", """
    m 1: worker_processes pid user daemon master_process worker_rlimit_nofile worker_shutdown_timeout pcre_jit lock_file
    m 1: worker_cpu_affinity worker_priority timer_resolution ssl_engine thread_pool debug_points working_directory
    m 1-2: env worker_rlimit_core load_module
    e 1: worker_connections multi_accept accept_mutex accept_mutex_delay use debug_connection worker_aio_requests
    hsl 1: sendfile sendfile_max_chunk tcp_nopush tcp_nodelay send_lowat postpone_output output_buffers read_ahead
    hsl 1-2: aio directio directio_alignment aio_write reset_timedout_connection client_body_buffer_size
    hsl 1: client_body_in_file_only client_body_in_single_buffer max_ranges
    hs 1-2: request_pool_size connection_pool_size
    h 1: types_hash_max_size types_hash_bucket_size server_names_hash_max_size server_names_hash_bucket_size
    h 1: variables_hash_max_size variables_hash_bucket_size map_hash_max_size map_hash_bucket_size
    hsl 1: open_file_cache_errors open_file_cache_min_uses open_file_cache_valid
    hsl 1-2: open_file_cache
    hsl 1-3: client_body_temp_path proxy_temp_path fastcgi_temp_path uwsgi_temp_path scgi_temp_path
    hsl 1-2: proxy_buffer_size proxy_buffers proxy_busy_buffers_size proxy_max_temp_file_size proxy_temp_file_write_size
    h 1: proxy_headers_hash_max_size proxy_headers_hash_bucket_size
    hsl 1: proxy_request_buffering
    hsl 1-2: gzip_buffers
    hsl 1: gzip_comp_level
    hsl 1: log_subrequest subrequest_output_buffer_size
    hs 1: ssl_session_timeout ssl_session_tickets ssl_buffer_size ssl_session_cache
    hsl 1-5: error_log
    m 1-5: error_log
    hsl 1-5: open_log_file_cache
    hsl 1: keepalive_disable
    hsl 1-2: keepalive_timeout keepalive_requests keepalive_time
    hsl 1: lingering_close lingering_time lingering_timeout send_timeout client_body_timeout client_header_timeout
    u 1-2: keepalive_requests keepalive_timeout keepalive_time zone
""")
_OWN_PROCESS = [row for row in _OWN_PROCESS if row.name not in ("error_log",)]
_ERROR_LOG = _settled(Disposition.MANUAL, "the target writes its own error log; set its place and level there if you collect it", "mhsl 1-5: error_log")
_STAPLING = _settled(Disposition.MANUAL, "stapled certificate states belong to the handshake and decide no request: Caddy staples by itself, httpd with SSLUseStapling and a cache for it", """
    hs 1+: ssl_stapling ssl_stapling_verify ssl_stapling_file ssl_stapling_responder ssl_trusted_certificate
""")
_HARMLESS = _settled(Disposition.IMPLIED, "the target does this by itself, or has no such switch; the answer's content is the same", """
    hsl 1: server_tokens etag if_modified_since gzip_vary gzip_proxied gzip_http_version gzip_disable msie_padding
    hsl 1+: gzip_proxied gzip_disable
    hs 1: ssl_prefer_server_ciphers ssl_ecdh_curve ssl_early_data
    hs 1: ssl_dhparam
    hsl 1-2: log_not_found chunked_transfer_encoding
    hsl 1+: resolver resolver_timeout
    hsli 1: rewrite_log uninitialized_variable_warn
    hsl 1: proxy_socket_keepalive fastcgi_socket_keepalive proxy_ssl_session_reuse open_file_cache_events
    hsl 1+: referer_hash_max_size referer_hash_bucket_size
""")
# What is not carried: why, in terms of what the directive did; what follows from that is for the engineer to judge.
_NOT_CARRIED = [row for why, lines in (
    ("it changes the content of answers on their way; without it they go out as they are", """
        hsl 1+: sub_filter_last_modified addition_types add_before_body add_after_body
        hsl 1+: ssi ssi_types ssi_silent_errors charset_map override_charset source_charset
        l 0+: mp4 flv image_filter
    """),
    ("it decides who may see this; what it guards is answered with an error until it is carried over by hand, and not left open", """
        hsl 1+: secure_link secure_link_md5
    """),
    ("it keeps answers of origins as files for other programs; nothing does here", """
        hsl 1+: proxy_store proxy_store_access
    """),
    ("it changes what passes between client and origin; without it that passes as it is", """
        hsl 1+: proxy_pass_header proxy_bind
        hsl 1+: proxy_pass_request_body proxy_pass_request_headers proxy_set_body proxy_limit_rate proxy_force_ranges
        hsl 1+: add_trailer mirror mirror_request_body proxy_ignore_client_abort
    """),
    ("it says when another origin is tried, or how long; the target has its own rule for that", """
        hsl 1+: proxy_next_upstream_timeout
        u 1+: sticky state ntlm queue
    """),
    ("it sets how TLS to the origin is spoken and checked; the target does it its own way", """
        hsl 1+: proxy_ssl_certificate
        hsl 1+: proxy_ssl_certificate_key proxy_ssl_protocols proxy_ssl_ciphers proxy_ssl_verify_depth
    """),
    ("origins that do not speak HTTP are not read yet; requests meant for them are not forwarded", """
        l 1: memcached_pass
    """),
    ("what applications answer by FastCGI passes as it is; the target has no line for it", """
        hsl 1+: fastcgi_pass_header fastcgi_catch_stderr
    """),
    ("it belongs to the handshake and decides no request; the target has its own setting for it", """
        hs 1+: ssl_conf_command ssl_ocsp ssl_password_file
    """),
    ("the variable that it makes is not read yet; where it is used, the line says so", """
        h 1+: geoip_country geoip_city
    """),
    ("what this handler answers is not read: requests for it are answered with 501", """
        l 0+: empty_gif perl
    """),
    ("nothing of this kind is read yet: requests are answered as if it were not there", """
        hsli 1+: disable_symlinks
        l 0+: dav_methods
        hsl 1+: autoindex_exact_size autoindex_localtime autoindex_format random_index
        hsl 1+: userid userid_domain userid_expires userid_name userid_path
        mh 0+: stream mail
    """),
) for row in _settled(Disposition.UNSUPPORTED, why, lines)]

# What remains of the stock server, with the places where it takes them (1.22.1: each was tried in each block; tests hold them together).
_REST = """
    hsl: ancient_browser ancient_browser_value auth_delay create_full_put_path dav_access fastcgi_bind fastcgi_buffer_size
    hsl: fastcgi_buffering fastcgi_buffers fastcgi_busy_buffers_size
    hsl: fastcgi_connect_timeout fastcgi_force_ranges
    hsl: fastcgi_ignore_client_abort fastcgi_keep_conn fastcgi_limit_rate fastcgi_max_temp_file_size
    hsl: fastcgi_next_upstream_timeout fastcgi_pass_request_body
    hsl: fastcgi_pass_request_headers fastcgi_request_buffering fastcgi_send_lowat fastcgi_send_timeout
    hsl: fastcgi_store fastcgi_store_access fastcgi_temp_file_write_size grpc_bind grpc_buffer_size
    hsl: grpc_ignore_headers grpc_next_upstream_timeout
    hsl: grpc_pass_header grpc_socket_keepalive grpc_ssl_certificate
    hsl: grpc_ssl_certificate_key grpc_ssl_ciphers grpc_ssl_conf_command grpc_ssl_crl grpc_ssl_name grpc_ssl_password_file
    hsl: grpc_ssl_protocols grpc_ssl_server_name grpc_ssl_session_reuse grpc_ssl_trusted_certificate grpc_ssl_verify
    hsl: grpc_ssl_verify_depth gunzip gunzip_buffers gzip_hash gzip_no_buffer gzip_window http2_chunk_size http2_push
    hsl: http2_push_preload memcached_bind memcached_buffer_size memcached_connect_timeout
    hsl: memcached_gzip_flag memcached_next_upstream memcached_next_upstream_timeout memcached_next_upstream_tries
    hsl: memcached_read_timeout memcached_send_timeout memcached_socket_keepalive min_delete_depth modern_browser modern_browser_value
    hsl: mp4_buffer_size mp4_max_buffer_size mp4_start_key_frame msie_refresh postpone_gzipping
    hsl: proxy_send_lowat
    hsl: proxy_ssl_conf_command proxy_ssl_crl proxy_ssl_password_file scgi_bind scgi_buffer_size scgi_buffering scgi_buffers
    hsl: scgi_busy_buffers_size
    hsl: scgi_connect_timeout scgi_force_ranges
    hsl: scgi_ignore_client_abort scgi_limit_rate scgi_max_temp_file_size
    hsl: scgi_next_upstream_timeout scgi_pass_header scgi_pass_request_body
    hsl: scgi_pass_request_headers scgi_request_buffering scgi_send_timeout scgi_socket_keepalive scgi_store
    hsl: scgi_store_access scgi_temp_file_write_size secure_link_secret slice ssi_ignore_recycled_buffers ssi_last_modified
    hsl: ssi_min_file_chunk ssi_value_length userid_flags userid_mark userid_p3p userid_service uwsgi_bind uwsgi_buffer_size
    hsl: uwsgi_buffering uwsgi_buffers uwsgi_busy_buffers_size
    hsl: uwsgi_connect_timeout
    hsl: uwsgi_force_ranges uwsgi_ignore_client_abort uwsgi_limit_rate
    hsl: uwsgi_max_temp_file_size uwsgi_modifier1 uwsgi_modifier2 uwsgi_next_upstream_timeout
    hsl: uwsgi_pass_header uwsgi_pass_request_body uwsgi_pass_request_headers
    hsl: uwsgi_request_buffering uwsgi_send_timeout uwsgi_socket_keepalive uwsgi_ssl_certificate
    hsl: uwsgi_ssl_certificate_key uwsgi_ssl_ciphers uwsgi_ssl_conf_command uwsgi_ssl_crl uwsgi_ssl_name uwsgi_ssl_password_file
    hsl: uwsgi_ssl_protocols uwsgi_ssl_server_name uwsgi_ssl_session_reuse uwsgi_ssl_trusted_certificate uwsgi_ssl_verify
    hsl: uwsgi_ssl_verify_depth uwsgi_store uwsgi_store_access uwsgi_string uwsgi_temp_file_write_size
    e: epoll_events
    hs: http2_body_preread_size http2_idle_timeout http2_max_concurrent_pushes http2_max_concurrent_streams http2_max_field_size
    hs: http2_max_header_size http2_max_requests http2_pool_size http2_recv_timeout http2_streams_index_size max_headers ssl
    hs: ssl_ocsp_cache ssl_ocsp_responder ssl_session_ticket_key
    h: http2_recv_buffer_size
    hsli: post_action
"""
# Which of them matter how: the first pattern that holds decides.
_REST_WHY: tuple[tuple[str, Disposition, str], ...] = (
    (r"_cache|_no_cache|_store", Disposition.UNSUPPORTED, "stored answers are not carried: every request is answered afresh"),
    (r"^http2_push|^slice$|^mp4_|browser|^ssi_|^userid_|^dav_|secure_link|post_action|string$|modifier|^gunzip$|_limit_rate", Disposition.UNSUPPORTED,
     "nothing of this kind is read yet: requests are answered as if it were not there"),
    (r"^(?:uwsgi|scgi)_ssl", Disposition.UNSUPPORTED, "applications are not asked over TLS yet: requests meant for one that speaks it are not forwarded"),
    (r"^grpc_ssl_(?:session_reuse|server_name)$", Disposition.IMPLIED, "other servers do so by themselves"),
    (r"^grpc_ssl", Disposition.UNSUPPORTED, "it sets how TLS to the origin is spoken and checked; the target does it its own way"),
    (r"^memcached_", Disposition.UNSUPPORTED, "origins that do not speak HTTP, FastCGI, uWSGI's protocol or SCGI are not read; requests meant for them are not forwarded"),
    (r"_pass_request_|_hide_header|_pass_header|_ignore_headers", Disposition.UNSUPPORTED, "what it lets pass, or hides, is not carried; check the fields that the application sends"),
    (r"next_upstream", Disposition.UNSUPPORTED, "it says when another origin is tried, or how long; the target has its own rule for that"),
    (r"", Disposition.IMPLIED, "it sizes what the server itself needs, or how long it waits; the target has its own measure for that"),
)


def _rest() -> list[Row]:
    rows = []
    for line in _REST.strip().splitlines():
        places, names = line.split(":", 1)
        for name in names.split():
            _, disposition, why = next(found for found in _REST_WHY if re.search(found[0], name))
            rows.append(Row(name, _contexts(places.strip()), at_least(0), disposition=disposition, why=why, shape=name))
    return rows


# Blocks where the server takes them besides those that their rows name.
_WIDER = {
    "add_trailer": "hsli", "dav_methods": "hsl", "grpc_pass": "li",
    "memcached_pass": "li", "override_charset": "hsli", "proxy_headers_hash_bucket_size":
    "hsl", "proxy_headers_hash_max_size": "hsl", "scgi_pass": "li", "sendfile": "hsli", "source_charset": "hsli", "ssi": "hsli",
    "stub_status": "sl", "types_hash_bucket_size": "hsl", "types_hash_max_size": "hsl", "uwsgi_pass": "li",
}

# Rows that are settled with these words only: the pattern of the words, and what others do.
_ONLY_WITH: dict[str, tuple[str, str]] = {
    "max_ranges": ("[1-9].*", "parts of a file cannot be asked for, or only so many"),
    "fastcgi_force_ranges": ("off", "parts of what applications answer may be asked for"),
    "proxy_ssl_crl": ("(?!)", "certificates of origins that were revoked are refused"),
    "proxy_ssl_conf_command": ("(?!)", "it sets how TLS to the origin is spoken and checked; the target does it its own way"),
    "msie_refresh": ("off", "some browsers are sent a page that refreshes instead of a redirect"),
}

# A row read first wins where two settle the same name: `server` stands twice, once in http and once in upstream.
ROWS: tuple[Row, ...] = tuple(
    replace(row, within=row.within | _contexts(_WIDER.get(row.name, "")), **dict(zip(("harmless", "else_why"), _ONLY_WITH.get(row.name, ("", "")), strict=True))) for row in _READ + _OWN_PROCESS + _ERROR_LOG + _STAPLING + _HARMLESS + _NOT_CARRIED + _rest()
)
NAMES: frozenset[str] = frozenset(row.name for row in ROWS)
_BY_NAME: dict[str, list[Row]] = {}
for _row in ROWS:
    _BY_NAME.setdefault(_row.name, []).append(_row)

# What hands a request to an origin: a location `/x/` with one of these sends `/x` there (auto_redirect; 1.22.1, probed with FastCGI).
PASSES = ("proxy_pass", "fastcgi_pass", "uwsgi_pass", "scgi_pass", "grpc_pass", "memcached_pass")

# What hands it to an application, and is read.
GATEWAYS = ("fastcgi_pass", "uwsgi_pass", "scgi_pass")

# Content handlers that are not read: what a location with one of them answers is not known, and must not be taken for a file.
HANDLERS = ("fastcgi_pass", "uwsgi_pass", "scgi_pass", "grpc_pass", "memcached_pass", "stub_status", "empty_gif", "perl", "mp4", "flv")

# Protections that are not read: what they guard must not be left open, so that it is not answered at all.
GUARDS = ("secure_link",)

# Blocks whose content is data and not directives: each line of it is claimed together with the block.
DATA_BLOCKS = frozenset({"types", "map", "geo", "split_clients", "charset_map"})
# Blocks that are unsupported as a whole, with all that stands in them.
OPAQUE_BLOCKS = frozenset({"stream", "mail", "charset_map"})


def row_for(name: str, within: str) -> Row | None:
    """The row of a directive in a block; one for another block if there is none; None for an unknown name."""
    rows = _BY_NAME.get(name)
    if not rows:
        return None
    return next((row for row in rows if within in row.within), rows[0])
