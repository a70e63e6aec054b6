"""Random Caddyfiles and requests: combinations of what the reader claims to know."""

from __future__ import annotations

import random

from .generate_nginx import SEGMENTS

HOSTS = [
    "www.fernhollow.example",
    "loans.fernhollow.example",
    "a.b.fernhollow.example",
    "media.fernhollow.example",
    "unknown.example",
    "WWW.Fernhollow.Example",
]
ADDRESSES = [
    "http://www.fernhollow.example",
    "http://*.fernhollow.example",
    "http://loans.fernhollow.example",
    "http://",
]
PATHS = ["/", "/a*", "/a/*", "/docs/*", "/api/*", "/b", "*.png", "/docs/x*", "/api", "*ocs*", "/A/*"]
PATTERNS = [r"\.png$", r"\.(html|png)$", r"^/a", r"^/(docs|api)/(.*)$", r"/b/?$", r"^/a/(?P<rest>.+)$", r"\d+", "(?i)X"]


# What a server makes itself, and what stands for itself where it has no value.
OWN_VALUES = (
    "{http.request.uuid}", "{remote_port}", "{system.hostname}", "{http.request.proto}", "{tls_version}", "{http.auth.user.id}", "{http.reverse_proxy.upstream.hostport}",
    "{http.request.tls.server_name}", "{http.request.duration}",
)


# What is asked of values that may not be there.
OF_THE_ABSENT = (
    'expression {cookie.mark} == ""', 'expression {http.request.cookie.mark} != "a"', 'vars {cookie.mark} ""', "vars_regexp {cookie.mark} ^$", "not vars {cookie.mark} a",
    'expression {cookie.mark} in ["", "a"]', 'vars foo ""', "not vars foo 1", "vars_regexp foo ^$", 'expression {vars.foo} == ""', "expression {vars.foo} == null",
    'expression {cookie.mark} != null && {cookie.mark}.matches("^a")', "expression {cookie.mark} == null || {cookie.mark}.startsWith('a')", "header Cookie *mark=a*",
)


