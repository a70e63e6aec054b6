"""Forward, Gateway, Pool -> `ProxyPass`, rules with P, balancers, request fields. Mirror: reader/forwards.py.

Source:   Apache HTTP Server manual, mod_proxy, mod_proxy_balancer; proxy_util.c.
Rule:     the target as received goes on with `nocanon`. Host and the X-Forwarded fields are told one by one, since httpd by itself would
          add three of its own.
Left out: TLS to the origin is not verified unless SSLProxyVerify is written, as before.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....fitting.mapping import location_mapping
from ....model import (
    ALWAYS, UNDERSCORED, AsReceived, Condition, Field, Forward, Gateway, LocationMapping, Lookup, LookupRow, Mapped, Not, Operation, PathIs, PathMatches, PathStartsWith, Pool, Rewrite, SetPath, Span,
    Template, Var, Variable, Written, join, literal,
)
from ...encodings import before_encoding
from ...noting import Unwritable
from .. import values
from ..values import quote, write_seconds
from .balancing import attempts, tell_failures, write_balancer
from .conditions import Asked
from . import heads
from .context import Context, Names
from .output import Node
from .paths import escaped, fragment, groups_of, plain_pattern
from .rewrites import rule, substitution
from .waits import seconds_here

# RFC 9110 section 7.6.1: fields of one connection are the proxy's own affair.
HOP_BY_HOP = frozenset({"connection", "keep-alive", "te", "upgrade", "expect", "proxy-authorization", "trailer", "proxy-connection"})


# --- by path alone ------------------------------------------------------------------------------------------------------------

def with_query(step: Forward) -> Forward:
    """A target that ends in the client's query says so, rather than spelling it out."""
    if not isinstance(step.target, Written) or step.target.adds_query:
        return step
    template = step.target.template
    if template[-2:] == (Var(Variable.QUERY_MARK), Var(Variable.QUERY)):
        return replace(step, target=replace(step.target, template=template[:-2], adds_query=True))
    if template[-1:] == (Var(Variable.TARGET),):
        # %{THE_REQUEST} has it among other words: a rule says the path and keeps the query.
        return replace(step, target=replace(step.target, template=(*template[:-1], Var(Variable.PATH)), adds_query=True))
    if template[-1:] == (Var(Variable.QUERY, "?"),):
        return replace(step, target=replace(step.target, template=template[:-1], adds_query=True))
    return step


