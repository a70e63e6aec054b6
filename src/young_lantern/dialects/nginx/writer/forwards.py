"""Forward, Pool -> nginx `proxy_*`, `upstream`. Mirror: reader/forwards.py, reader/pools.py.

Source:   nginx manual, proxy module: one `proxy_set_header` at a level drops all of the levels above; Host is the origin's name
          unless it is set; without a path in the URL the target goes on as it is.
Rule:     fields are folded beforehand: what each is in the end is one line. Where the prefix of the place is the prefix that is
          cut off, the URL gets a path; else a rewrite says it.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....codes import NAMED_AS_ANOTHER, NAMED_AS_FIRST
from ....fitting import Chain, leaves
from ....fitting.mapping import as_received, location_mapping
from ....model import (
    SYSTEM_TRUST, UNDERSCORED, WAITS, AsReceived, Capture, Disposition, Field, Forward, LocationMapping, Lookup, LookupRow, Mapped, Operation, Pool, Rewrite, SetPath, Side, Span, StripPrefix, Template, Var,
    Variable, Written, is_by_address, join, literal,
)
from ....model.walk import walk
from ....patterns import compiled
from ...encodings import before_encoding, encoded
from ...noting import Unwritable
from ..values import quote, write_time
from .balancing import write_retry, write_upstream
from .caches import write_cache
from .context import Context
from .cookies import write_cookie, write_edit
from .fields import by_condition
from .grpc import as_grpc
from .output import Node

# RFC 9110 section 7.6.1: fields of one connection; nginx sees to them, and to upgrades as written below.
_HOP_BY_HOP = frozenset({"connection", "keep-alive", "te", "upgrade", "expect", "proxy-authorization", "trailer", "proxy-connection"})
_CONNECTION = Lookup("connection_upgrade", (Var(Variable.FIELD, "Upgrade"),), (LookupRow("", ()),), ("upgrade",))


def write_forward(step: Forward, before: tuple[Field, ...], prefix: str, exact: str, effects: list[Rewrite], context: Context) -> list[Node] | Unwritable:
    """Forward -> nodes of a location.

    before:  operations on the request's fields that were met on the way
    prefix, exact: the text of the location, by its kind
    effects: what cuts the path just before; taken into the URL where it fits
    """
    spans = tuple(dict.fromkeys(span for span in (step.span, *step.also) if span))
    authority = write_pool(step, context)
    if isinstance(authority, Unwritable):
        return authority
    # To an origin by HTTP/2 no URL has a path: a rewrite says it.
    target = _target(step, (prefix or exact) if step.protocol != "h2c" else "", effects, context)
    if isinstance(target, Unwritable):
        return target
    rewriting, path = target
    if path and authority.startswith("unix:"):
        path = f":{path}"
    scheme = "https" if step.secure else "http"
    nodes = [*rewriting, Node(["proxy_pass", quote(f"{scheme}://{authority}{path}")], None, spans, step.comments)]
    nodes += write_request_fields(step, before, context)
    nodes += _redirects(step, f"{scheme}://{authority}{path}", prefix, context)
    for change in step.cookies:
        nodes += write_cookie(change, context)
    for field in step.response_fields:
        nodes += _response_field(field, context)
    nodes += _tls(step, context)
    for name, seconds in (("connect", step.connect_seconds), ("read", step.read_seconds), ("send", step.send_seconds)):
        if seconds and not is_usual(seconds, context):
            nodes.append(Node([f"proxy_{name}_timeout", write_time(seconds)]))
    nodes += write_retry(step.retry, context.estate.pool(step.pool), "proxy", context)
    nodes += write_cache(step.cache, "proxy", context)
    if step.method:
        nodes.append(Node(["proxy_method", step.method], None, (step.method_span,) if step.method_span else ()))
    if not step.buffers:
        nodes.append(Node(["proxy_buffering", "off"]))
    if step.intercepts_errors:
        nodes.append(Node(["proxy_intercept_errors", "on"], None, (step.intercepts_span,) if step.intercepts_span else ()))
    return as_grpc(nodes, step, context) if step.protocol == "h2c" else nodes


def is_usual(seconds: float, context: Context) -> bool:
    """Whether a time is what nginx has by itself, and nothing above says otherwise (waits.py)."""
    return seconds == WAITS["nginx"] and WAITS.get(context.estate.dialect) is not None


def _tls(step: Forward, context: Context) -> list[Node]:
    """What is checked of the origin's certificate; other servers ask for the origin's name by themselves."""
    tls = step.tls
    spans = tuple(span for span in (tls.span, *tls.also) if span)
    if not step.secure:
        return []
    nodes = [] if context.estate.dialect == "nginx" and not spans else [Node(["proxy_ssl_server_name", "on"], None, spans)]
    if tls.name:
        nodes.append(Node(["proxy_ssl_name", tls.name], None, spans))
    if tls.checks == "all":
        why = () if tls.trusted else ("The system's own list, where Debian has it; /etc/pki/tls/certs/ca-bundle.crt on Red Hat.",)
        nodes += [Node(["proxy_ssl_verify", "on"], None, spans), Node(["proxy_ssl_trusted_certificate", quote(tls.trusted or SYSTEM_TRUST[0])], None, spans, why)]
    return nodes


def write_pool(step: Forward, context: Context) -> str | Unwritable:
    """What stands for the pool in the URL: the address of its one member, or the name of its upstream block."""
    pool = context.estate.pool(step.pool)
    if pool is None:
        return step.pool
    if pool.span is not None and not pool.inline:
        context.reached.add(pool.span)
    if not pool.members:
        return Unwritable("an origin: there is none that can be asked")
    if pool.inline and len(pool.members) == 1:
        return _address(pool.members[0].address, step.secure)
    if pool.name not in context.pools:
        own = re.sub(r"\W+", "_", pool.name.removeprefix("balancer://")).strip("_") if "balancer://" in pool.name else pool.name
        wish = own if not pool.inline and re.fullmatch(r"[\w.\-]+", own) else _wish(context)
        name, number = wish, 2
        while name in context.pools.values():
            name, number = f"{wish}_{number}", number + 1
        context.pools[pool.name] = name
        context.http[f"pool {name}"] = write_upstream(name, pool, context)
    return context.pools[pool.name]


def _wish(context: Context) -> str:
    first = next((name.text for name in context.site.names if name.is_exact), "site") if context.site else "site"
    return re.sub(r"\W+", "_", first.split(".")[0]).strip("_") + "_origins"


def _address(address: str, secure: bool) -> str:
    return address.removesuffix(":443" if secure else ":80") if not address.startswith("[") else address


# --- the target -------------------------------------------------------------------------------------------------------

def _target(step: Forward, prefix: str, effects: list[Rewrite], context: Context) -> tuple[list[Node], str] | Unwritable:
    """The rewriting that must stand before, and the path of the URL."""
    cut, replacement = "", ()
    match as_received(step.target):
        case AsReceived():
            if not effects:
                return [], ""
        case Mapped(cut, replacement):
            pass
        case Written(template, adds_query):
            return _written(template, adds_query, step, context)
    stripped, added = _said_by(effects)
    if added and isinstance(as_received(step.target), AsReceived):
        # A path, which is encoded by nginx where it is rewritten, but not where it stands in a URL.
        replacement = tuple(encoded(part) if isinstance(part, str) else part for part in added)
    elif added:
        return Unwritable("several changes of the path, one after the other, before the origin is asked")
    if stripped:
        # What is left after the cut begins with a slash; so does what is put before it.
        cut, replacement = (stripped, replacement) if not cut else (cut, replacement)
    base = literal(replacement)
    if base is not None and "$" not in base and prefix and not context.rewritten and prefix.startswith(cut):
        rest = prefix[len(cut):]
        path = base + rest
        if path.startswith("/") and cut + rest == prefix:
            return [], path
    text = context.template(before_encoding(replacement), step.span)
    if isinstance(text, Unwritable):
        return text
    if context.rewritten and not cut and not text:
        return [], ""  # a path that was changed goes on escaped again by itself
    # A target that lost its slash with the prefix gets one, and so does one that lost all: rewriting to nothing is 500 (1.22.1, probed).
    slash = "/" if not text and cut else ""
    pattern = f"^{re.escape(cut)}{'/?' if slash and not cut.endswith('/') else ''}(.*)$"
    why = () if cut or text else ("The path goes on decoded and percent-encoded again, as before.",)
    return [Node(["rewrite", quote(pattern), quote(f"{text}{slash}$1"), "break"], None, (step.span,) if step.span else (), why)], ""


def _said_by(effects: list[Rewrite]) -> tuple[str, Template]:
    """The prefix that the effects cut off, and what they put before the rest."""
    stripped = next((item.edit.prefix for item in effects if isinstance(item.edit, StripPrefix)), "")
    return stripped, next((text for item in effects if (text := put_before(item))), ())


def put_before(item: Rewrite) -> Template | None:
    """What a rewrite puts before the path, if that is all it does."""
    match item.edit:
        case SetPath((str() as text, Var(Variable.PATH))) if item.query is None and not text.endswith("/"):
            return (text,)
    return None


def _written(template: Template, adds_query: bool, step: Forward, context: Context) -> tuple[list[Node], str] | Unwritable:
    pattern = "^"
    if template[-1:] == (Var(Variable.QUERY, "&"),) and any(isinstance(part, str) and "?" in part for part in template):
        # rewrite module, "rewrite": the client's query follows a written one by itself.
        template, adds_query = template[:-1], True
    if any(isinstance(part, Capture) and part.pattern in context.of_paths for part in template) and not context.rewritten:
        # The replacement of a rewrite is decoded, and goes out percent-encoded again.
        if all(part.pattern == context.pattern and part.pattern not in context.by_name for part in template if isinstance(part, Capture)):
            pattern = context.texts[context.pattern]
        template = tuple(replace(part, escaped=False) if isinstance(part, Capture) else part for part in template)
    text, plain = context.template(template, step.span), context.template(before_encoding(template), step.span)
    if isinstance(text, Unwritable):
        return text
    if isinstance(plain, Unwritable):
        return plain
    if "$" in text and not adds_query and pattern == "^" and not any(isinstance(part, Capture) and part.pattern in context.of_paths for part in template):
        return [], text
    # An address without variables would get the rest of the path glued on: a rewrite replaces the whole.
    return [Node(["rewrite", quote(pattern), quote(plain if adds_query else f"{plain}?"), "break"], None, (step.span,) if step.span else ())], ""


# --- fields -----------------------------------------------------------------------------------------------------------

# By the field's name in small letters: its name, its value (None: it is not sent), and the operation that says so last.
Held = dict[str, tuple[str, Template | None, Field]]


def folded_fields(operations: tuple[Field, ...], context: Context) -> Held:
    """What the operations on a request's fields come to, field by field."""
    held: Held = {}
    source = context.site.client_from if context.site is not None else None
    # What was taken out of the field before is not part of it any more.
    taken = source.field.lower() if source is not None and source.consumes else ""
    for field in operations:
        name = field.name.lower()
        if name == UNDERSCORED:
            context.implied(field.span, "nginx drops such fields by itself")
            continue
        if name in _HOP_BY_HOP and context.estate.dialect != "nginx":
            context.implied(field.span, "fields of one connection (RFC 9110 section 7.6.1) are the proxy's own affair")
            continue
        if taken == "x-forwarded-for" == name and field.value == (Var(Variable.CLIENT_CHAIN),):
            field = replace(field, value=(Var(Variable.CLIENT),))
        if field.when is not None:
            before_it = held.get(name, ("", (Var(Variable.FIELD, field.name),), field))[1]
            table = by_condition(field, before_it or ()) if field.operation is Operation.SET else None
            if table is None:
                context.lost(field.span, field.name, "nginx has no condition on a single field", "give its value by a map")
                continue
            context.structure.update(span for span in walk(field.when) if isinstance(span, Span))
            field = replace(field, value=(table,), when=None)
        value = _folded(field, held.get(name, ("", (Var(Variable.FIELD, field.name),) if name != taken else (), field))[1], name in held or name == taken, context)
        if value is not False:
            if name in held and field.operation in (Operation.SET, Operation.REMOVE):
                context.idle.setdefault(held[name][2].span, "a later line sets the field anew")
            held[name] = (field.name, value, field)  # type: ignore[assignment]
    if source is not None and taken and taken not in held:
        held[taken] = source.field, None, Field(Side.REQUEST, Operation.REMOVE, source.field, span=source.span)
    return held


