"""nginx `proxy_*` -> Forward.

Source:   nginx manual, proxy module; ngx_http_proxy_create_request for which form of the path goes out.
Rule:     without a path in the URL the raw target goes out; with one, that path and the escaped rest of the decoded
          path; with variables and a path, just that text (probed on 1.22.1).
"""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from ....model import (
    SYSTEM_TRUST, AsReceived, Capture, CookieFlags, CookieMapping, Field, Forward, ForwardTarget, LocationMapping, Mapped, Member, Operation, OriginTls, Pattern, Placeholder, Pool, Side, Template, Var, Variable, Written, join, literal,
)
from .. import defaults
from ..syntax import Directive
from . import redirect_names
from .caches import read_cache
from .context import Context, Scope
from .interception import intercepts
from .pools import read_retry

# Some variables bring the slash that ends the authority.
URL = re.compile(r"(https?)://([^/?]*?)((?:[/?]|\$(?:request_uri|uri|document_uri)\b|\$\{(?:request_uri|uri|document_uri)\}).*)?", re.DOTALL | re.IGNORECASE)


# The path of a socket ends at a colon, or with the URL.
SOCKET = re.compile(r"(https?)://(unix:[^:?$]+)(?::(.*))?", re.DOTALL | re.IGNORECASE)
_LOCAL: Template = ("localhost",)


def read_forward(directive: Directive, scope: Scope, prefix: str | None, context: Context, url: str = "") -> Forward | None:
    """The `proxy_pass` of a scope -> Forward. `prefix` is the location's own text, None in a pattern or named one; url: what it comes to with its variable."""
    context.use(directive)
    varies, written = bool(url), url or directive.args[0]
    found = SOCKET.fullmatch(written) or URL.fullmatch(written)
    if not found:
        context.unread(directive, written, "http:// or https:// and an origin were expected (a variable may not hold the whole URL)")
        return None
    scheme, authority, path = found[1].lower(), found[2], found[3] or ""
    if any(not isinstance(part, str | Placeholder) for part in context.template(authority, directive)):
        context.unread(directive, directive.args[0], "an origin that does not depend on the request was expected")
        return None
    pool = pool_of(authority, scheme, directive, context)
    target = Written(context.template(path, directive)) if varies and path else _target(path, prefix, directive, context)
    if prefix is None and path and "$" not in path and not varies:
        # proxy module, proxy_pass: the server refuses a path where there is no location's text that it could replace.
        context.unread(directive, directive.args[0], "an origin without a path was expected in a location by pattern or name, or in an if")
    has_variables = varies or literal(context.template(authority + path, directive)) is None
    http_version = context.used(scope, "proxy_http_version")
    buffering = context.switch(scope, "proxy_buffering", True)
    set_fields, drops = request_fields(scope, context, authority=authority)
    version = http_version.args[0] if http_version else "1.0"
    return Forward(
        pool=pool, secure=scheme == "https", tls=_read_tls(scope, context) if scheme == "https" else OriginTls(), target=target, fields=(*set_fields, *drops),
        response_fields=tuple(
            Field(Side.RESPONSE, Operation.REMOVE, hidden.args[0], span=context.use(hidden).span)
            for hidden in scope.inherited("proxy_hide_header")
        ) + _mapped_by_pattern(scope, context),
        redirects=_mappings(scope, scheme, authority, path, prefix, has_variables, directive, context),
        cookies=read_cookies(scope, context),
        **intercepts(scope, "proxy_intercept_errors", context),
        **_method(scope, context),
        connect_seconds=context.seconds(scope, "proxy_connect_timeout"),
        read_seconds=context.seconds(scope, "proxy_read_timeout"),
        send_seconds=context.seconds(scope, "proxy_send_timeout"),
        retry=read_retry(scope, "proxy", context), cache=read_cache(scope, "proxy", context),
        buffers=buffering, upgrades=_upgrades(set_fields, version), http_version=version,
        span=directive.span, comments=directive.comments,
    )


def _method(scope: Scope, context: Context) -> dict[str, Any]:
    line = context.used(scope, "proxy_method")
    if line is None:
        return {}
    if not line.args[0].isalpha():
        context.unread(line, line.args[0], "a method by its name was expected")
        return {}
    return {"method": line.args[0].upper(), "method_span": line.span}


