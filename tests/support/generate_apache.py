"""Random httpd configurations and requests: combinations of what the reader claims to know."""

from __future__ import annotations

import random

from tests.support.generate_nginx import HOSTS, NginxSource

NAMES = [
    "www.fernhollow.example",
    "*.fernhollow.example",
    "loans.fernhollow.example",
    "fernhollow-tools.*",
    "m1?.fernhollow.example",
]
PREFIXES = ["/", "/a", "/a/", "/docs", "/docs/", "/api/", "/api", "/b", "/docs/x.html", "/sub"]
PATTERNS = [r"\.png$", r"\.(html|png)$", "^/a", "^/(docs|api)/(.*)$", "/b/?$", "^/a/(.+)$", r"\d+"]
MORE_CONDITIONS = [
    "expr \"-R '127.0.0.0/8'\"",
    "expr \"! -R '192.0.2.0/24' && %{REQUEST_METHOD} in {'GET', 'HEAD'}\"",
    "%{ENV:mark} =1",
    "%{ENV:mark} ^$",
    "%{ENV:REDIRECT_STATUS} ^$",
    "%{HTTP:X-Probe} !^$",
    "%{SERVER_NAME} =loans.fernhollow.example",
    "$1 ^x",
]
# Targets whose spelling decides.
ODD = ["/a/x%3fy", "/docs/x%3F.html", "//a", "/a//x.html", "/n/docs/x.html", "/n/n/n/n/a", "/a%2Fx", "/m/x.html", "/m/"]


# What a rule of a folder decodes once more, and what B encodes.
ENCODED_TWICE = (
    "/a/%2578.html", "/docs/%2561/.html", "/docs/x%252fy.html", "/a/x%2523y", "/a/x%23y", "/docs/a%20b.html", "/a/a&b+c", "/api/a%26b/c", "/old%2520", "/a/%25zz", "/docs/%2500.html",
    "/docs/;%252e%252e/x.html", "/b/%C3%A9%2525", "/a/%7e(x)'!*",
)


# What a server makes itself, and what it says of the request.
OWN_VALUES = (
    "expr=%{REMOTE_PORT}", "expr=%{REMOTE_USER}", "expr=%{HTTPS}", "expr=%{SERVER_PROTOCOL}", "%{SSL_PROTOCOL}s", "%{REMOTE_ADDR}s", "%{REMOTE_USER}s", "%{UNIQUE_ID}e", "%D",
    "expr=%{THE_REQUEST}",
)

# Answers that are kept, and how fast they go out.
KEEPING = (
    "CacheEnable disk /", "CacheEnable disk /api", "CacheDisable /a", "CacheQuickHandler Off", "CacheIgnoreNoLastMod On", "CacheIgnoreQueryString On", "CacheIgnoreCacheControl On", "CacheDefaultExpire 600",
    "CacheMaxExpire 300", "CacheLock On", "CacheIgnoreHeaders Set-Cookie", "CacheStaleOnError Off", "SetEnvIf X-Probe b no-cache", "SetOutputFilter RATE_LIMIT\n  SetEnv rate-limit 500",
    "Header merge Cache-Control private \"expr=-n resp('Set-Cookie')\"", "RequestHeader set Cache-Control no-cache env=no-cache",
)


# What answers in the place of a file, what a rule sets, and who asks.
APPLICATION = "proxy:fcgi://192.0.2.5:9000"
COOKIES = (
    "CO=seen:yes:.fernhollow.example", "CO=seen:$1:fernhollow.example:60:/:secure:HttpOnly:Lax", "CO=;from;%{REQUEST_URI};fernhollow.example;0;/;true;true", "CO=seen:no:fernhollow.example:-5",
    "CO=other:x:fernhollow.example,CO=seen:two:fernhollow.example", "CO=lost:yes",
)
CREDENTIALS = ('Digest username="lantern"', 'Digest username="rowan"', "Basic bGFudGVybjpsYW50ZXJu", "Basic cm93YW46bGFudGVybg==", 'Digest username="nobody"')