def write_mapping(step: Forward, parts: tuple[Condition, ...], as_received: bool, context: Context) -> Node | Unwritable | None:
    """A forward for paths -> its ProxyPass line; None when no such line says it.

    as_received: the target may go on as it came; where rules change paths that then are mapped, it must not (2.4.71, probed)
    """
    step = with_query(step)
    if step.protocol not in ("http", "h2c"):
        as_received = False  # an application is told the path, not the target
    asked = [part for part in parts if part is not ALWAYS]
    spans = (step.span, *step.also)
    url = write_pool(step, context)
    if isinstance(url, Unwritable):
        return url
    if any(isinstance(part, Not) for part in asked) or len(asked) > 1:
        return None
    one = asked[0] if asked else PathStartsWith("/")
    options = [] if url.startswith("balancer:") else _options(step, context)
    spelling = ["nocanon"] if as_received else []
    match one, step.target:
        case PathStartsWith(prefix, False), AsReceived() if prefix.endswith("/"):
            return context.line("ProxyPass", quote(prefix), quote(url + prefix), *spelling, *options, spans=spans, comments=step.comments)
        case PathStartsWith(prefix, False), Mapped(cut, replacement, False, spelt) if prefix.endswith("/") and (cut == "" or prefix.startswith(cut)):
            base = context.plain(replacement if spelt and spelling else before_encoding(replacement), step.span)
            if isinstance(base, Unwritable) or "$" in base:
                return None
            path = base + prefix[len(cut):]
            if not path.startswith("/"):
                return None
            return context.line("ProxyPass", quote(prefix), quote(url + path), *(spelling if spelt else []), *options, spans=spans, comments=step.comments)
        case PathStartsWith(prefix, False), Mapped(cut, replacement, False, False) if cut == prefix and not prefix.endswith("/"):
            base = context.plain(before_encoding(replacement), step.span)
            if isinstance(base, Unwritable) or not base.startswith("/") or not _plain(base) or "$" in base:
                return None
            return context.line("ProxyPassMatch", quote(f"^{escaped(prefix)}(.*)$"), quote(f"{url}{base}$1"), *options, spans=spans, comments=step.comments)
        case PathStartsWith(prefix, False), AsReceived():
            return context.line("ProxyPassMatch", quote("^" + escaped(prefix)), quote(url), *spelling, *options, spans=spans, comments=step.comments)
        case PathMatches() | PathIs(_, False), AsReceived():
            text = plain_pattern(one.pattern)[0] if isinstance(one, PathMatches) and not one.pattern.ignores_case else "^" + fragment((one,))
            return context.line("ProxyPassMatch", quote(text), quote(url), *spelling, *options, spans=spans, comments=step.comments)
        case PathIs(path, False), Mapped(cut, replacement) if path.startswith(cut):
            base = context.plain(before_encoding(replacement), step.span)
            if isinstance(base, Unwritable):
                return None
            target = base + path[len(cut):]
            # mod_proxy, ProxyPassMatch: without a reference to a group the whole path would be put behind the URL; an empty group is one.
            return context.line("ProxyPassMatch", quote(f"^{escaped(path)}()$"), quote(f"{url}{target}$1"), *options, spans=spans, comments=step.comments) if _plain(target) and "$" not in target else None
        case PathMatches(pattern), Written(template, True):
            path = context.in_rule(before_encoding(template), step.span, Names(pattern.label, groups=groups_of(pattern.text)))
            if isinstance(path, Unwritable) or "%" in path or pattern.ignores_case or "\\" in path:
                return None
            return context.line("ProxyPassMatch", quote(plain_pattern(pattern)[0]), quote(url + path), *options, spans=spans, comments=step.comments)
    return None


def _plain(path: str) -> bool:
    return not re.search(r"[?%\s]", path)


def _options(step: Forward, context: Context) -> list[str]:
    made = []
    if (seconds := seconds_here(step.read_seconds, context)) is not None:
        made.append(f"timeout={write_seconds(seconds)}")
    if step.method_span:
        context.lost(step.method_span, "the method", "httpd asks an origin by the method of the request", "let the origin take that method, too")
    if step.connect_seconds:
        made.append(f"connectiontimeout={write_seconds(step.connect_seconds)}")
    if step.upgrades:
        made.append("upgrade=websocket")
    return made


def write_exclusion(parts: tuple[Condition, ...], spans: tuple[Span | None, ...], context: Context) -> Node | None:
    """The line that keeps paths from the proxies further down; None for all paths."""
    asked = tuple(part for part in parts if part is not ALWAYS)
    if not asked:
        return None
    one = asked[0]
    if len(asked) == 1 and isinstance(one, PathStartsWith) and not one.ignores_case and one.prefix.endswith("/"):
        return context.line("ProxyPass", quote(one.prefix), "!", spans=spans)
    if len(asked) == 1 and isinstance(one, PathMatches):
        return context.line("ProxyPassMatch", quote(("(?i)" if one.pattern.ignores_case else "") + plain_pattern(one.pattern)[0]), "!", spans=spans)
    return context.line("ProxyPassMatch", quote("^" + fragment(asked)), "!", spans=spans)


# --- by rule ------------------------------------------------------------------------------------------------------------------