def _read_tls(scope: Scope, context: Context) -> OriginTls:
    """What is checked of the origin's certificate: nothing, unless `proxy_ssl_verify on` is written."""
    lines = {name: context.used(scope, f"proxy_ssl_{name}") for name in ("verify", "trusted_certificate", "name", "server_name")}
    verify = lines["verify"]
    name = lines["name"].args[0] if lines["name"] else ""
    if "$" in name and name != "$proxy_host":
        context.unread(lines["name"], name, "a name that does not depend on the request was expected")  # type: ignore[arg-type]
        name = ""
    spans = tuple(line.span for line in lines.values() if line)
    trusted = lines["trusted_certificate"].args[0] if lines["trusted_certificate"] else ""
    trusted = "" if trusted in SYSTEM_TRUST else trusted
    return OriginTls("all" if verify and verify.args == ["on"] else "nothing", trusted, name if name != "$proxy_host" else "", spans[0] if spans else None, spans[1:])


_ATTRIBUTES = {"proxy_cookie_path": "path", "proxy_cookie_domain": "domain"}


def read_cookies(scope: Scope, context: Context) -> tuple[CookieMapping | CookieFlags, ...]:
    """`proxy_cookie_path`, `_domain` and `_flags` of a scope. A line at a level hides those of its name above, `off` all of them."""
    made: list[CookieMapping | CookieFlags] = []
    for name, attribute in _ATTRIBUTES.items():
        for item in scope.inherited(name):
            context.use(item)
            if item.args == ["off"]:
                continue
            before, after = item.args
            tried = before.startswith("~")
            # proxy module: of paths `~` minds case and `~*` does not; a domain's pattern has but `~`, and no case.
            caseless = attribute == "domain" or before.startswith("~*")
            text = before[1:] if attribute == "domain" else before[1:].removeprefix("*")
            value = context.pattern(text, item, ignores_case=caseless) if tried else context.template(before, item)
            replacement = context.template(after, item)
            if isinstance(value, Pattern):
                # Its groups are its own: those of a location, or of a name, are other ones.
                value = replace(value, label=f"cookie {item.span.file}:{item.span.line}:{item.span.column}")
                replacement = tuple(replace(part, pattern=value.label) if isinstance(part, Capture) and not part.pattern else part for part in replacement)
            made.append(CookieMapping(attribute, value, replacement, span=item.span))
    for item in scope.inherited("proxy_cookie_flags"):
        context.use(item)
        if item.args == ["off"]:
            continue
        name, *flags = item.args
        if any("$" in word for word in item.args):
            context.unread(item, " ".join(item.args), "names and flags without variables were expected")
            continue
        pattern = context.pattern(name[1:].removeprefix("*"), item, ignores_case=True) if name.startswith("~") and len(name) > 1 else None
        made.append(CookieFlags(tuple(flag.lower() for flag in flags), None if name == "~" else pattern or name, item.span))
    return tuple(made)


def pool_of(authority: str, scheme: str, directive: Directive, context: Context) -> str:
    """The name of the pool that a line asks: its upstream, or the address that it names."""
    if authority not in context.pools:
        full = authority
        if not authority.startswith("unix:") and ":" not in re.sub(r"\{\{.*?\}\}|\$\{\w+\}", "", authority).rpartition("]")[2]:
            full = f"{authority}:{443 if scheme == 'https' else 80}"
        context.pools[authority] = Pool(authority, (Member(full, span=directive.span),), inline=True, span=directive.span)
    return authority


def _target(path: str, prefix: str | None, directive: Directive, context: Context) -> ForwardTarget:
    if not path:
        return AsReceived()
    template = context.template(path, directive)
    if literal(template) is None:
        return Written(template)
    return Mapped(prefix if prefix is not None else "", template)


def request_fields(scope: Scope, context: Context, line: str = "proxy_set_header", authority: str = "") -> tuple[list[Field], list[Field]]:
    """The fields sent to the origin, nginx's own included; one `proxy_set_header`, or its like, at a level hides all above."""
    made: list[Field] = []
    for directive in scope.inherited(line):
        context.use(directive)
        value = context.template(directive.args[1], directive)
        # proxy module: a field whose value is empty is not passed at all.
        if value == (Var(Variable.POOL),) and authority.startswith("unix:"):
            value = _LOCAL
        operation = Operation.SET if value else Operation.REMOVE
        made.append(Field(Side.REQUEST, operation, directive.args[0], value, span=directive.span, comments=directive.comments))
    written = {field.name.lower() for field in made}
    own = _LOCAL if authority.startswith("unix:") else (Var(Variable.POOL),)  # ngx_http_proxy_set_vars
    silent = [replace(field, value=own) if field.name == "Host" else field for field in defaults.PROXY_FIELDS if field.name.lower() not in written]
    drops = [Field(Side.REQUEST, Operation.REMOVE, name) for name in defaults.PROXY_DROPS if name.lower() not in written]
    return [*made, *silent], drops


