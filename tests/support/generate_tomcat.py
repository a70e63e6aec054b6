"""Random Tomcat configurations and requests: combinations of what the reader claims to know. Several of them run in one server, each as a service of its own."""

from __future__ import annotations

import random

HOSTS = ("www.fernhollow.example", "loans.fernhollow.example", "a.b.fernhollow.example", "media.fernhollow.example", "unknown.example", "WWW.Fernhollow.Example", "www.fernhollow.example.")
NAMES = ("www.fernhollow.example", "loans.fernhollow.example", "localhost")
ALIASES = ("*.fernhollow.example", "media.fernhollow.example", "fernhollow-tools.example", "*.b.fernhollow.example")
FOLDERS = ("ROOT", "a", "docs", "a#b", "tools")
FILES = ("index.html", "404.html", "a/index.html", "a/x.png", "docs/index.htm", "docs/a.txt", "docs/x y.html", "b/noindex.txt", "b/A.TXT", "x.html", "noext", "tool-7.html", "b/c/d.json", "x.unknownext")
SEGMENTS = ("a", "a/", "docs", "docs/", "b", "b/", "x.html", "index.html", "a.txt", "x.png", "tool/7", "tool/x", "old/page", "api/v1", "noext", "404.html", "a/b", "a/b/", "b/c/", "b/c/d.json", "tools", "tools/", "none", "docs/x%20y.html",
            "b/A.TXT", "b/a.txt", "WEB-INF/web.xml", "web-inf/", "META-INF", "x.jsp", "x.unknownext", "tool-7.html")
ODD = ("//{}", "/./{}", "/{};v=1", "/x/../{}", "/{}/.", "/%61/{}", "/{}%2Fx", "/{}%25", "/{}%3Bx", "/{}%3Fx", "/{}/..", "/..", "/{}%00", "/{}%zz", "/{}%C3%A9", "/{}|", "/a;b/{}", "/{}%20", "/{}+x", "/{}&x", "/{}'x")
QUERIES = ("", "", "", "?x=1", "?", "?x=a%20b&y", "?u=/a/b", "?x=[1]")
METHODS = ("GET", "GET", "GET", "GET", "HEAD", "POST", "PUT", "DELETE", "OPTIONS", "TRACE", "PATCH", "FOO")
PATTERNS = ("^/a/(.*)$", "^/old/(.*)$", "^/(a|b)/([^/]*)$", "(.*)\\.html", "^/tool/(\\d+)$", "/docs/?", "^(.*)$", "^/api/v(\\d)(/.*)?$", ".*x.*", "!^/docs.*", "^/.*$", "^/x|^/none", "/[^.]*", "^/DOCS/(.*)$")
TARGETS = ("/$1", "/docs/$1", "/index.html", "/x.html", "/a/$1", "/b/", "/docs/a.txt", "/tool-$1.html", "/a", "/docs/x%20y.html", "/none/$1?q=$1", "/x.html?y=1", "-", "$0.html", "/b/../x.html", "//docs/$1", "/%{HTTP_HOST}/$1", "/a/b/$1")
REDIRECTS = ("/new/$1", "https://www.fernhollow.example/$1", "/x.html?from=$1", "/?a=1", "https://%{HTTP_HOST}%{REQUEST_URI}", "/a b/$1", "/m/%{QUERY_STRING}", "moved/$1", "/n#$1")
CONDITIONS = (
    ("%{HTTP_HOST}", ("www\\.(.*)", "=www.fernhollow.example", "!^loans.*$", ".*\\.example", "WWW.*")), ("%{REQUEST_URI}", ("^/a.*", "!.*\\.txt$", "/docs/.*", ".*%.*")), ("%{QUERY_STRING}", ("x=(.*)", "!^$", "^$", "=x=1")),
    ("%{REQUEST_METHOD}", ("=GET", "!=GET", "GET|HEAD", "!POST")), ("%{HTTPS}", ("off", "on", "=off", "!on")), ("%{HTTP:X-Probe}", ("^$", "a", ".+", "!b")), ("%{HTTP_USER_AGENT}", ("curl.*", "!.*bot.*")),
    ("%{REQUEST_URI}", ("-f", "!-f", "-d", "!-d", "-s")), ("%{REQUEST_PATH}", ("!-f", "-d", "^/a/.*", "-f")), ("%{REQUEST_FILENAME}", ("!-f", "-f")), ("%{REMOTE_ADDR}", ("127\\..*", "!127.*", "=192.0.2.1")),
    ("%{SERVER_PORT}", (".*", "!=80")), ("%{ENV:mark}", ("1", "^$", "!1")), ("$1", ("x.*", "!^$", "")), ("%{THE_REQUEST}", ('"GET /a.*"', ".*HTTP/1\\.1"))
)
SPA = "RewriteCond %{REQUEST_PATH} !-f\nRewriteCond %{REQUEST_PATH} !-d\nRewriteRule ^(.*)$ /index.html [L]\n"
URL_PATTERNS = ("/*", "/docs/*", "/a/*", "*.html", "*.txt", "/x.html", "/", "", "/docs", "/b/c/*", "/index.html", "/docs/index.htm")
REWRITE = "org.apache.catalina.valves.rewrite.RewriteValve"