_ONE_FOR_ALL = "Each origin got its own address; nginx has one text for all of them."


def write_request_fields(step: Forward, before: tuple[Field, ...], context: Context) -> list[Node]:
    """What the origin gets, field by field."""
    held = folded_fields((*before, *step.fields), context)
    pool = context.estate.pool(step.pool)
    nodes: list[Node] = []
    if "host" not in held:
        nodes.append(Node(["proxy_set_header", "Host", "$http_host"]))
    for shown, value, field in held.values():
        spans = (field.span,) if field.span else ()
        if shown.lower() == "host" and value == (Var(Variable.POOL),):
            context.implied(field.span, "nginx sends the name of the origin by itself")
            continue
        if context.estate.dialect == "nginx" and field.span is None:
            continue
        asked = _member_named(value or (), pool)
        text = context.template(asked, field.span)
        if isinstance(text, Unwritable):
            context.lost(field.span, shown, f"its value needs {text.what}")
            continue
        named = value is not None and asked != value and pool is not None and len(pool.members) > 1
        if named and pool is not None and field.span is not None:
            code = NAMED_AS_FIRST if all(is_by_address(member.address) for member in pool.members) else NAMED_AS_ANOTHER
            context.note(field.span, Disposition.CHANGED, code, field=shown, member=text)
        why = (_ONE_FOR_ALL,) if named else ()
        nodes.append(Node(["proxy_set_header", shown, quote(text)], None, spans, (*field.comments, *why)))
    if context.estate.dialect != "nginx":
        nodes.insert(0, Node(["proxy_http_version", "1.1"]))
        if step.upgrades:
            nodes += [Node(["proxy_set_header", "Upgrade", "$http_upgrade"]), Node(["proxy_set_header", "Connection", str(context.template((_CONNECTION,), None))])]
        elif step.http_version == "1.1":
            nodes.append(Node(["proxy_set_header", "Connection", '""']))
    elif step.http_version == "1.1":
        nodes.insert(0, Node(["proxy_http_version", step.http_version]))
    return nodes