class ApacheSource:
    """One random configuration; `text` is complete but for its modules."""

    def __init__(self, seed: int, root: str) -> None:
        self.random = random.Random(seed)
        self.types = random.Random(f"types {seed}")  # of their own, so that all else stays what it was
        self.asking = random.Random(f"asking {seed}")
        self.own = random.Random(f"own {seed}")
        self.absent = random.Random(f"absent {seed}")
        self.keeping = random.Random(f"keeping {seed}")
        self.answering = random.Random(f"answering {seed}")
        self.seed, self.root = seed, root
        self.beside: dict[str, str] = {}
        self.text = self._config()

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def pick(self, items):  # type: ignore[no-untyped-def]
        return self.random.choice(items)

    def _config(self) -> str:
        hosts = "".join(self._host() for _ in range(self.random.randint(1, 3)))
        balancer = '<Proxy "balancer://pool">\n  BalancerMember http://192.0.2.2:8000\n  BalancerMember http://192.0.2.3:8000\n</Proxy>\n'
        main = self._settings("", 0.15)
        mapped = self._mapping("") if self.chance(0.3) else ""
        override = "  AllowOverride All\n" if self.beside else ""
        granted = f"<Directory />\n  Require all denied\n</Directory>\n<Directory {self.root}>\n{override}  Require all granted\n</Directory>\n"
        text = f"Listen 80\nServerName 127.0.0.1\n{granted}{balancer}{main}{mapped}{hosts}"
        return text

    def _host(self) -> str:
        names = self.random.sample(NAMES, self.random.randint(1, 2))
        lines = [
            f"  ServerName {names[0]}\n"
            if "*" not in names[0] and "?" not in names[0]
            else f"  ServerAlias {names[0]}\n"
        ]
        lines += [f"  ServerAlias {name}\n" for name in names[1:]]
        lines.append(f"  DocumentRoot {self.root}\n")
        lines.append(self._settings("  ", 0.3))
        if self.chance(0.2):
            lines.append(f"  {self.pick(['MergeSlashes Off', 'ErrorDocument 200 fine'])}\n")
        if self.chance(0.5):
            lines.append(
                "  RewriteEngine On\n" + "".join(self._rule("  ", True) for _ in range(self.random.randint(1, 3)))
            )
        lines += [self._mapping("  ") for _ in range(self.random.randint(0, 4))]
        lines += [self._section("  ") for _ in range(self.random.randint(0, 4))]
        if self.keeping.random() < 0.2:
            lines += [f"  {line}\n" for line in self.keeping.sample(KEEPING, self.keeping.randint(2, 6))]
            lines.append(self.keeping.choice(["", "  <Location /docs>\n    CacheEnable disk\n    CacheDefaultExpire 60\n  </Location>\n", "  <Location /a>\n    SetOutputFilter RATE_LIMIT\n    SetEnv rate-limit 100\n  </Location>\n"]))
        if self.asking.random() < 0.4:
            lines += self._environment()
        if self.asking.random() < 0.4:
            lines += self._asking()
        if self.asking.random() < 0.2:
            lines.append(f"  RemoteIPHeader {self.asking.choice(['X-Forwarded-For', 'X-Probe'])}\n")
            lines.append(self.asking.choice(["", "  RemoteIPInternalProxy 127.0.0.0/8\n", "  RemoteIPTrustedProxy 127.0.0.1\n", "  RemoteIPInternalProxy 203.0.113.0/24\n"]))
        return f"<VirtualHost *:80>\n{''.join(lines)}</VirtualHost>\n"

    def _environment(self) -> list[str]:
        """Variables by what the request says, and lines that ask for them."""
        pick = self.asking.choice
        made = [
            "  "
            + pick(
                [
                    "SetEnvIf X-Probe b probed",
                    "SetEnvIfNoCase X-Probe ^B probed=$0",
                    "SetEnvIf Request_URI ^/a probed=yes",
                    'SetEnvIf Request_URI "^/(docs|api)/" probed=$1 other',
                    "SetEnvIf X-Probe a !probed",
                    "SetEnvIf Request_Method POST probed=posted",
                    "SetEnvIf Remote_Addr ^127 probed=here",
                    "BrowserMatch Bot probed=bot",
                    "SetEnvIf probed bot other=bot",
                    "SetEnvIfExpr \"%{HTTP:X-Probe} == 'bb'\" probed=twice",
                ]
            )
            + "\n"
            for _ in range(self.asking.randint(1, 3))
        ]
        made.append(
            "  "
            + pick(
                [
                    'Header always set X-Environment "%{probed}e"',
                    "Header set X-Environment 1 env=probed",
                    "RequestHeader set X-Environment 1 env=probed",
                    "<Location /a>\n    Require env probed\n  </Location>",
                    "<Location /docs>\n    <RequireAll>\n      Require all granted\n      Require not env probed\n    </RequireAll>\n  </Location>",
                    "RewriteEngine On\n  RewriteCond %{ENV:probed} .\n  RewriteRule ^/b - [R=410]",
                ]
            )
            + "\n"
        )
        return made

    def _asking(self) -> list[str]:
        """What `<If>` and `<Limit>` ask."""
        pick = self.asking.choice
        inner = pick(
            [
                'Header always set X-If "1"',
                "Header set X-If 1",
                "Redirect 302 /moved",
                "Redirect /a http://www.fernhollow.example/if",
                "Require all denied",
                "ErrorDocument 404 sorry",
                "DirectoryIndex x.html",
            ]
        )
        asked = pick(["%{HTTP:X-Probe} == 'a'", "%{REQUEST_METHOD} != 'GET'", "%{REQUEST_URI} =~ m#^/(a|docs)#", "%{QUERY_STRING} =~ /x=/ && -n %{HTTP:X-Probe}", "-R '127.0.0.0/8'"])
        lines = [f'  <If "{asked}">\n    {inner}\n  </If>\n']
        if self.asking.random() < 0.4:
            lines.append("  <ElseIf \"%{HTTP:X-Probe} == 'b'\">\n    Header always set X-ElseIf 1\n  </ElseIf>\n  <Else>\n    Header always set X-Else 1\n  </Else>\n")
        if self.asking.random() < 0.4:
            limit = pick(["Limit GET", "LimitExcept GET", "Limit POST DELETE", "LimitExcept GET POST"])
            lines.append(f"  <Location {pick(['/a', '/docs', '/'])}>\n    <{limit}>\n      {pick(['Require all denied', 'Require ip 198.51.100.0/24'])}\n    </{limit.split()[0]}>\n  </Location>\n")
        return lines

    def _settings(self, indent: str, share: float, serving: bool = True) -> str:
        lines = []
        if self.chance(share):
            table, value = self.pick(["", "always ", "onsuccess "]), self.pick(["1", "two words", "100%%"])
            lines.append(f'Header {table}{self.pick(["set", "set", "add", "append"])} X-{self.pick("AB")} "{value}"')
        if self.chance(share / 3):
            lines.append("Header unset X-A")
        if self.own.random() < share / 2:
            lines.append(f'{self.own.choice(["Header set", "Header always set", "RequestHeader set"])} X-Own "{self.own.choice(OWN_VALUES)}"')
        if self.chance(share / 2):
            asks = self.pick(
                [
                    '"expr=%{REQUEST_STATUS} -lt 400"',
                    "\"expr=%{REQUEST_STATUS} in {'404', '403'}\"",
                    "\"expr=%{REQUEST_METHOD} == 'GET' && -n %{HTTP:X-Probe}\"",
                    '"expr=%{REQUEST_URI} =~ m#^/a#"',
                    "\"expr=reqenv('mark') == '1'\"",
                    "env=mark",
                    "env=!mark",
                ]
            )
            value = self.pick(["1", "%{mark}e", "expr=u %{REQUEST_URI}", "expr=%{HTTP:X-Probe}"])
            lines.append(f'Header {self.pick(["always ", ""])}set X-{self.pick("CD")} "{value}" {asks}')
        if self.chance(share / 2):
            lines.append(
                f"ErrorDocument {self.pick(['404', '403', '405'])} {self.pick(['/404.html', '/missing', '/docs/x.html', 'http://www.fernhollow.example/sorry', 'sorry'])}"
            )
        if self.chance(share) and serving:
            lines.append(f"DirectoryIndex {self.pick(['index.html', 'x.html index.html', 'y.png', 'disabled'])}")
        if self.chance(share / 3) and indent:
            # What is added is added again in every round that a request goes on inside: the model adds it once.
            lines.append(f"RequestHeader {self.pick(['set X-P one', 'set X-P two', 'unset X-P'])}")
        if self.chance(share / 3) and serving:
            lines.append(f"DirectorySlash {self.pick(['On', 'Off'])}")
        if self.chance(share / 3):
            lines.append(
                "ExpiresActive On\n"
                + indent
                + self.pick(
                    [
                        'ExpiresDefault "access plus 1 hour"',
                        'ExpiresByType text/html "access plus 1 day"',
                        "ExpiresDefault A60",
                    ]
                )
            )
        if self.types.random() < share / 3:
            lines.append(
                self.types.choice(
                    [
                        'ExpiresActive On\nExpiresByType image/* "access plus 2 hours"\nExpiresByType image/png "access plus 3 hours"',
                        'ExpiresActive On\nExpiresDefault "access plus 9 minutes"\nExpiresByType application/json "access plus 8 minutes"',
                        'Header set X-E typed "expr=%{CONTENT_TYPE} =~ m#^(?:text/html|application/json)#"',
                    ]
                )
            )
        if len(indent) > 2 and serving and self.types.random() < share / 3:
            lines.append(
                self.types.choice(
                    [
                        "Order deny,allow\nDeny from all",
                        "Order deny,allow\nDeny from all\nAllow from 127.0.0.1",
                        "Order allow,deny\nAllow from all\nDeny from 203.0.113.0/24",
                        "Order allow,deny",
                        "Deny from all\nSatisfy Any",
                        "Order allow,deny\nAllow from 198.51.100.0/24\nSatisfy Any\nRequire ip 127.0.0.1",
                        "<Limit POST PUT>\nOrder allow,deny\n</Limit>",
                    ]
                )
            )
        if self.types.random() < share / 2:
            lines.append(
                self.types.choice(
                    [
                        "AddDefaultCharset utf-8",
                        "AddDefaultCharset Off",
                        "AddDefaultCharset On",
                        "AddType text/x-page .html .x",
                        "AddType 'text/css; charset=koi8-r' png",
                        "AddCharset iso-8859-5 .html .png",
                        "RemoveType .png",
                        "RemoveCharset .html",
                        *(["ForceType text/plain", "ForceType None"] if indent else []),
                        "Header set Content-Type text/x-set",
                        "Header always set Content-Type text/x-always",
                        "Header add Content-Type text/x-added",
                        "Header edit Content-Type html xhtml",
                        "Header setifempty Content-Type text/x-empty",
                        "Header unset Content-Type",
                    ]
                )
            )
        return "".join(f"{indent}{line}\n" for line in lines)

    def _mapping(self, indent: str) -> str:
        prefix = self.pick(PREFIXES)
        line = self.pick(
            [
                f"Redirect {self.pick(['', 'permanent ', 'seeother ', '308 '])}{prefix} {self.pick(['http://www.fernhollow.example/new', 'http://www.fernhollow.example/', '/moved', '/moved?k=v'])}",
                f"Redirect {self.pick(['gone', '404', '403'])} {prefix}",
                f"RedirectMatch {self.pick(['', '301 '])}{self.pick(PATTERNS)} {self.pick(['/r/$1', 'http://www.fernhollow.example/$1', '/x.html'])}",
                f"RedirectMatch 410 {self.pick(PATTERNS)}",
                f"Alias {prefix} {self.root}/{self.pick(['docs', 'a', 'sub'])}"
                if prefix != "/"
                else f"Alias /al {self.root}/docs",
                f"Alias {prefix.rstrip('/')}/ {self.root}/docs/",
                f"ProxyPass {prefix} http://192.0.2.9:81{prefix if self.chance(0.5) else self.pick(['/v1', '/v1/', ''])}",
                f"ProxyPass {prefix} balancer://pool{self.pick(['/', '/app', ''])}",
                f"ProxyPass {prefix} !",
                f"ProxyPass {prefix} http://192.0.2.9:81{prefix if self.chance(0.5) else '/v1/' if prefix.endswith('/') else '/v1'} nocanon",
                f'AliasMatch "^/{self.pick(["m", "a"])}/(.*)$" "{self.root}/{self.pick(["docs", "sub"])}/$1"',
                f'AliasMatch "^/m/(?!.*x)(.*)$" "{self.root}/docs/$1"',
                f"ProxyPassMatch {self.pick(['^/(a|b)/(.*)$', '^/api(/.*)?$'])} http://192.0.2.9:81/m/$1",
                f"ProxyPassReverse {prefix} http://192.0.2.9:81/v1",
                f"ProxyPreserveHost {self.pick(['On', 'Off'])}",
            ]
        )
        return f"{indent}{line}\n"

    def _section(self, indent: str) -> str:
        opened = self.pick(
            [
                f"Location {self.pick(PREFIXES)}",
                f'LocationMatch "{self.pick(PATTERNS)}"',
                f"Directory {self.root}/{self.pick(['docs', 'a', 'sub'])}",
                f"Directory {self.root}",
                f'DirectoryMatch "{self.pick(["/sub", "/a/", "docs", "/s[a-z]b", f"^{self.root}/(docs|sub)", "^(.*)/docs(/|$)", "/sub$|/api/"])}"',
                f"Directory {self.root}/{self.pick(['s*', 'do[a-c]s', '*'])}",
                f"Files {self.pick(['*.html', 'x.html', 'y.*'])}",
                f'FilesMatch "{self.pick([".png$", "^x"])}"',
            ]
        )
        inner = indent + "  "
        # Which of two overlapping sections says what of index files is read only where one contains the other.
        lines = [
            self._settings(
                inner, 0.4, serving=not any(sign in opened.split()[-1] for sign in "*[") or opened.startswith("Files")
            )
        ]
        if self.chance(0.3):
            lines.append(
                inner
                + self.pick(
                    [
                        "Require all denied",
                        "Require all granted",
                        "Require ip 127.0.0.0/8",
                        "Require ip 198.51.100.0/24",
                        "Require not ip 127.0.0.1\n" + inner + "Require all granted",
                        "<RequireAny>\n"
                        + inner
                        + "Require method GET\n"
                        + inner
                        + "Require ip 192.0.2.1\n"
                        + inner
                        + "</RequireAny>",
                    ]
                )
                + "\n"
            )
            if "Require not" in lines[-1]:
                lines[-1] = f"{inner}<RequireAll>\n{lines[-1]}{inner}</RequireAll>\n"
        if self.answering.random() < 0.08:
            handler = self.answering.choice([APPLICATION, APPLICATION, "default-handler"])
            lines.append(f"{inner}SetHandler {handler}\n")
        if self.answering.random() < 0.08:
            users = self.answering.choice(["valid-user", "user rowan", "valid-user"])
            kind = self.answering.choice(["Digest", "Digest\n  AuthDigestDomain /docs/ /a/", "Digest\n  AuthDigestDomain /b/", "Basic"])
            lines.append(f"{inner}AuthType {kind}\n{inner}AuthName tools\n{inner}AuthUserFile /etc/fernhollow/{kind.split()[0].lower()}-{users.split()[-1]}\n{inner}Require {users}\n")
        if self.chance(0.15):
            lines.append(f"{inner}AllowMethods {self.pick(['GET HEAD', 'GET POST', 'reset', 'HEAD'])}\n")
        if self.chance(0.2) and opened.startswith("Location "):
            lines.append(
                inner
                + self.pick(
                    [
                        "Redirect 301 http://www.fernhollow.example/moved",
                        "ProxyPass http://192.0.2.9:81/loc",
                        "Redirect gone",
                    ]
                )
                + "\n"
            )
        if self.chance(0.35) and opened.startswith("Directory ") and not any(sign in opened for sign in "*?["):
            lines.append(
                inner
                + "RewriteEngine On\n"
                + "".join(self._rule(inner, False) for _ in range(self.random.randint(1, 2)))
            )
        if self.chance(0.25) and not opened.startswith("Location") and not ("Directory" in opened and "*" in opened):
            lines.append(
                inner
                + self.pick(
                    [
                        "Options Indexes",
                        "Options -Indexes",
                        "Options None",
                        "FallbackResource /index.html",
                        "FallbackResource /missing.html",
                    ]
                )
                + "\n"
            )
        if opened.startswith(f"Directory {self.root}") and not any(sign in opened for sign in "*?[") and self.chance(0.5):
            name = opened.removeprefix(f"Directory {self.root}").strip("/") + "/.htaccess"
            if name not in self.beside and not any("AllowMethods" in line for line in lines):
                self.beside[name] = "".join(lines)
                return ""
        return f"{indent}<{opened}>\n{''.join(lines)}{indent}</{opened.split()[0]}>\n"

    def _rule(self, indent: str, at_server: bool) -> str:
        slash = "/" if at_server else ""
        conditions = [
            f"RewriteCond {self.pick(['%{REQUEST_METHOD} ^POST$', '%{REQUEST_METHOD} !=GET', '%{QUERY_STRING} ^q=(.*)$', '%{HTTP_USER_AGENT} bot [NC]', '%{HTTP_HOST} ^(www)[.] [NC]', '%{HTTPS} off', '%{HTTPS} =on', '%{REQUEST_URI} !^/a', '%{REQUEST_FILENAME} !-f', '%{REQUEST_FILENAME} -d', '%{DOCUMENT_ROOT}%{REQUEST_URI} -f', '%{HTTP:X-Probe} .', '%{HTTP_HOST} ^loans [OR]', *MORE_CONDITIONS])}"
            for _ in range(self.random.choice([0, 0, 1, 1, 2]))
        ]
        if conditions and conditions[-1].endswith("[OR]"):
            conditions.append("RewriteCond %{REMOTE_ADDR} ^127")
        pattern, target = self.pick(
            [
                (f"^{slash}a/(.*)$", "/docs/$1"),
                (f"^{slash}old(.*)", "/a$1"),
                (rf"^{slash}docs/(.+)\.html$", "/$1?page=$1"),
                (r"\.png$", "/y.png?"),
                (f"^{slash}(b|ab)$", "/sub/?k=v"),
                (f"^{slash}loop", "/loop"),
                (f"^{slash}api/(.*)", "http://www.fernhollow.example/$1"),
                ("^", "-"),
                (f"^{slash}b", "-"),
                ("^", "/x.html"),
                (f"!^{slash}docs", "/docs/x.html"),
                ("." if not at_server else "^/.", "/index.html"),
                (f"^{slash}(.*)[.]htm$", "/$1.html"),
                (f"^{slash}(docs|api)$", "/%{HTTP_HOST}/$1"),
                *(
                    [
                        ("^/a/(.*)$", "%{DOCUMENT_ROOT}/docs/$1"),
                        ("^(/.*)$", "%{DOCUMENT_ROOT}$1"),
                        ("^/(.*)$", "http://192.0.2.9:81/p/$1"),
                        ("^/n/(.*)$", "/$1"),
                        ("^(?=/d)(/.*)$", "$1"),
                    ]
                    if at_server
                    else [("^(.*)$", "http://192.0.2.9:81/p/$1"), ("^a(.*)", "http://192.0.2.9:81/p$1")]
                ),
            ]
        )
        flags = self.pick(
            [
                "L",
                "L",
                "",
                "R",
                "R=301,L",
                "F",
                "G",
                "L,QSA",
                "QSD",
                "L,NC",
                "PT" if at_server else "L",
                "R,NE",
                "R=308,QSA,L",
                "C",
                "S=1",
                "END" if at_server else "L",
            ]
        )
        if target == "-" and self.chance(0.5):
            flags = self.pick(
                [
                    "E=mark:1",
                    "E=mark:$0,E=other:2",
                    "E=!mark",
                    "E=mark:1,L",
                    "R=405",
                    "R=200",
                    *(["PT"] if at_server else []),
                ]
            )
        if target.startswith("http://192"):
            flags = self.pick(["P", "P,QSD", "P,L"])
        if pattern == "^/n/(.*)$":
            flags = "N=3"
        if target == "-" and flags in ("R", "R=301,L", "R,NE", "R=308,QSA,L", ""):
            flags = "L"
        if target.startswith("http://www") and flags in ("PT", "L,QSA", "QSD", "C", "S=1", "END", "", "L,NC"):
            flags = "R"
        if not at_server and self.absent.random() < 0.12:
            # Relative names, which come to the file that it was, or to one that is not there.
            pattern, target = self.absent.choice([("^(.*)$", "x.html"), (".", "none.html?q=$0"), ("^(.*)$", "x.html?u=$1"), (r"^(.+)\.htm$", "$1.html"), ("^(.*)$", "$1")])
            flags = self.absent.choice(["L", "L,QSA", ""])
        if "$" in target and self.absent.random() < 0.2:
            flags = ",".join(filter(None, (flags, self.absent.choice(["B", "B", "B,BNP", "BCTLS", "B=&?", "BNP", "B,BNE=/"]))))
        if self.answering.random() < 0.15:
            flags = ",".join(filter(None, (flags, self.answering.choice(COOKIES))))
        if target == "-" and self.answering.random() < 0.15:
            flags = ",".join(filter(None, (flags, self.answering.choice([f"H={APPLICATION}", f"H={APPLICATION}", "H=default-handler"]))))
        lines = [*conditions, f"RewriteRule {pattern} {target}{' [' + flags + ']' if flags else ''}"]
        return "".join(f"{indent}{line}\n" for line in lines)

    def requests(self, count: int) -> list[tuple[str, str, str, dict[str, str]]]:
        """(method, host, target, fields) rows."""
        rows = NginxSource.requests(self, count)  # type: ignore[arg-type]
        if "AuthType" in self.text:
            rows = [(method, host, target, {**fields, "Authorization": self.answering.choice(CREDENTIALS)} if self.answering.random() < 0.6 else fields) for method, host, target, fields in rows]
        return [
            (
                method,
                self.pick(HOSTS) if self.chance(0.2) else host,
                self.pick(ODD) if self.chance(0.08) else self.absent.choice(ENCODED_TWICE) if self.absent.random() < 0.08 else target,
                fields,
            )
            for method, host, target, fields in rows
        ]