def write_rule(step: Forward, asked: Asked, context: Context) -> list[Node] | Unwritable:
    """A forward whose conditions take a rule: the flag P."""
    step = with_query(step)
    url = write_pool(step, context, by_rule=True)
    if isinstance(url, Unwritable):
        return url
    flags = ["P", "L"]
    spans = (step.span, *step.also)
    match step.target:
        case AsReceived() | Mapped("", ()):
            text: str | Unwritable = asked.whole or "%{REQUEST_URI}"
        case Mapped(prefix, replacement):
            asked.pattern = asked.pattern.removesuffix("(/.*)$") + f"{escaped(prefix)}(.*)$" if asked.whole else f"^{escaped(prefix)}(.*)$" if asked.pattern in ("^", f"^{escaped(prefix)}") else asked.pattern
            if not asked.pattern.endswith("(.*)$"):
                return Unwritable("a prefix that is cut off a path for some requests only")
            base = context.in_rule(before_encoding(replacement), step.span)
            text = base if isinstance(base, Unwritable) else f"{base}$1"
        case Written(template, adds_query):
            text = context.in_rule(before_encoding(template), step.span, asked)
            if not isinstance(text, Unwritable) and not adds_query and "?" not in text:
                flags.insert(1, "QSD")
            elif adds_query and isinstance(text, str) and "?" in text:
                flags.insert(1, "QSA")
    if isinstance(text, Unwritable):
        return text
    return rule(asked, url + text, flags, context, spans, step.comments)


def write_moved(item: Rewrite, step: Forward, asked: Asked, context: Context) -> list[Node] | Unwritable:
    """A changed path that goes to an origin, in one rule."""
    if not isinstance(step.target, AsReceived | Mapped) or isinstance(step.target, Mapped) and step.target.prefix not in ("", "/"):
        return Unwritable("several changes of the path, one after the other, before the origin is asked")
    url = write_pool(step, context, by_rule=True)
    if isinstance(url, Unwritable):
        return url
    base = context.plain(before_encoding(step.target.replacement), step.span) if isinstance(step.target, Mapped) else ""
    if isinstance(base, Unwritable):
        return base
    if isinstance(item.edit, SetPath) and not literal(item.edit.template[:1]) and not asked.whole:
        return Unwritable("a path that begins with a value")
    made = substitution(item, asked, context, url + (base.rstrip("/") if isinstance(step.target, Mapped) else ""))
    if isinstance(made, Unwritable):
        return made
    text, flags = made
    return rule(asked, text, [*flags, "P", "L"], context, (item.span, step.span, *step.also), (*item.comments, *step.comments))


_SCHEMES = {("http", True): "https", ("h2c", True): "h2"}
_MODULES = {"h2c": "http2"}


# --- pools --------------------------------------------------------------------------------------------------------------------

def write_pool(step: Forward, context: Context, by_rule: bool = False) -> str | Unwritable:
    """`http://origin:8000` for a pool of one member, else `balancer://name`, whose section is written once.

    by_rule: in a rule, where mod_rewrite knows no uwsgi:// and puts its own host before it (is_absolute_uri; 2.4.71, probed)
    """
    scheme = _SCHEMES.get((step.protocol, step.secure), step.protocol)
    context.modules |= {"proxy", f"proxy_{_MODULES.get(step.protocol, step.protocol)}"}
    if step.secure:
        context.modules.add("ssl")
    pool = context.estate.pool(step.pool)
    if pool is None:
        return f"{scheme}://{step.pool}"
    if pool.span is not None and not pool.inline:  # an origin by itself has the span of the line that asks it first
        context.reached.add(pool.span)
    if not pool.members:
        return Unwritable("an origin: there is none that can be asked")
    # In a rule mod_rewrite knows no uwsgi://, and a socket's other protocols only in a balancer.
    named = not by_rule or step.protocol in ("http", "h2c") or step.protocol == "scgi" and not pool.members[0].address.startswith("unix:")
    if pool.inline and len(pool.members) == 1 and named and pool.members[0].address.startswith("unix:"):
        return f"{pool.members[0].address}|{scheme}://{_name_of(pool.members[0].address, context)}"
    if pool.inline and len(pool.members) == 1 and named:
        return f"{scheme}://{_address(pool.members[0].address, step.secure)}"
    name = write_members(pool, step, scheme, context)
    # mod_proxy: what a ProxyPass says of time and upgrades counts for a single origin; the members of a balancer say it themselves.
    section = next(node for node in context.proxies if node.words[1] == quote(f"balancer://{name}"))
    for line in section.block or []:
        if line.words[0] == "BalancerMember":
            # How long they are waited for the host's line says (waits.py): places of one host, and hosts, may differ in it.
            held = {"timeout", *(word.partition("=")[0] for word in line.words)}
            line.words += [option for option in _options(step, context) if option.partition("=")[0] not in held]
    return f"balancer://{name}"


