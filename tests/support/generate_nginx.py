"""Random nginx configurations and requests: combinations of what the reader claims to know."""

from __future__ import annotations

import random

NAMES = [
    "www.fernhollow.example",
    "*.fernhollow.example",
    "loans.fernhollow.example",
    "fernhollow-tools.*",
    r"~^m(?<n>\d+)\.fernhollow\.example$",
]
HOSTS = [
    "www.fernhollow.example",
    "loans.fernhollow.example",
    "a.b.fernhollow.example",
    "fernhollow-tools.example",
    "m12.fernhollow.example",
    "unknown.example",
    "WWW.Fernhollow.Example",
]
SEGMENTS = ["a", "b", "docs", "api", "x.html", "y.png", "ab", "sub"]
PATTERNS = [r"\.png$", r"\.(html|png)$", r"^/a", r"^/(docs|api)/(.*)$", r"/b/?$", r"^/a/(?<rest>.+)$", r"\d+"]
TARGETS = ["/a/", "/docs/x.html", "/b", "/api/q", "/index.html", "/missing", "/sub/"]
FILES = [
    "index.html",
    "x.html",
    "y.png",
    "a/index.html",
    "a/x.html",
    "docs/x.html",
    "docs/y.png",
    "sub/y.png",
    "b",
    "404.html",
    "api/x.html",
]


# What a server makes itself, and what is made of other things.
OWN_VALUES = (
    "$request_id", "$remote_port", "$hostname", "$server_addr", '"$ssl_protocol"', '"$https"', "$remote_user", "$server_protocol", '"$request"', "$server_port", "$server_name",
    "$content_type", "$upstream_addr", "$request_time", "$upstream_cache_status",
)

# Answers that are kept, and limits; of each name one line.
KEEPING = (
    "proxy_cache answers;", "proxy_cache answers;", "proxy_cache off;", "proxy_cache_valid 200 404 10m;", "proxy_cache_valid any 1m;", "proxy_cache_bypass $cookie_mark $arg_x;", "proxy_no_cache $http_x_probe;",
    "proxy_cache_methods GET POST;", "proxy_cache_convert_head off;", "proxy_cache_key $host$uri;", "proxy_cache_lock on;", "proxy_cache_use_stale error http_503;", "proxy_ignore_headers Set-Cookie Expires;",
    "add_header X-Kept $upstream_cache_status;", "add_header X-Share $share always;", "proxy_set_header X-Share $share;", "limit_req zone=often burst=3;", "limit_req zone=often; limit_req_status 429;", "limit_conn many 2;", "limit_rate 100k;", "limit_rate 1m; limit_rate_after 10k;",
)