class CaddySource:
    """One random configuration; `text` is complete."""

    def __init__(self, seed: int, root: str) -> None:
        self.random = random.Random(seed)
        self.types = random.Random(f"types {seed}")  # of their own, so that all else stays what it was
        self.asking = random.Random(f"asking {seed}")  # likewise
        self.own = random.Random(f"own {seed}")  # likewise
        self.absent = random.Random(f"absent {seed}")  # likewise
        self.root = root
        self.names = 0
        addresses = self.random.sample(ADDRESSES, self.random.randint(1, 3))
        self.text = "{\n\tauto_https disable_redirects\n}\n" + "".join(self._site(address) for address in addresses)

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def pick(self, items):  # type: ignore[no-untyped-def]
        return self.random.choice(items)

    def _site(self, address: str) -> str:
        self.defined: list[str] = []
        lines = [f"root * {self.root}"] if self.chance(0.9) else []
        lines += self._definitions()
        lines += [line for _ in range(self.random.randint(2, 7)) for line in self._directive(2)]
        if self.chance(0.3):
            lines += ["handle_errors {", *("\t" + line for line in self._error_lines()), "}"]
        if self.chance(0.7):
            lines.append("file_server" + self.pick(["", "", " browse"]))
        return address + " {\n" + "".join(f"\t{line}\n" for line in lines) + "}\n"

    def _definitions(self) -> list[str]:
        out = []
        for _ in range(self.random.randint(0, 3)):
            self.names += 1
            name = f"@m{self.names}"
            self.defined.append(name)
            lines = self.random.sample(
                [
                    f"path {' '.join(self.random.sample(PATHS, self.random.randint(1, 2)))}",
                    f"path_regexp r{self.names} {self.pick(PATTERNS)}",
                    f"method {self.pick(['GET', 'POST', 'GET HEAD'])}",
                    "header X-Probe *",
                    "header X-Probe b*",
                    "header !X-Probe",
                    "query x=2",
                    "query q=*",
                    "not path /a/*",
                    "not method POST",
                    "file {path}",
                    "file {path}/index.html",
                    "remote_ip 127.0.0.0/8",
                    "not remote_ip 198.51.100.0/24",
                    "host www.fernhollow.example",
                    "protocol http",
                    "header_regexp h" + str(self.names) + " X-Probe ^(b.*)$",
                    'expression {query.x} != "" && {method} == "GET"',
                    f"vars_regexp v{self.names} {{http.request.uri.query.q}} ^a(.*)$",
                    "expression `path('/a/*', '/b') || {header.X-Probe} == \"bb\"`",
                    "expression `!method('POST') && ({query.q}.startsWith(\"a\") || query({'x': ['0', '2']}))`",
                    "expression `{path}.contains(\"x\") && header({'X-Probe': 'b*'})`",
                ],
                self.random.randint(1, 2),
            )
            out += [f"{name} {lines[0]}"] if len(lines) == 1 else [f"{name} {{", *(f"\t{line}" for line in lines), "}"]
        if self.absent.random() < 0.3:
            self.names += 1
            self.defined.append(f"@m{self.names}")
            out.append(f"@m{self.names} {self.absent.choice(OF_THE_ABSENT)}")
        return out

    def _matcher(self) -> str:
        return self.pick([*self.defined, *self.random.sample(PATHS[:5] + PATHS[8:9], 2), "", "", "*"]) + " "

    def _value(self) -> str:
        return self.pick(
            [
                "1",
                "{path}",
                "{uri}",
                "{host}",
                "{query}",
                "{method}",
                "{scheme}",
                "{query.x}",
                "{header.X-Probe}",
                "{http.request.orig_uri}",
            ]
        )

    def _directive(self, depth: int) -> list[str]:
        kind = self.random.random()
        matcher = (self._matcher() if self.chance(0.6) else "").lstrip()
        if matcher.startswith("*.") or matcher.startswith("*o"):
            matcher = ""
        if kind < 0.14:
            operation = self.pick(
                ["X-A 1", f'X-A "{self._value()}"', "+X-A 2", "-X-A", "?X-A 3", 'X-B "{path}"', "X-A 1 2"]
            )
            if self.own.random() < 0.25:
                return [f"header {matcher}{self.own.choice(['', '+', '?'])}X-Own {self.own.choice(OWN_VALUES)}"]
            if self.types.random() < 0.3:
                operation = operation.replace("X-A", "Content-Type").replace(" 1 2", " text/x-2")
            return [f"header {matcher}{operation}"]
        if kind < 0.2:
            return [
                f"header {matcher}{{",
                f"\t{self.pick(['X-A 7', '-X-B', '+X-C 5', '?X-D 6', '+X-E 4', '-X-E'])}",
                f'\tX-E "{self._value()}"',
                *(["\tdefer"] if self.chance(0.5) else []),
                "}",
            ]
        if kind < 0.3:
            return [
                f"redir {matcher or '/b '}{self.pick(['https://{host}{uri}', '/a/', '/docs{path}', '/x?{query}'])} {self.pick(['301', '302', '308', 'permanent', ''])}".rstrip()
            ]
        if kind < 0.4:
            return [
                f"rewrite {matcher or '* '}{self.pick(['/docs/x.html', '/a{path}', '/a{uri}', '/y.png?k=v', '/x.html?k={path}&{query}', '?only=1', '/x.html?', '/docs/{re.r1.1}'])}"
            ]
        if kind < 0.46:
            return [f"uri {matcher}{self.pick(['strip_prefix /a', 'strip_prefix /docs', 'strip_suffix .html'])}"]
        if kind < 0.54:
            return [
                f"try_files {self.pick(['{path}', '{path} {path}/', '{path}.html', '{path} {path}/index.html', '{path}/'])} {self.pick(['/index.html', '=404', '=403', '/x.html?f={path}', '/docs/x.html', '/missing'])}"
            ]
        if kind < 0.62:
            return (
                [
                    f"respond {matcher}{self.pick(['404', '204', chr(34) + '{path}|{query}' + chr(34), 'text 410', chr(34) + '{uri}' + chr(34) + ' 200'])}"
                ]
                if matcher
                else []
            )
        if kind < 0.68:
            return [f"error {matcher}{self.pick(['403', '404', 'gone 410'])}"] if matcher else []
        if kind < 0.7:
            return [
                f"request_header {matcher}{self.pick(['X-Up 1', '-X-Probe', '+X-Probe 9', 'X-Up ' + self._value()])}"
            ]
        if kind < 0.8 or depth == 0:
            return self._proxy(matcher if matcher.strip() != "*" else "")
        if kind < 0.83:
            return [f"vars {matcher}foo {self.pick(['1', '{path}'])}"]
        name = self.pick(["handle", "handle", "handle", "handle_path", "route"])
        if name == "handle_path":
            matcher = self.pick(["/a/*", "/docs/*", "/api/*", "/a*"]) + " "
        inner = [line for _ in range(self.random.randint(1, 3)) for line in self._directive(depth - 1)]
        if self.asking.random() < 0.15:
            inner += self._asks()
        inner += self.pick(
            [["file_server"], ['respond "{path} {http.request.orig_uri} {vars.foo}"'], [], ["error 404"]]
        )
        return [f"{name} {matcher}{{", *(f"\t{line}" for line in inner), "}"]

    def _asks(self) -> list[str]:
        lines = [
            self.asking.choice(["uri /verify", "uri /verify?by=caddy", "uri /verify{uri}"]),
            *self.asking.sample(["copy_headers X-User", "header_up X-Original-URI {http.request.orig_uri}", "header_up Host asked.fernhollow.example", "header_down -X-A"], self.asking.randint(0, 2)),
        ]
        if self.asking.random() < 0.4:
            lines += ["@no status 401 403", "handle_response @no {", self.asking.choice(["\terror 403", "\trespond \"sign in\" 401", "\tredir * /login"]), "}"]
        return ["forward_auth 192.0.2.8:9091 {", *(f"\t{line}" for line in lines), "}"]

    def _proxy(self, matcher: str) -> list[str]:
        settings = self.random.sample(
            [
                "header_up Host {upstream_hostport}",
                "header_up X-Real-IP {remote_host}",
                "header_up -X-Forwarded-Host",
                'header_up X-Up "{path}"',
                "header_up +X-Forwarded-For 203.0.113.9",
                "trusted_proxies 0.0.0.0/0 ::/0",
                "rewrite /v1{uri}",
                "rewrite /only?z=1",
                "header_down -X-A",
                "header_up X-Own " + self.own.choice(OWN_VALUES),
                "header_down X-Own " + self.own.choice(OWN_VALUES),
                "lb_policy round_robin",
            ],
            self.random.randint(0, 3),
        )
        if self.types.random() < 0.3:
            settings += self.types.choice(
                [
                    ["@broken status 500 503", "handle_response @broken {", '\trespond "later" 503', "}"],
                    ["@lost status 404", "handle_response @lost {", "\trewrite * /404.html", "\tfile_server", "}"],
                    ["@any status 4xx", "handle_response @any {", "\theader X-Kind lost", "\terror 410", "}"],
                    ["@gone status 500", "handle_response @gone {", "\tredir * /moved", "}"],
                ]
            )
        origins = self.pick(["192.0.2.1:8000", "192.0.2.1:8000 192.0.2.2:8000", "http://192.0.2.9"])
        return (
            [f"reverse_proxy {matcher}{origins} {{", *(f"\t{line}" for line in settings), "}"]
            if settings
            else [f"reverse_proxy {matcher}{origins}"]
        )

    def _error_lines(self) -> list[str]:
        return self.pick(
            [
                ['respond "error {err.status_code} {path}"'],
                ["rewrite * /404.html", "file_server"],
                ['respond "kept" 200'],
                [
                    "@e404 expression {err.status_code} == 404",
                    "handle @e404 {",
                    "\trewrite * /docs/x.html",
                    "\tfile_server",
                    "}",
                    "handle {",
                    "\trespond {err.status_code}",
                    "}",
                ],
                ["header X-Err 1", "rewrite * /missing", "file_server"],
            ]
        )

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
                        "/abx",
                        "/a//x.html",
                        "/a/../b",
                        "/docs/%78.html",
                        "/a%20b",
                        "/A/",
                        "/DOCS/x.html",
                        "/api/%2F",
                        "/a/./x.html",
                        "/a;v=1",
                        "/a+b/%3F",
                        "/%C3%A9",
                        "/docs/x.html/",
                        "/sub/.",
                        "/x.html.",
                        "//docs/x.html",
                        "/a/%2e%2e/docs/",
                    ]
                )
            query = self.pick(["", "", "?q=1", "?x=0", "?x=2&q=a%20b", "?", "?q=ab"])
            fields = {}
            if self.chance(0.25):
                fields["X-Probe"] = self.pick(["bb", "b", "c"])
            if self.chance(0.1):
                fields["X-Forwarded-For"] = "203.0.113.7"
            if self.absent.random() < 0.3:
                fields["Cookie"] = self.absent.choice(["mark=a", "mark=", "mark=b; other=a", "other=a"])
            if self.types.random() < 0.1:
                fields["Lantern-Answer"] = self.types.choice(["404", "500", "503", "301 /x"])
            elif self.types.random() < 0.08:
                fields["Lantern-Field"] = self.types.choice(["Content-Type: text/css", "Content-Type: image/png", "Content-Type: text/html; charset=utf-8", "Cache-Control: no-store"])
            if self.asking.random() < 0.3:
                fields["Lantern-Verdict"] = self.asking.choice(["401 WWW-Authenticate: Bearer", "401", "403", "302 Location: /login", "500", "202 X-User: rowan"])
            rows.append(
                (
                    self.pick(["GET", "GET", "GET", "GET", "POST", "HEAD", "PUT", "OPTIONS"]),
                    self.pick(HOSTS),
                    path.replace("//", "/", 1) if path == "//" else path + query,
                    fields,
                )
            )
        return rows