def write_members(pool: Pool, step: Forward | Gateway, scheme: str, context: Context) -> str:
    """The name of a pool's balancer, whose section is written once. Places that ask another member for other failures have one each."""
    key = " ".join((pool.name, *attempts(pool, step)))
    tell_failures(pool, step, context)
    if key not in context.balancers:
        context.balancers[key] = _free(pool, context)
        context.proxies.append(write_balancer(context.balancers[key], pool, step, [_url(member.address, scheme, context) for member in pool.members], context))
    return context.balancers[key]


def _name_of(socket: str, context: Context) -> str:
    """The name that httpd knows a socket by: two of one name would be the first of them (proxy_util.c, ap_proxy_define_worker; 2.4.71, probed)."""
    if socket not in context.sockets:
        wish = re.sub(r"[^a-z0-9]+", "-", re.sub(r"\.\w+$", "", socket.rpartition("/")[2]).lower()).strip("-") or "origin"
        name, number = (wish, 2) if context.sockets else ("localhost", 1)
        while name in context.sockets.values():
            name, number = f"{wish}-{number}", number + 1
        context.sockets[socket] = name
    return context.sockets[socket]


def _free(pool: Pool, context: Context) -> str:
    first = next((name.text for name in context.site.names if name.is_exact), "site") if context.site else "site"
    wish = re.sub(r"[^\w.-]+", "-", (pool.name.removeprefix("balancer://") if not pool.inline else f"{first.split('.')[0]}-origins")).strip("-").lower().replace("_", "-")
    name, number = wish, 2
    while name in context.balancers.values():
        name, number = f"{wish}-{number}", number + 1
    return name


def _address(address: str, secure: bool) -> str:
    return address.removesuffix(":443" if secure else ":80") if not address.startswith("[") else address


def _url(address: str, scheme: str, context: Context) -> str:
    return f"{address}|{scheme}://{_name_of(address, context)}" if address.startswith("unix:") else f"{scheme}://{_address(address, scheme == 'https')}"


# --- request fields -----------------------------------------------------------------------------------------------------------

def request_fields(step: Forward, before: tuple[Field, ...], context: Context) -> list[tuple[Node, Field]]:
    """What the origin gets of the fields that rules speak of -> RequestHeader lines. Host as the client sent it needs none."""
    made: list[tuple[Node, Field]] = []
    seen: dict[str, Field] = {}
    for item in (*before, *step.fields):
        name = item.name.lower()
        if name == UNDERSCORED:
            context.lost(item.span, "taking away fields with underscores in their names", "httpd takes one field away by its whole name", heads.ONE_BY_ONE)
            continue
        if name in HOP_BY_HOP:
            context.implied(item.span, "fields of one connection (RFC 9110 section 7.6.1) are the proxy's own affair")
            continue
        if item.operation is Operation.SET and name in seen:
            made = [(node, held) for node, held in made if held.name.lower() != name]
            if seen[name].span is not None:
                context.implied(seen[name].span, "a later line sets the field anew")
        seen[name] = item
        lines = _with_target(item, context) or [_request_field(item, step, context)]
        made += [(line, item) for line in lines if line is not None]
    # What asks for the Host that the client sent would see the new one behind the line that sets it (probed).
    return sorted(made, key=lambda pair: pair[1].name.lower() == "host")