def _member_named(value: Template, pool: Pool | None) -> Template:
    """The member that is asked, by its address: nginx has no variable for it, so that all of several get the first one's."""
    if pool is None or not pool.members:
        return value
    first = next((member for member in pool.members if not member.down and not member.backup), pool.members[0])
    return tuple(first.address if part == Var(Variable.MEMBER) else part for part in value)


def _folded(field: Field, held: Template | None, was_set: bool, context: Context) -> Template | None | bool:
    """The value after one more operation; None: not sent; False: it could not be said."""
    match field.operation:
        case Operation.SET:
            return field.value or None
        case Operation.REMOVE:
            return None
        case Operation.DEFAULT:
            if was_set:
                return held or field.value
            return (Lookup(f"{_word(field.name)}_or_default", held or (), (LookupRow("", field.value),), held or (), span=field.span),)
        case Operation.ADD | Operation.APPEND | Operation.MERGE:
            if field.name.lower() == "x-forwarded-for" and field.value == (Var(Variable.CLIENT),) and not was_set:
                return (Var(Variable.CLIENT_CHAIN),)
            if was_set:
                return join(held, ", ", field.value) if held else field.value
            # A field that the client did not send begins with the value; the table sees to the comma.
            return (Lookup(f"{_word(field.name)}_and_more", held or (), (LookupRow("", field.value),), join(held or (), ", ", field.value), span=field.span),)
    context.lost(field.span, field.name, "nginx changes no part of a request field's value", "write the whole value with a map")
    return False


