"""httpd `ProxyPass…` -> Forward, and the pools of single origins.

Source:   Apache HTTP Server manual, mod_proxy, mod_proxy_http, mod_proxy_balancer; proxy_util.c ap_proxy_create_hdrbrgd.
Rule:     the prefix is cut off the decoded path, the rest escaped again and put behind the origin's URL, the query follows. Host is the
          origin's unless ProxyPreserveHost; three X-Forwarded fields are added to what the client sent. Only whole URLs of the origin are
          mapped back.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace

from ....codes import PLACE_UNREAD, PROTOCOL_UNREAD, SOCKET_UNASKED
from ....model import (
    ALWAYS, SYSTEM_TRUST, AllOf, Block, Capture, Choose, Condition, CookieMapping, Disposition, Field, Forward, ForwardTarget, LocationMapping, Mapped, Member, Not, Operation, OriginTls, PathMatches, Pattern, Pool, Retry, Rewrite, Route, SetPath, Side, Span, Step, Template,
    TextMatches, Unserved, Var, Variable, Written, join,
)
from ....model.walk import transform
from ....patterns.groups import inside_group
from .. import values
from . import gateways
from .balancing import UPGRADES
from .context import Context, Node
from .interception import intercepts
from .mappings import labelled, loose_pattern
from .places import NEVER, Section, below
from .workers import Workers, by_socket, socket_of

_BEFORE_PATH = re.compile(r"^.*?(?:fcgi|uwsgi|scgi|balancer)://[^/]*")
# What is asked for by another name than that of HTTP, or of HTTP over TLS.
_SCHEMES = {"ws": "http", "wss": "https", "h2c": "http", "h2": "https"}
_BY_HTTP2 = frozenset({"h2c", "h2"})
_URL = re.compile(r"(https?|h2c?|wss?|balancer)://([^/?]*)(.*)", re.IGNORECASE)
# proxy_util.c, ap_proxy_clean_connection and create_hdrbrgd: fields of one connection are not passed.
_DROPS = ("Keep-Alive", "TE", "Upgrade", "Proxy-Authorization", "Trailer")


def read_tls(levels: list[Node], context: Context) -> OriginTls:
    """What is checked of an origin's certificate.

    mod_ssl, ssl_engine_io.c ssl_io_filter_handshake: its name and dates are unless that is switched off, whether or not who signed it is.
    """
    lines = {name: context.last(levels, f"sslproxy{name}") for name in ("verify", "cacertificatefile", "checkpeername", "checkpeercn", "checkpeerexpire")}
    said = {name: node.args[0].lower() if node and node.args else "" for name, node in lines.items()}
    names = said["checkpeername"] != "off" or said["checkpeercn"] == "on"
    checks = "all" if said["verify"] == "require" else "its name and dates" if names else "nothing"
    file = lines["cacertificatefile"]
    spans = tuple(node.span for node in lines.values() if node)
    return OriginTls(checks, file.args[0] if file and checks == "all" and file.args[0] not in SYSTEM_TRUST else "", "", spans[0] if spans else None, spans[1:])


def tell_of_places(context: Context) -> None:
    """What sections say of proxies and was asked for by none: the section holds a part only of what is proxied, or is no section for a prefix."""
    for claim in context.claims.values():
        if claim.within == "folder" and not claim.claimed and claim.disposition is None and claim.name.lower() in _IN_PLACES:
            context.blame(PLACE_UNREAD, claim.span, directive=claim.span.directive)


def tell_of_proxy_sections(nodes: list[Node], context: Context) -> None:
    """What `<Proxy>` and `<ProxyMatch>` say and no topic took: it counts for what is proxied to such a URL, with the rules of folders (request.c; 2.4.71, probed)."""
    for node in nodes:
        if node.name not in ("<proxy", "<proxymatch"):
            tell_of_proxy_sections(node.block or [], context)
            continue
        for inner in _all_within(node):
            claim = context.claims.get(inner.span)
            if claim is None or claim.claimed or claim.disposition is not None:
                continue
            words = [word.lower() for word in inner.args]
            if inner.name == "order" or (inner.name, words) in _LETS_ALL_IN:
                claim.disposition, claim.why = Disposition.IMPLIED, "it lets everybody in"
            else:
                context.blame(PLACE_UNREAD, claim.span, directive=claim.span.directive)


def _all_within(node: Node) -> Iterator[Node]:
    for inner in node.block or []:
        yield inner
        yield from _all_within(inner)


_LETS_ALL_IN = (("require", ["all", "granted"]), ("allow", ["from", "all"]))

# Sections that are read for one line at the most: each that may hold or not doubles the ways.
_MOST_SECTIONS = 4
_IN_PLACES = frozenset("""proxyerroroverride proxypassreverse proxypassreversecookiepath proxypassreversecookiedomain proxypreservehost proxyaddheaders
    sslproxyverify sslproxycacertificatefile sslproxycheckpeername sslproxycheckpeercn sslproxycheckpeerexpire""".split())
_OF_APPLICATIONS = frozenset({"setenv", "unsetenv", "cgipassauth"})
_PER_PLACE = _IN_PLACES - {"proxypassreverse"}  # which needs a path where it is written


class Proxies:
    """The proxy mapping of one site. `levels` are the directives it takes its settings from, main server's first; held: where a section counts for what is proxied."""

    def __init__(self, levels: list[Node], sections: list[Section], server_name: str, context: Context, document_root: str, held: Callable[[Section], Condition]) -> None:
        self.document_root, self.held = document_root, held
        self.of_sections: dict[Span, Section] = {}  # lines that stand in a section
        self.levels, self.sections, self.server_name, self.context = levels, sections, server_name, context
        self.workers = Workers([*levels, *(node for section in sections for node in section.nodes)])
        self.reverses = [(node, node.args) for node in context.take(levels, "proxypassreverse") if len(node.args) >= 2]
        # In a section they count for what it holds, behind those of the host (mod_proxy.c, merge_proxy_dir_config).
        self.inner_reverses = [(section.text, node, [section.text, *node.args]) for section in sections if section.kind == "location"
                               for node in section.nodes if node.name == "proxypassreverse" and len(node.args) == 1]

    def routes(self, own: list[Node], main: list[Node], without: tuple[Route, ...]) -> list[Route]:
        """The mapping in the order it is tried; a path behind `!` goes on with `without`."""
        made: list[Route] = []
        for section in reversed(self.sections):
            if section.kind not in ("location", "locationmatch"):
                continue
            for node in self.context.take(section.nodes, "proxypass", "proxypassmatch")[-1:]:
                self.of_sections[node.span] = section
                by_pattern = node.name == "proxypassmatch" or _is_shell_pattern(section.text)
                start = len(made)
                if node.args and by_pattern:
                    made.append(self._pattern(node, section.text, node.args, without))
                elif node.args:
                    if section.kind == "locationmatch":
                        self.context.value(node, section.text, "ProxyPassMatch was expected in it: ProxyPass takes the text for a plain path, unless it has a star, a question mark or brackets")
                    made += self._parts(node, section.text, node.args)
                    made += self._loosely(self._prefix(node, section.text, node.args, without))
                if by_pattern is not (section.kind == "locationmatch"):
                    # The section must hold as well, which asks in another way than the line does.
                    held = self.held(section)
                    made[start:] = [replace(route, condition=AllOf((route.condition, held), node.span)) for route in made[start:] if held != NEVER]
        # proxy_util.c merges the main server's lines before a host's own, other than mod_alias does (2.4.71, probed).
        for node in [*self.context.take(main, "proxypass", "proxypassmatch"), *self.context.take(own, "proxypass", "proxypassmatch")]:
            if len(node.args) < 2:
                self.context.value(node, " ".join(node.args), "a path and the origin's URL, or !, were expected")
            elif node.name == "proxypass":
                made += self._parts(node, node.args[0], node.args[1:])
                made += self._loosely(self._prefix(node, node.args[0], node.args[1:], without))
            else:
                made.append(self._pattern(node, node.args[0], node.args[1:], without))
        return made

    def _parts(self, node: Node, prefix: str, words: list[str]) -> list[Route]:
        """What is proxied by a line, but lies in a section that says something of its own of proxies; the innermost first."""
        if not _URL.fullmatch(by_socket(words[0])):
            return []
        start = prefix.rstrip("/") + "/"
        inner = {section.text for section in self.sections if section.kind == "location" and section.text != prefix and section.text.startswith(start) and section.text != start
                 and not re.search(r"[*?\[]", section.text) and any(line.name in _IN_PLACES for line in section.nodes)}
        return [Route(below(text, node.span), self.forward(node, words, prefix, place=text), node.span, (), text) for text in sorted(inner, key=len, reverse=True)]

    def _loosely(self, route: Route) -> list[Route]:
        """A line by a prefix, before which stands, where slashes are not merged, what else it is for."""
        if not self.context.keeps_slashes:
            return [route]
        label, prefix = self.context.label("proxy"), route.label
        loose = AllOf((PathMatches(Pattern(loose_pattern(prefix), "pcre", label=label), span=route.span), PathMatches(Pattern("//", "pcre"), span=route.span)), route.span)
        is_spared = all(isinstance(step, Choose) for step in route.steps)  # the path goes on as it came
        cut = () if is_spared else (Rewrite(SetPath((prefix, Capture(1, label))), internal=False, span=route.span),)
        return [Route(loose, (*cut, *route.steps), route.span, accident=True), route]

    def _prefix(self, node: Node, prefix: str, words: list[str], without: tuple[Route, ...]) -> Route:
        held = below(prefix, node.span)
        if words[0] == "!":
            self._keeps_out(node)
            return Route(held, (Choose(without),) if without else (), node.span, node.comments, prefix)
        if (steps := self._by_application(node, words, None, prefix)) is not None:
            return Route(held, steps, node.span, node.comments, prefix)
        return Route(held, self.forward(node, words, prefix), node.span, node.comments, prefix)

    def _by_application(self, node: Node, words: list[str], script: Template | None, prefix: str) -> tuple[Step, ...] | None:
        """What is asked by FastCGI and the like; None where the line is for an origin that speaks HTTP."""
        if gateways.address_of(words[0]) is not None:
            return self._placed(prefix if script is None else None, None, lambda within: (gateways.read_proxied(node, words, script, prefix, self.document_root, [*self.levels, *within], self.context),), _PER_PLACE | _OF_APPLICATIONS)
        path = _BEFORE_PATH.sub("", words[0])
        return self._plain_application(node, words, prefix if script is None else None, _behind(script, words[0]) if script is not None else Mapped(prefix, (path,) if path else ()))

    def _plain_application(self, node: Node, words: list[str], prefix: str | None, target: ForwardTarget | None) -> tuple[Step, ...] | None:
        if not isinstance(target, Mapped | Written) or not gateways.is_plain(words[0], self.context):
            return None
        return self._placed(prefix, None, lambda within: (gateways.read_plain(node, words, target, self.document_root, [*self.levels, *within], self.context),), _PER_PLACE | _OF_APPLICATIONS)

    def _pattern(self, node: Node, text: str, words: list[str], without: tuple[Route, ...]) -> Route:
        label = self.context.label("proxy")
        pattern = labelled(self.context.pattern(text, node), label)
        held: Condition = PathMatches(pattern, span=node.span)
        if words[0] == "!":
            self._keeps_out(node)
            return Route(held, (Choose(without),) if without else (), node.span, node.comments, text)
        if (steps := self._by_application(node, words, self.context.template(_BEFORE_PATH.sub("", words[0]), node, rule=label), "")) is not None:
            return Route(held, steps, node.span, node.comments, text)
        words = [by_socket(words[0]), *words[1:]]
        found = _URL.fullmatch(words[0])
        if found and (bare := re.fullmatch(r"(.*?)(\$(\d).*)", found[2])) and _begins_path(pattern, int(bare[3])):
            # `http://origin:80$1`: what is put behind the origin is nothing, or a path.
            words = [f"{found[1]}://{bare[1]}", *words[1:]]
            target = Written(self._as_sent(bare[2] + found[3], label, node, words), adds_query=True)
            return Route(held, self.forward(node, words, None, target), node.span, node.comments, text)
        if not found or re.search(r"\$\d", found[2]):
            self.context.value(node, words[0], "http:// or https:// and an origin that does not depend on the path were expected")
            return Route(held, (Unserved(node.span.directive, node.span),), node.span)
        path = found[3]
        if not re.search(r"\$[\d&]", path):
            # mod_proxy, ProxyPassMatch: without a reference to a group the whole path is put behind the URL.
            steps = transform(self.forward(node, words, ""), lambda step: replace(step, target=replace(step.target, spelt_like=pattern)) if isinstance(step, Forward) and isinstance(step.target, Mapped) else step)
            return Route(held, steps, node.span, node.comments, text)
        target = Written(self._as_sent(path, label, node, words), adds_query=True)
        return Route(held, self.forward(node, words, None, target), node.span, node.comments, text)

    def _as_sent(self, text: str, label: str, node: Node, words: list[str]) -> Template:
        """What is put in a pattern's place: percent-encoded as a whole (mod_proxy_http.c, proxy_http_canon; 2.4.71, probed)."""
        made = self.context.template(text, node, rule=label, escapes=True)
        return made if "nocanon" in words else values.as_path(made)

    def _keeps_out(self, node: Node) -> None:
        claim = self.context.claims[node.span]
        claim.disposition, claim.why = Disposition.KEPT, "what it keeps from being proxied is written where that is answered"

    # --- one forward ------------------------------------------------------------------------------------------------------

    def forward(self, node: Node, words: list[str], prefix: str | None, target: ForwardTarget | None = None, place: str | None = None) -> tuple[Step, ...]:
        """The steps that pass a request to the origin of a line, with what sections say of it. place: the section that the request lies in, below the line's prefix."""
        if (asked := self._plain_application(node, words, prefix, target)) is not None:
            return asked
        return self._placed(prefix, place, lambda nodes: self._forward(node, words, prefix, target, place, nodes))

    def _placed(self, prefix: str | None, place: str | None, make: Callable[[list[Node]], tuple[Step, ...]], lines: frozenset[str] = _PER_PLACE) -> tuple[Step, ...]:
        """What is made of a line that proxies, in each way in which the sections that say something of it may hold."""
        known = self._inner(place or prefix)
        there = set(map(id, known))
        asked = [(section, held) for section in self.sections if any((line.name in lines or _OF_APPLICATIONS <= lines and gateways.sets_path_info(line)) and id(line) not in there for line in section.nodes)
                 and (section.kind != "location" or prefix is None or re.search(r"[*?\[]", section.text)) and (held := self.held(section)) != NEVER]
        made = self._within(asked[:_MOST_SECTIONS], known, make)
        return (Block(self.context.label("proxied"), made),) if asked else made

    def _within(self, sections: list[tuple[Section, Condition]], nodes: list[Node], made: Callable[[list[Node]], tuple[Step, ...]]) -> tuple[Step, ...]:
        """A route for each way in which the sections may hold, what they say behind what was said before (mod_proxy.c, merge_proxy_dir_config)."""
        if not sections:
            return made(nodes)
        (section, held), rest = sections[0], sections[1:]
        within = self._within(rest, [*nodes, *section.nodes], made)
        return within if held is ALWAYS else (Choose((Route(held, within, section.node.span), Route(ALWAYS, self._within(rest, nodes, made)))),)

    def _forward(self, node: Node, words: list[str], prefix: str | None, target: ForwardTarget | None, place: str | None, within: list[Node]) -> tuple[Step, ...]:
        context = self.context
        url, *options = words
        found = _URL.fullmatch(by_socket(url))
        if not found and (other := re.match(r"(ajp|ftp|fdpass)://", url, re.IGNORECASE)):
            context.blame(PROTOCOL_UNREAD, node.span, directive=node.span.directive, protocol=other[1].upper())
            return (Unserved(node.span.directive, node.span),)
        if not found or "interpolate" in options:
            context.value(node, " ".join(words), "http:// or https:// and an origin were expected; other protocols and interpolate are not read")
            return (Unserved(node.span.directive, node.span),)
        named, authority, path = found[1].lower(), found[2], found[3]
        scheme = _SCHEMES.get(named, named)
        if (held := self.workers.authority(url)) is not None:
            context.blame(SOCKET_UNASKED, node.span, directive=node.span.directive, other=socket_of(held) or held)
            authority = held
        pool, secure = self._pool(scheme, authority, node)
        if pool is None:
            context.value(node, url, "a balancer that is defined here was expected")
            return (Unserved(node.span.directive, node.span),)
        spoken = context.protocols.get(pool, "http") if scheme == "balancer" else named
        if scheme == "balancer" and spoken not in _SCHEMES and spoken not in ("http", "https"):
            context.value(node, url, f"members that all speak http, or all https, were expected; these speak {spoken}")
            return (Unserved(node.span.directive, node.span),)
        if target is None and prefix is not None and prefix.endswith("/") and not path:
            # mod_proxy puts the rest behind the URL's bare text, so that `/a/x` would go to the origin `192.0.2.9:81x`.
            context.value(node, f"{prefix} {url}", "a final slash on both, or on neither, was expected")
            return (Unserved(node.span.directive, node.span),)
        if target is None:
            assert prefix is not None
            whole = prefix == "/" and path in ("", "/")
            path = path if "nocanon" in options else "".join(str(part) for part in values.as_path((path,)))
            target = Mapped("/", ("/",), keeps_spelling=True) if whole and "nocanon" in options else Mapped("" if whole else prefix, (path,) if path and not whole else (), keeps_spelling="nocanon" in options)
        levels = [*self.levels, *within]
        preserve = context.last(levels, "proxypreservehost")
        keeps_host = preserve is not None and preserve.args[:1] != [] and preserve.args[0].lower() == "on"
        adds = context.last(levels, "proxyaddheaders")
        # What a line says of a worker that another one defines is not heard (workers.py).
        pairs = dict(option.partition("=")[::2] for option in options) if scheme == "balancer" else self.workers.parameters(url)
        # For a balancer `timeout` is how long one of its members is waited for to be free (mod_proxy, "Balancer parameters").
        own = (pairs.get("timeout", "") if scheme != "balancer" else "") or context.waits.get(pool if scheme == "balancer" else gateways.worker(url), "")
        read = gateways.waits(self.levels, context, own)
        # mod_proxy_http, ap_proxy_worker_can_upgrade: of a balancer it is the member that may (2.4.71, probed).
        upgrades = named.startswith("ws") or pairs.get("upgrade", "").lower() in UPGRADES or pool in context.upgrading
        connect = values.read_seconds_or_open(pairs.get("connectiontimeout", ""))
        return (Forward(
            pool=pool, protocol="h2c" if spoken in _BY_HTTP2 else "http", secure=secure, tls=read_tls(levels, context) if secure else OriginTls(), target=target, fields=self._fields(keeps_host, adds is None or adds.args[:1] in (["On"], ["on"]), upgrades, preserve.span if preserve else None, pool, authority.rpartition("|")[2]),
            redirects=self._mappings(place or prefix), cookies=self._cookies(levels), **intercepts(levels, context), connect_seconds=connect, read_seconds=read, retry=context.retries.get(pool, Retry()), upgrades=upgrades, span=node.span, comments=node.comments,
            also=(preserve.span,) if preserve and keeps_host else (),
        ),)

    def _pool(self, scheme: str, authority: str, node: Node) -> tuple[str | None, bool]:
        context = self.context
        if scheme == "balancer":
            pool = context.balancer(authority)
            return pool.name if pool else None, pool is not None and context.protocols.get(pool.name) in ("https", "h2")
        if socket := socket_of(authority):
            context.pools.setdefault(socket, Pool(socket, (Member(socket, span=node.span),), inline=True, span=node.span))
            return socket, scheme == "https"
        if authority not in context.pools:
            bare = re.sub(r"\{\{.*?\}\}|\$\{\w+\}", "", authority).rpartition("]")[2]
            full = authority if ":" in bare else f"{authority}:{443 if scheme == 'https' else 80}"
            context.pools[authority] = Pool(authority, (Member(full, span=node.span),), inline=True, span=node.span)
        return authority, scheme == "https"

    def _fields(self, keeps_host: bool, adds: bool, upgrades: bool, span: Span | None, pool: str, host: str) -> tuple[Field, ...]:
        """What the origin gets besides what the client sent."""
        name: Template = (Var(Variable.POOL if self.context.pools[pool].inline else Variable.MEMBER),)
        if pool.startswith("unix:"):
            name = (host,)
        # Kept, it is the field as it stands by then, which a RequestHeader may have changed (proxy_util.c, ap_proxy_create_hdrbrgd).
        made = [] if keeps_host else [Field(Side.REQUEST, Operation.SET, "Host", name, span=span)]
        if adds:
            # proxy_util.c: the three are merged into what the client sent, with a comma.
            made += [
                Field(Side.REQUEST, Operation.SET, "X-Forwarded-For", (Var(Variable.CLIENT_CHAIN),)),
                Field(Side.REQUEST, Operation.ADD, "X-Forwarded-Host", (Var(Variable.AUTHORITY),)),
                Field(Side.REQUEST, Operation.ADD, "X-Forwarded-Server", (self.server_name,)),
            ]
        # proxy_util.c, ap_proxy_worker_can_upgrade (2.4.71, probed): the one protocol goes on, whatever else the client says of its connection.
        other = Not(TextMatches((Var(Variable.FIELD, "Upgrade"),), Pattern("^websocket$", "pcre", True)))
        return (*made, *(Field(Side.REQUEST, Operation.REMOVE, name, when=other if upgrades and name == "Upgrade" else None, asked_last=True) for name in _DROPS))

    def _inner(self, prefix: str | None) -> list[Node]:
        """What sections that hold all below a prefix say, the outermost first."""
        if not prefix:
            return []
        return [node for section in self.sections if section.kind == "location" and (prefix.rstrip("/") + "/").startswith(section.text.rstrip("/") + "/") for node in section.nodes]

    def _cookies(self, levels: list[Node]) -> tuple[CookieMapping, ...]:
        """ProxyPassReverseCookiePath and -Domain lines, the inner ones last.

        proxy_util.c, ap_proxy_cookie_reverse_map (2.4.62, probed): a path that begins with the first gives way to the second as a whole.
        """
        made = []
        for name, attribute in (("proxypassreversecookiedomain", "domain"), ("proxypassreversecookiepath", "path")):
            made += [CookieMapping(attribute, (node.args[0],), (node.args[1],), True, node.span)
                     for node in self.context.take(levels, name) if len(node.args) >= 2]
        return tuple(made)

    def _mappings(self, prefix: str | None) -> tuple[LocationMapping, ...]:
        """For what is proxied by a prefix; None: by a pattern, or a rule."""
        context = self.context
        made = []
        inner = [(context.use(node), words, below(text, node.span) if prefix is None and text != "/" else None)
                 for text, node, words in self.inner_reverses if prefix is None or (prefix.rstrip("/") + "/").startswith(text.rstrip("/") + "/")]
        for node, words, when in (*((node, words, None) for node, words in self.reverses), *inner):
            path, url = words[0], words[1]
            front = (Var(Variable.SCHEME), "://", Var(Variable.AUTHORITY))
            found = _URL.fullmatch(url)
            if found and found[1].lower() == "balancer":
                pool = self.context.balancer(found[2])
                protocol = self.context.protocols.get(pool.name, "http") if pool else ""
                # proxy_util.c, ap_proxy_location_reverse_map (2.4.71, probed): a slash behind the balancer's name counts as nothing, so that `/api/` is put
                # before what begins with one; `/` alone is not.
                rest = found[3] if found[3] not in ("", "/") else "/" if path == "/" else ""
                members = [f"{protocol}://{member.address}{rest}" for member in pool.members] if pool and protocol in ("http", "https") else []
                made += [LocationMapping((member,), join(front, path), node.span, when) for member in members]
            else:
                made.append(LocationMapping((url,), join(front, path), node.span, when))
        return tuple(made)