def _with_target(item: Field, context: Context) -> list[Node] | None:
    """A value that ends in the target as received: httpd has no word for it but in the request line, of which an edit leaves the target."""
    if item.operation is not Operation.SET or item.value[-1:] != (Var(Variable.TARGET),) or item.when is not None:
        return None
    front = context.in_field(item.value[:-1], item.span) if item.value[:-1] else ""
    if isinstance(front, Unwritable):
        return None
    text = front.removeprefix("expr=") if front.startswith("expr=") else front.replace("%%", "%")
    if not front.startswith("expr=") and re.search(r"[\\$\"%]", text):
        return None
    return [context.line("RequestHeader", "set", item.name, quote(f"expr={text}{' ' if text else ''}%{{THE_REQUEST}}"), spans=(item.span,), comments=item.comments or _TARGET_ONLY),
            context.line("RequestHeader", "edit", item.name, quote(values.REQUEST_LINE), quote("$1"), spans=(item.span,))]


_TARGET_ONLY = ("Of the request line, the target as it was received.",)


def _request_field(item: Field, step: Forward, context: Context) -> Node | None:
    name, value = item.name, _member_named(item.value, step, context)
    if name.lower() == "host" and item.operation is Operation.SET and value == (Var(Variable.AUTHORITY),):
        context.implied(item.span, "ProxyPreserveHost passes the field on as it came")
        return None
    if name.lower() == "host" and item.operation is Operation.SET and value == (Var(Variable.MEMBER),):
        # core of mod_proxy: without it each member gets its own address, which no RequestHeader could say.
        return context.line("ProxyPreserveHost", "Off", spans=(item.span,), comments=item.comments)
    if item.operation is Operation.REMOVE or item.operation is Operation.SET and not value:
        return context.line("RequestHeader", "unset", name, spans=(item.span,), comments=item.comments)
    verb = {Operation.SET: "set", Operation.ADD: "append", Operation.APPEND: "append", Operation.MERGE: "merge", Operation.DEFAULT: "setifempty"}.get(item.operation)
    if value == (Var(Variable.CLIENT_CHAIN),) and name.lower() == "x-forwarded-for":
        verb, value = "append", (Var(Variable.CLIENT),)
    if verb is None:
        return _edit(item, context)
    verb, value = _by_table(name, verb, value)
    text = context.in_field(value, item.span, context.moved and not item.at_once)
    if isinstance(text, Unwritable):
        context.lost(item.span, name, f"its value needs {text.what}")
        return None
    return context.line("RequestHeader", verb, name, quote(text), spans=(item.span,), comments=item.comments)


def _by_table(name: str, verb: str, value: Template) -> tuple[str, Template]:
    """A table that only asks whether the field is there: what is put behind it, or in its place, has words of its own."""
    match value:
        case (Lookup(subject=(Var(Variable.FIELD, field),) as own, rows=(LookupRow(value="", result=result),), fallback=fallback),) if field.lower() == name.lower():
            if fallback == join(own, ", ", result):
                return "append", result
            if fallback == own:
                return "setifempty", result
    return verb, value


def _edit(item: Field, context: Context) -> Node | None:
    value = literal(item.value)
    if item.find is None or value is None:
        context.lost(item.span, item.name, "the change of its value cannot be said")
        return None
    flag = "(?i)" if item.find.ignores_case else ""
    return context.line("RequestHeader", "edit*", item.name, quote(flag + item.find.text), quote(value.replace("%", "%%")), spans=(item.span,), comments=item.comments)