class TomcatSource:
    """One random service; `beside`: its files, below the folder of the server."""

    def __init__(self, seed: int) -> None:
        self.random = random.Random(f"tomcat {seed}")
        self.seed = seed
        self.engine = f"E{seed}"
        self.beside: dict[str, str] = {}
        names = self.random.sample(NAMES, self.random.randint(1, 2))
        aliases = self.random.sample(ALIASES, self.random.randint(0, 3))
        hosts = [self._host(name, aliases[number::len(names)], number) for number, name in enumerate(names)]
        default = self.pick([names[0], names[-1], names[0], "nowhere"])
        valves = self._valves(self.engine, 0.1) if default != "nowhere" else ""
        self.inner = f'<Engine name="{self.engine}" defaultHost="{default}">{valves}{"".join(hosts)}</Engine>'
        self.attributes = self.pick(["", "", ' redirectPort="8443"', ' redirectPort="443"', ' redirectPort="-1"', ' server="lantern"', ' encodedSolidusHandling="decode"'])

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def pick(self, items):  # type: ignore[no-untyped-def]
        return self.random.choice(items)

    def service(self, port: int) -> str:
        return f'<Service name="S{self.seed}"><Connector port="{port}"{self.attributes}/>{self.inner}</Service>'

    def _host(self, name: str, aliases: list[str], number: int) -> str:
        base = f"webapps-{self.seed}-{number}"
        folders = ["ROOT", *self.random.sample(FOLDERS[1:], self.random.randint(0, 3))] if self.chance(0.9) else self.random.sample(FOLDERS[1:], 2)
        inner = "".join(f"<Alias>{alias}</Alias>" for alias in aliases) + self._valves(f"{self.engine}/{name}", 0.5)
        for folder in folders:
            for file in self.random.sample(FILES, self.random.randint(5, len(FILES))):
                self.beside[f"{base}/{folder}/{file}"] = f"{folder} {file}\n"
            if self.chance(0.5):
                self.beside[f"{base}/{folder}/WEB-INF/web.xml"] = self._descriptor()
            valves = self._address() if self.chance(0.1) else ""
            if self.chance(0.35):
                valves += f'<Valve className="{REWRITE}"/>'
                self.beside[f"{base}/{folder}/WEB-INF/rewrite.config"] = self._rules(folder)
            if valves:
                self.beside[f"{base}/{folder}/META-INF/context.xml"] = f"<Context{self.pick(['', '', ' mapperContextRootRedirectEnabled=%sfalse%s' % (chr(34), chr(34))])}>{valves}</Context>"
        if self.chance(0.2):
            inner += f'<Context path="/tools" docBase="{self.pick(folders)}"/>'
        if self.chance(0.2):
            self.beside[f"conf/{self.engine}/{name}/manual.xml"] = f'<Context docBase="{folders[0]}"/>'
        return f'<Host name="{name}" appBase="{base}">{inner}</Host>'

    def _valves(self, folder: str, share: float) -> str:
        made = ""
        if self.chance(share):
            made += f'<Valve className="{REWRITE}"/>'
            self.beside[f"conf/{folder}/rewrite.config"] = self._rules("")
        if self.chance(share / 4):
            made += self._address()
        if self.chance(share / 8):
            made += '<Valve className="org.apache.catalina.valves.RemoteIpValve"/>'
        return made

    def _address(self) -> str:
        kind, attributes = self.pick([
            ("RemoteAddrValve", 'deny="192\\.0\\.2\\.\\d+"'), ("RemoteAddrValve", 'allow="127\\.\\d+\\.\\d+\\.\\d+|192\\.0\\.2\\.1"'), ("RemoteAddrValve", 'deny="127.*" denyStatus="404"'), ("RemoteCIDRValve", 'allow="127.0.0.0/8,::1"'),
            ("RemoteCIDRValve", 'deny="192.0.2.0/24"'), ("RemoteAddrValve", 'allow="10\\..*"')])
        return f'<Valve className="org.apache.catalina.valves.{kind}" {attributes}/>'

    # --- rules ------------------------------------------------------------------------------------------------------------

    def _rules(self, _: str) -> str:
        if self.chance(0.25):
            return SPA
        return "".join(self._rule() for _ in range(self.random.randint(1, 5)))

    def _rule(self) -> str:
        lines = ""
        for _ in range(self.pick([0, 0, 0, 1, 1, 2])):
            test, patterns = self.pick(CONDITIONS)
            lines += f"RewriteCond {test} {self.pick(patterns) or '=x'}{self.pick(['', '', ' [NC]', ' [OR]'])}\n"
        pattern = self.pick(PATTERNS)
        kind = self.random.random()
        flags = [self.pick(["NC"])] if self.chance(0.15) else []
        if kind < 0.3:
            target = self.pick(REDIRECTS)
            flags += [self.pick(["R", "R=301", "R=permanent", "R=307", "R=seeother"]), *self.random.sample(["L", "NE", "QSA", "QSD"], self.pick([0, 1, 1, 2]))]
        elif kind < 0.4:
            target, flags = "-", [*flags, self.pick(["F", "G", "F,L"])]
        elif kind < 0.5:
            target, flags = "-", [*flags, "E=mark:1"]
        else:
            target = self.pick(TARGETS)
            flags += [*(["L"] if self.chance(0.6) or "?" in target else []), *(["QSA"] if self.chance(0.2) else []), *(["QSD"] if self.chance(0.1) else []), *(self.pick([["C"], ["S=1"]]) if self.chance(0.12) else [])]
        target = f'"{target}"' if " " in target else target
        target = target.replace("/n#", '"/n#').replace("#$1", '#$1"') if "#" in target else target.replace("x%20y", "x\\%20y")
        return f"{lines}RewriteRule {pattern} {target}{f' [{chr(44).join(flags)}]' if flags else ''}\n"

    # --- web.xml ----------------------------------------------------------------------------------------------------------

    def _descriptor(self) -> str:
        inner = ""
        if self.chance(0.3):
            inner += "<welcome-file-list>" + "".join(f"<welcome-file>{name}</welcome-file>" for name in self.random.sample(["a.txt", "index.htm", "x.html", "index.html", "a/x.png"], 2)) + "</welcome-file-list>"
        if self.chance(0.3):
            inner += "<mime-mapping><extension>unknownext</extension><mime-type>text/x-tool</mime-type></mime-mapping><mime-mapping><extension>txt</extension><mime-type>text/x-plain</mime-type></mime-mapping>"
        for status in self.random.sample(["404", "403", "410", "405", ""], self.pick([0, 0, 1, 2])):
            code = f"<error-code>{status}</error-code>" if status else ""
            inner += f"<error-page>{code}<location>{self.pick(['/404.html', '/404.html', '/docs/a.txt', '/none.html'])}</location></error-page>"
        for _ in range(self.pick([0, 0, 1, 2, 3])):
            inner += self._constraint()
        if self.chance(0.2):
            mapped = self.pick(["/*", "/docs/*", "*.html", "/x.html"])
            inner += ("<filter><filter-name>fields</filter-name><filter-class>org.apache.catalina.filters.HttpHeaderSecurityFilter</filter-class><init-param><param-name>antiClickJackingOption</param-name>"
                      f"<param-value>SAMEORIGIN</param-value></init-param></filter><filter-mapping><filter-name>fields</filter-name><url-pattern>{mapped}</url-pattern></filter-mapping>")
        return f'<web-app xmlns="https://jakarta.ee/xml/ns/jakartaee" version="6.0">{inner}</web-app>'

    def _constraint(self) -> str:
        patterns = "".join(f"<url-pattern>{pattern}</url-pattern>" for pattern in self.random.sample(URL_PATTERNS, self.pick([1, 1, 2])))
        methods = self.pick(["", "", "", "<http-method>GET</http-method>", "<http-method>PUT</http-method><http-method>DELETE</http-method>", "<http-method-omission>GET</http-method-omission>"])
        effect = self.pick(["<auth-constraint/>", "<user-data-constraint><transport-guarantee>CONFIDENTIAL</transport-guarantee></user-data-constraint>", "", "<user-data-constraint><transport-guarantee>NONE</transport-guarantee></user-data-constraint>"])
        return f"<security-constraint><web-resource-collection><web-resource-name>some</web-resource-name>{patterns}{methods}</web-resource-collection>{effect}</security-constraint>"

    # --- requests ---------------------------------------------------------------------------------------------------------

    def requests(self, count: int) -> list[tuple[str, str, str, dict[str, str]]]:
        made = []
        for _ in range(count):
            path = "/" + "/".join(self.pick(SEGMENTS).rstrip("/") if number else self.pick(SEGMENTS) for number in range(self.pick([1, 1, 1, 2]))).replace("//", "/") if self.chance(0.95) else "/"
            if self.chance(0.12):
                path = self.pick(ODD).format(path[1:])
            fields: dict[str, str] = {}
            if self.chance(0.2):
                fields[self.pick(["X-Probe", "User-Agent"])] = self.pick(["a", "b", "curl/7", "robot"])
            if self.chance(0.1):
                fields["X-Forwarded-For"] = self.pick(["192.0.2.1", "198.51.100.7", "192.0.2.9, 10.0.0.1"])
            made.append((self.pick(METHODS), self.pick(HOSTS), path + self.pick(QUERIES), fields))
        return made


def batch(sources: list[TomcatSource]) -> tuple[str, dict[str, str]]:
    """One server.xml with all of them, each on a port of its own (8001 and on), and the files beside it."""
    text = '<Server port="-1">\n' + "\n".join(source.service(8001 + number) for number, source in enumerate(sources)) + "\n</Server>\n"
    return text, {name: content for source in sources for name, content in source.beside.items()}