def _upgrades(fields: list[Field], version: str) -> bool:
    names = {field.name.lower() for field in fields if field.operation is Operation.SET and field.span}
    return version == "1.1" and "upgrade" in names and "connection" in names


def _mappings(scope: Scope, scheme: str, authority: str, path: str, prefix: str | None, variables: bool,
              directive: Directive, context: Context) -> tuple[LocationMapping, ...]:
    written = [context.use(item) for item in scope.inherited("proxy_redirect")]
    if not written:
        above = _mapped_above(scope, context)
        if above is None and (variables or authority.startswith("unix:")):
            return ()
        mapping = above if above is not None else _default_mapping(scheme, authority, path, prefix, None, directive, context)
        return (replace(mapping, replacement=_sent(mapping.replacement, scope, context)),)
    made = []
    for item in written:
        if item.args == ["default"] and authority.startswith("unix:"):
            continue  # no origin calls itself by the path of its socket
        if item.args == ["default"]:
            made.append(_default_mapping(scheme, authority, path, prefix, item, directive, context))
        elif item.args != ["off"]:
            if item.args[0].startswith("~"):
                if len(written) > 1:
                    context.unread(item, item.args[0], "a mapping by pattern was expected to stand alone: beside others the first that holds counts")
                continue
            made.append(LocationMapping(context.template(item.args[0], item), context.template(item.args[-1], item), item.span))
    return tuple(replace(mapping, replacement=_sent(mapping.replacement, scope, context)) for mapping in made)


def _sent(location: Template, scope: Scope, context: Context) -> Template:
    """ngx_http_upstream_rewrite_location (1.22.1, probed): what was mapped to a path is a redirect of the server's own, with its name and port in front."""
    front = redirect_names.absolute(scope, context)
    is_path = bool(location) and isinstance(location[0], str) and location[0].startswith("/")
    return join(front, location) if isinstance(front, tuple) and is_path else location


def _mapped_by_pattern(scope: Scope, context: Context) -> tuple[Field, ...]:
    """`proxy_redirect ~PATTERN REPLACEMENT`, alone: the whole Location gives way to the replacement (ngx_http_proxy_rewrite_regex)."""
    written = scope.inherited("proxy_redirect")
    if len(written) != 1 or not written[0].args[0].startswith("~") or len(written[0].args) != 2:
        return ()
    item = context.use(written[0])
    text = item.args[0][1:].removeprefix("*")
    whole = text if text.startswith("^") and text.endswith("$") and "|" not in text else f"^(?:{text[1:] if text.startswith('^') else f'.*?(?:{text})'}).*$" if "|" not in text else f"^.*?(?:{text}).*$"
    pieces = re.split(r"\$([1-9])", item.args[1])
    value: Template = ()
    for number, piece in enumerate(pieces):
        # Written so that letters and digits behind it are no part of the group's name.
        group = f"${{{piece}}}" if re.match(r"\w", pieces[number + 1] if number % 2 else "") else f"${piece}"
        value = join(value, group) if number % 2 else join(value, *context.template(piece, item))
    value = _sent(value, scope, context)
    pattern = context.pattern(whole, item, ignores_case=item.args[0].startswith("~*"))
    return (Field(Side.RESPONSE, Operation.EDIT, "Location", value, find=pattern, span=item.span, comments=item.comments),)


def _mapped_above(scope: Scope, context: Context) -> LocationMapping | None:
    """What a place around it maps by default: ngx_http_proxy_merge_loc_conf makes that where the outermost proxy_pass stands, and hands it down (1.22.1, probed)."""
    found, at = None, scope.parent
    while at is not None and at.kind in ("location", "if"):
        for line in at.own("proxy_pass")[-1:]:
            url = URL.fullmatch(line.args[0]) if line.args else None
            if url and literal(context.template(line.args[0], line)) is not None:
                found = _default_mapping(url[1].lower(), url[2], url[3] or "", at.prefix, None, line, context)
        at = at.parent
    return found


def _default_mapping(scheme: str, authority: str, path: str, prefix: str | None, item: Directive | None, directive: Directive, context: Context) -> LocationMapping:
    # ngx_http_proxy_module, merge: without a path the whole origin is mapped to "/", else the path to the location.
    span = item.span if item else None
    if path and prefix is not None:
        return LocationMapping(context.template(f"{scheme}://{authority}{path}", directive), (prefix,), span)
    return LocationMapping(context.template(f"{scheme}://{authority}/", directive), ("/",), span)