def _member_named(value: Template, step: Forward, context: Context) -> Template:
    """The origin by its address: httpd has no variable for it."""
    pool = context.estate.pool(step.pool)
    made = []
    for part in value:
        if part == Var(Variable.POOL):
            made.append(pool.name if pool else step.pool)
        elif part == Var(Variable.MEMBER) and pool is not None and len(pool.members) == 1:
            made.append(pool.members[0].address)
        else:
            made.append(part)
    return tuple(made)


# --- redirects of the origin ----------------------------------------------------------------------------------------------------

def write_reverses(step: Forward, context: Context) -> list[Node]:
    """Mappings of Location -> ProxyPassReverse lines."""
    mappings = [*step.redirects, *(mapping for field in step.response_fields if (mapping := location_mapping(field)))]
    return [line for mapping in mappings if (line := _reverse(mapping, context)) is not None]


def contradicting(nodes: list[Node], steps: list[Forward], context: Context) -> set[tuple[str, ...]]:
    """The words of ProxyPassReverse lines of which an earlier one takes what a later one is for: httpd has one list of them, places of other servers their own.

    Some of the steps map nothing, or by a pattern: what is written for another place of their origin would count for them as well.
    """
    rows = list(dict.fromkeys(tuple(node.words) for node in nodes))
    unmapped = tuple(base for step in steps if not step.redirects and not any(location_mapping(field) for field in step.response_fields) for base in _bases(step, context))
    found = {row for row in rows if row[2].strip('"').startswith(unmapped)}
    for number, later in enumerate(rows):
        for earlier in rows[:number]:
            (path, url), (path2, url2) = ((words[1].strip('"'), words[2].strip('"')) for words in (earlier, later))
            if url2.startswith(url) and path2 != path + url2[len(url):] or url.startswith(url2) and path != path2 + url[len(url2):]:
                found |= {earlier, later}
    return found


def _bases(step: Forward, context: Context) -> list[str]:
    """What the URLs of a step's origins begin with."""
    pool = context.estate.pool(step.pool)
    return [f"{'https' if step.secure else 'http'}://{address}/" for address in (step.pool, *(member.address for member in (pool.members if pool else ())))]


def write_own_reverses(step: Forward, contradicting: set[tuple[str, ...]], context: Context) -> list[Node]:
    """The same mappings, of those that contradict each other, for one place only."""
    made = []
    for node in write_reverses(step, context):
        if tuple(node.words) in contradicting:
            path, url = (word.strip('"') for word in node.words[1:])
            made.append(context.line("Header", "edit", "Location", quote("^" + re.escape(url).replace("/", "/")), quote(path.replace("%", "%%")), spans=tuple(node.spans), comments=_OWN))
    return made


def in_section(line: Node, name: str, word: str) -> Node:
    """A mapping to the very place of its section, in the words that httpd has for it."""
    if name == "Location" and line.comments == _OWN and line.words[:3] == ["Header", "edit", "Location"] and line.words[4] == quote(word):
        line.words = ["ProxyPassReverse", quote(re.sub(r"\\(.)", r"\1", line.words[3].strip('"').removeprefix("^")))]
        line.comments = ()
    return line


_OWN = ("ProxyPassReverse would count for every place of the host.",)
_FRONTS = ((), (Var(Variable.SCHEME), "://", Var(Variable.AUTHORITY)), (Var(Variable.SCHEME), "://", Var(Variable.HOST)))


def _reverse(mapping: LocationMapping, context: Context) -> Node | None:
    url = context.plain(mapping.prefix, mapping.span)
    path = None
    for front in _FRONTS:
        if mapping.replacement[:len(front)] == front:
            rest = mapping.replacement[len(front):]
            path = literal(rest)
    if isinstance(url, Unwritable) or path is None or not path.startswith("/"):
        context.lost(mapping.span, "the mapping of redirects", "it maps to something other than a path of this site")
        return None
    return context.line("ProxyPassReverse", quote(path), quote(url), spans=(mapping.span,))