class NginxSource:
    """One random configuration; `text` is complete."""

    def __init__(self, seed: int, root: str) -> None:
        self.random = random.Random(seed)
        self.types = random.Random(f"types {seed}")  # of their own, so that all else stays what it was
        self.asking = random.Random(f"asking {seed}")  # likewise
        self.naming = random.Random(f"named {seed}")
        self.own = random.Random(f"own {seed}")  # likewise
        self.absent = random.Random(f"absent {seed}")
        self.keeping = random.Random(f"keeping {seed}")
        self.aliases = random.Random(f"beside {seed}")
        self.root = root
        self.depth = 0
        self.text = self._config()

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def pick(self, items):  # type: ignore[no-untyped-def]
        return self.random.choice(items)

    def _config(self) -> str:
        servers = "\n".join(self._server(number) for number in range(self.random.randint(1, 3)))
        return (
            "events {}\nhttp {\n  upstream pool_a { server 192.0.2.1:8000; }\n"
            "  upstream pool_b { server 192.0.2.2:8000 weight=2; server 192.0.2.3:8000; }\n"
            + "  map $sent_http_content_type $age { default off; text/html 10m; ~^image/ 2h; application/json 3m; ~*^text/CSS -1; }\n"
            + '  map $cookie_mark $marked { default d; "" none; ~^a* a; }\n  map $arg_x $sorted { default d; ~^x? p; }\n'
            + "  proxy_cache_path /var/cache/answers keys_zone=answers:1m;\n  limit_req_zone $binary_remote_addr zone=often:1m rate=5r/s;\n  limit_conn_zone $server_name zone=many:1m;\n  split_clients $arg_x$cookie_mark $share { 30% a; 45.5% b; * $arg_x; }\n"
            + self._settings("  ", 0.2)
            + self._proxies()
            + servers
            + "}\n"
        )

    def _proxies(self) -> str:
        """Proxies in front that are believed, one of which asks here."""
        if self.types.random() > 0.2:
            return ""
        field = self.types.choice(["real_ip_header X-Forwarded-For;", "real_ip_header X-Probe;", ""])
        return f"  set_real_ip_from {self.types.choice(['127.0.0.1', '0.0.0.0/0', '203.0.113.0/24'])}; {field} real_ip_recursive {self.types.choice(['on', 'off'])};\n"

    def _settings(self, indent: str, share: float) -> str:
        lines = []
        if self.chance(share):
            lines.append(
                f'add_header X-{self.pick("AB")} "{self.pick(["1", "$uri", "$host", "$args", "$scheme"])}"{self.pick(["", " always"])};'
            )
        if self.chance(share / 2):
            lines.append(f"expires {self.pick(['1h', '-1', 'max', 'epoch', 'off', '30d'])};")
        elif self.types.random() < share / 3:
            lines.append("expires $age;")
        if self.chance(share):
            code = self.pick(["403", "404", "404 403", "405"])
            lines.append(
                f"error_page {code} {self.pick(['', '=200 ', '= ', '=410 '])}{self.pick(['/404.html', '/missing', '/docs/x.html', 'http://www.fernhollow.example/sorry'])};"
            )
        if self.chance(share):
            lines.append(f"index {self.pick(['index.html', 'x.html index.html', 'y.png', '/index.html'])};")
        if self.chance(share / 2):
            lines.append("autoindex on;")
        if self.chance(share / 2):
            lines.append(
                self.pick(
                    ["deny 127.0.0.1; allow all;", "allow 127.0.0.0/8; deny all;", "deny all;", "deny 198.51.100.0/24;"]
                )
            )
        if self.chance(share / 2):
            field = self.pick(
                [
                    "Host $host",
                    "Host $http_host",
                    "X-Real-IP $remote_addr",
                    "X-Forwarded-For $proxy_add_x_forwarded_for",
                    "X-P $scheme://$host$request_uri",
                    "Connection ''",
                ]
            )
            lines.append(f"proxy_set_header {field};")
        if self.own.random() < share / 2:
            lines.append(self.own.choice(["add_header", "add_header", "proxy_set_header"]) + f" X-Own {self.own.choice(OWN_VALUES)};")
        if self.keeping.random() < share / 3:
            named = {line.split()[0]: line for line in self.keeping.sample(KEEPING, self.keeping.randint(1, 5))}
            lines += named.values()
        if self.absent.random() < share / 4:
            lines.append(self.absent.choice(['add_header X-Marked "$marked|$sorted|$cookie_mark";', "proxy_set_header X-Marked $cookie_mark;", "add_header X-Marked $marked always;"]))
        if self.types.random() < share / 2:
            lines.append(
                self.types.choice(
                    [
                        "charset utf-8;",
                        "charset off;",
                        "charset utf-8; charset_types text/css image/png;",
                        "default_type application/octet-stream;",
                        "default_type 'text/html; charset=koi8-r';",
                        "default_type '';",
                        "types { text/x-page html; image/png png; text/css x; }",
                        "types { } default_type text/css;",
                        "include /etc/nginx/mime.types;",
                        "add_header Content-Type text/x-added;",
                    ]
                )
            )
        return "".join(f"{indent}{line}\n" for line in lines)

    def _server(self, number: int) -> str:
        names = self.random.sample(NAMES, self.random.randint(1, 2))
        listen = "listen 80 default_server;" if number == 1 and self.chance(0.5) else "listen 80;"
        rewriting = "".join(f"    {self._rewriting(True)}\n" for _ in range(self.random.choice([0, 0, 1, 2])))
        locations = self._locations("    ", "", self.random.randint(1, 5))
        named = (
            "    location @n { "
            + ("internal; " if self.naming.random() < 0.2 else "")
            + self.pick(
                [
                    "return 202 named;",
                    "proxy_pass http://pool_a;",
                    "add_header X-N 1; return 404 gone;",
                    "try_files /x.html =404;",
                ]
            )
            + " }\n"
        )
        asked = "" if "/asked" not in locations else self.asking.choice(
            [
                "    location = /asked { internal; proxy_pass http://192.0.2.8:9091/verify; proxy_pass_request_body off; proxy_set_header X-Original-URI $request_uri; }\n",
                "    location = /asked { proxy_pass http://192.0.2.8:9091; proxy_set_header Content-Length ''; proxy_set_header Host $host; }\n",
            ]
        )
        return (
            f"  server {{\n    {listen}\n    server_name {' '.join(names)};\n    root {self.root};\n"
            + self._settings("    ", 0.3)
            + rewriting
            + ("" if number else "    location = /sets-v { set $v 0; return 204; }\n")
            + locations
            + asked
            + named
            + "  }\n"
        )

    def _locations(self, indent: str, within: str, count: int) -> str:
        out, seen = [], set()
        for _ in range(count):
            kind = self.pick(["", "", "", "=", "^~", "~", "~*"])
            if kind in ("~", "~*"):
                what = f'{kind} "{self.pick(PATTERNS)}"'
                prefix = ""
            else:
                prefix = within + self.pick(
                    ["/", "/a", "/a/", "/docs/", "/api/", "/b", "/docs/x", "/api"]
                ).removeprefix("/" if within.endswith("/") else "")
                if (kind == "=", prefix) in seen:
                    continue
                seen.add((kind == "=", prefix))
                what = f"{kind} {prefix}" if kind else prefix
            if not prefix and what in seen:
                continue
            seen.add(what)
            body = self._body(indent + "  ", prefix if kind != "=" else "", kind)
            if kind in ("", "^~") and not within and self.chance(0.25):
                body += self._locations(indent + "  ", prefix, self.random.randint(1, 2))
            out.append(f"{indent}location {what} {{\n{body}{indent}}}\n")
        return "".join(out)

    def _body(self, indent: str, prefix: str, kind: str) -> str:
        lines = [self._settings(indent, 0.15)]
        lines += [f"{indent}{self._rewriting(False)}\n" for _ in range(self.random.choice([0, 0, 0, 1, 2]))]
        if self.chance(0.06):
            lines.append(f"{indent}internal;\n")
        if self.asking.random() < 0.1:
            lines.append(f"{indent}auth_request {self.asking.choice(['/asked', '/asked', '/asked', 'off'])};\n")
            if self.asking.random() < 0.5:
                lines.append(f"{indent}auth_request_set $user $upstream_http_x_user; {self.asking.choice(['proxy_set_header X-User $user;', 'add_header X-Who $user;', 'add_header X-Who $user-$host always;'])}\n")
        if self.absent.random() < 0.12:
            asked = self.absent.choice(['= ""', '!= ""', "= a", "!= a", "~ ^$", "~ .", ""])
            lines.append(f"{indent}if ({f'$cookie_mark {asked}'.strip()}) {{ {self.absent.choice(['return 302 /none;', 'return 403;', 'set $v 2;', 'rewrite ^ /y.png last;'])} }}\n")
        content = self.random.random()
        pattern = kind in ("~", "~*")
        if content < 0.3:
            path = "" if pattern or self.chance(0.5) else self.pick(["/", "/v1/", "/v1"])
            if pattern and self.chance(0.3):
                path = "/v2$uri?q=$arg_x"
            lines.append(f"{indent}proxy_pass http://{self.pick(['pool_a', 'pool_b', '192.0.2.9:81'])}{path};\n")
        elif content < 0.5:
            last = self.pick(["/index.html", "=404", "=403", "@n", "/docs/x.html", "/missing", "/index.html?f=$uri"])
            middle = self.pick(["$uri", "$uri $uri/", "$uri.html $uri", "$uri /b"])
            lines.append(f"{indent}try_files {middle} {last};\n")
        elif content < 0.6 and not pattern:
            lines.append(f"{indent}alias {self.root}/docs{'/' if prefix.endswith('/') or self.chance(0.2) else ''};\n")
            if self.aliases.random() < 0.6:
                last = self.aliases.choice([f"{prefix.rstrip('/')}/x.html?f=$uri", f"{prefix.rstrip('/')}/x.html", "/index.html", "/index.html?f=$arg_x", "=404", f"{prefix}$arg_x"])
                lines.append(f"{indent}try_files {self.aliases.choice(['$uri', '$uri $uri/', '/x.html', '$uri.html', 'x.html', '$arg_x'])} {last};\n")
        elif content < 0.6 and self.aliases.random() < 0.5:
            lines.append(f"{indent}alias {self.root}/docs;\n{indent}try_files {self.aliases.choice(['$uri', '/x.html', '$uri/', '/$arg_x'])} {self.aliases.choice(['=404', '/index.html', '/y.png?f=$uri'])};\n")
        elif content < 0.75:
            lines.append(f"{indent}{self._return()}\n")
        return "".join(lines)

    def _return(self) -> str:
        return self.pick(
            [
                "return 404;",
                "return 403;",
                "return 301 https://$host$request_uri;",
                "return 302 /a/;",
                'return 200 "$uri|$args";',
                "return 204;",
                "return 410 gone;",
                "return 308 /docs/$1;",
                "return http://fernhollow-tools.example/;",
                "return 444;",
                "return 405;",
            ]
        )

    def _rewriting(self, at_server: bool) -> str:
        kind = self.random.random()
        if kind < 0.55:
            flag = self.pick(["last", "break", "redirect", "permanent", ""])
            pattern, target = self.pick(
                [
                    (r"^/a/(.*)$", "/docs/$1"),
                    (r"^/old(.*)", "/a$1"),
                    (r"^/docs/(.+)\.html$", "/$1?page=$1"),
                    (r"\.png$", "/y.png?"),
                    (r"^/(b|ab)$", "/sub/?k=v"),
                    (r"^/loop", "/loop"),
                    (r"^/api/(.*)", "http://www.fernhollow.example/$1"),
                    (r"^(.*)\.htm$", "$1.html"),
                ]
            )
            return f"rewrite {pattern} {target}{' ' + flag if flag else ''};"
        if kind < 0.9:
            condition = self.pick(
                [
                    "$request_method = POST",
                    '$args ~ "^q=(.*)$"',
                    "$http_user_agent ~* bot",
                    "$host != www.fernhollow.example",
                    "$arg_x",
                    "-f $request_filename",
                    "!-e $request_filename",
                    "$v = 1",
                    "-d $document_root/sub",
                ]
            )
            actions = [
                "return 403;",
                "return 302 /b?v=$1;",
                "set $v 1;",
                "rewrite ^/a/(.*)$ /$1 last;",
                "rewrite ^ /x.html break;",
                "break;",
            ]
            if not at_server:
                actions += ["add_header X-If 1;", "proxy_pass http://pool_a;"] if self.chance(0.3) else []
            return f"if ({condition}) {{ {self.pick(actions)} }}"
        return "set $v " + self.pick(["1", "$host", "$arg_x", '"$uri-$v"']) + ";"

    def requests(self, count: int) -> list[tuple[str, str, str, dict[str, str]]]:
        """(method, host, target, fields) rows."""
        rows = []
        for _ in range(count):
            path = "/" + "/".join(self.random.choices(SEGMENTS, k=self.random.randint(0, 3))) + self.pick(["", "", "/"])
            if self.chance(0.3):
                path = self.pick(
                    [
                        "/",
                        "/a",
                        "/a/",
                        "/docs",
                        "/docs/",
                        "/api",
                        "/api/",
                        "/b",
                        "/old/x",
                        "/loop",
                        "/abx",
                        "/a//x.html",
                        "/a/../b",
                        "/docs/%78.html",
                        "/a%20b",
                        "/A/",
                        "/docs/x.htm",
                        "/api/%2F",
                        "/a/./x.html",
                        "/a;v=1",
                        "/a+b/%3F",
                        "/%C3%A9",
                    ]
                )
            if path == "//":
                path = "/"
            query = self.pick(["", "", "?q=1", "?x=0", "?x=2&q=a%20b", "?"])
            fields = {}
            if self.chance(0.1):
                fields["User-Agent"] = "Bot/1"
            if self.chance(0.1):
                fields["X-Forwarded-For"] = self.types.choice(["203.0.113.7", "203.0.113.7", "10.0.0.5", "10.0.0.5, 203.0.113.7"])
            if self.absent.random() < 0.3:
                fields["Cookie"] = self.absent.choice(["mark=a", "mark=", "mark=b; other=a", "other=a"])
            if self.types.random() < 0.1:
                fields["Lantern-Answer"] = self.types.choice(["404", "500", "503", "301 /x"])
            elif self.types.random() < 0.08:
                fields["Lantern-Field"] = self.types.choice(["Content-Type: text/css", "Content-Type: image/png", "Content-Type: text/html; charset=utf-8", "Cache-Control: no-store"])
            if self.asking.random() < 0.3:
                fields["Lantern-Verdict"] = self.asking.choice(["401 WWW-Authenticate: Bearer", "401", "403", "302 Location: /login", "500", "202 X-User: rowan"])
            rows.append(
                (self.pick(["GET", "GET", "GET", "GET", "POST", "HEAD", "PUT", "OPTIONS"]), self.pick(HOSTS), path + query, fields)
            )
        return rows