def _word(name: str) -> str:
    return re.sub(r"\W+", "_", name.lower())


def _response_field(field: Field, context: Context) -> list[Node]:
    spans = (field.span,) if field.span else ()
    name = field.name
    if field.operation is Operation.REMOVE:
        return [Node(["proxy_hide_header", name], None, spans, field.comments)]
    if name.lower() == "location" and field.operation is Operation.EDIT:
        return []  # told by _redirects
    if (cookies := write_edit(field, context)) is not None:
        return cookies
    if field.operation is Operation.EDIT:
        context.lost(field.span, name, "nginx changes no part of a field's value", "write the whole value with a map on $upstream_http_… and add_header")
        return []
    value = context.template(field.value, field.span)
    if isinstance(value, Unwritable):
        context.lost(field.span, name, f"its value needs {value.what}")
        return []
    hides = [Node(["proxy_hide_header", name], None, spans)] if field.operation is Operation.SET else []
    return [*hides, Node(["add_header", name, quote(value), "always"], None, spans, field.comments)]


def response_additions(step: Forward) -> bool:
    """Whether the origin's answer gets fields by lines that drop those of the levels above."""
    return any(field.operation not in (Operation.REMOVE, Operation.EDIT) for field in step.response_fields)


# --- redirects of the origin ------------------------------------------------------------------------------------------