def _behind(script: Template, url: str) -> Mapped | Written:
    """What a line by a pattern puts behind an application's address; without a reference to a group that is the whole path (mod_proxy, ProxyPassMatch)."""
    if not re.search(r"\$[\d&]", url):
        return Mapped("", script)
    return Written(tuple(replace(part, escaped=True) if isinstance(part, Capture) else part for part in script))


def _begins_path(pattern: Pattern, group: int) -> bool:
    """Whether a group of a pattern of paths is nothing, or begins with a slash."""
    return (inside_group(pattern.text, group) or "").startswith("/") or group == 1 and pattern.text.startswith("^(") or group == 0 and pattern.text.startswith("^/")


def split_url(text: str) -> tuple[str, str] | None:
    """`http://origin/path` -> (`http://origin`, `/path`); None when it is none, or the origin is not written out."""
    found = re.match(r"((?:https?|h2c?|wss?|balancer|scgi)://[^/]+)(/.*)?$", by_socket(text))
    return (found[1], found[2] or "") if found else None


def _is_shell_pattern(text: str) -> bool:
    """Whether ProxyPass in a section takes the section's text for a pattern (mod_proxy.c, add_pass: apr_fnmatch_test), and then for a regular expression (2.4.71, probed)."""
    plain = re.sub(r"\\.", "", text)
    return re.search(r"[*?]|\[[^\]]*\]", plain) is not None