def _redirects(step: Forward, url: str, prefix: str, context: Context) -> list[Node]:
    mappings = [*step.redirects, *(mapping for field in step.response_fields if (mapping := location_mapping(field)))]
    others = [field for field in step.response_fields if field.name.lower() == "location" and field.operation is Operation.EDIT and location_mapping(field) is None]
    if len(others) == 1 and (line := _by_pattern(others[0], mappings, context)) is not None:
        return [line]
    for field in others:
        context.lost(field.span, "Location", "the pattern that it is changed by is no beginning of a URL, or stands beside other mappings", "write a proxy_redirect with a pattern")
    own = (url, prefix) if url.count("/") > 2 and prefix else (f"{url}/", "/")
    nodes = []
    by_default = False
    for mapping in mappings:
        if mapping.when is not None:
            context.lost(mapping.span, "the mapping of redirects", "it holds for some of these paths only")
            continue
        before, after = context.template(mapping.prefix, mapping.span), context.template(mapping.replacement, mapping.span)
        if isinstance(before, Unwritable) or isinstance(after, Unwritable):
            context.lost(mapping.span, "the mapping of redirects", "it holds a value for which there is no variable")
            continue
        spans = (mapping.span,) if mapping.span else ()
        if (before, after) == own:
            by_default = True
            nodes.append(Node(["proxy_redirect", "default"], None, spans))
        else:
            nodes.append(Node(["proxy_redirect", quote(before), quote(after)], None, spans))
    if by_default and len(nodes) == 1 and not nodes[0].spans:
        return []
    return nodes or [Node(["proxy_redirect", "off"])]


def _by_pattern(field: Field, others: list[LocationMapping], context: Context) -> Node | None:
    """`proxy_redirect ~PATTERN REPLACEMENT`, which takes the place of the whole Location: what stands behind the match is one more group."""
    value = _with_groups(field.value, field.span, context)
    if others or field.find is None or value is None:
        return None
    text, groups = field.find.text.removeprefix("(?i)"), compiled(field.find).groups
    if not text.startswith("^") or re.search(r"(?<!\\)\|", text):
        return None
    ignores_case = field.find.ignores_case or text != field.find.text
    if not text.endswith("$") or text.endswith("\\$"):
        if groups >= 9:
            return None
        text, value = f"{text}(.*)$", f"{value}${groups + 1}"
    return Node(["proxy_redirect", quote(f"~{'*' if ignores_case else ''}{text}"), quote(value)], None, (field.span,) if field.span else (), field.comments)


def _with_groups(value: Template, span: Span | None, context: Context) -> str | None:
    """The value that an edit puts in, whose groups are written `$1` or `${1}`."""
    made = ""
    for part in value:
        pieces = re.split(r"\$(?:(\d)|\{(\d)\})", part) if isinstance(part, str) else [part]
        for number, piece in enumerate(pieces):
            if number % 3:
                made += f"${piece}" if piece else ""
                continue
            text = context.template((piece,) if piece else (), span)
            if isinstance(text, Unwritable):
                return None
            made += text
    return made


_REDIRECTS = frozenset({301, 302, 303, 307, 308})


def with_location_edits(chain: Chain) -> None:
    """What places say of the Location of an origin's answer as part of what passes requests on to it, in place."""
    for leaf in leaves(chain):
        if isinstance(leaf.answer, Forward):
            moved = tuple(field for field in leaf.settings.fields if field.name.lower() == "location" and field.operation is Operation.EDIT and not field.apart and field.when is None
                          and (field.statuses is None or field.statuses | field.also_of_origins >= _REDIRECTS))
            if moved:
                leaf.answer = replace(leaf.answer, response_fields=(*leaf.answer.response_fields, *moved))
                leaf.settings = replace(leaf.settings, fields=tuple(field for field in leaf.settings.fields if field not in moved))
