"""Caddy `reverse_proxy` -> Forward. Mirror: writer/forwards.py.

Source:   Caddy documentation, reverse_proxy (2.6.2, probed): the Host is kept, three X-Forwarded fields are set afresh
          unless the client is trusted, then header_up works on them; a member is chosen at random unless lb_policy says.
Left out: transports other than plain and TLS HTTP (named in `value-unread`).
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....model import AfterRewrite, AsReceived, Field, Forward, ForwardTarget, InPlace, Mapped, Operation, OriginTls, Rewrite, Side, Span, Step, Template, Unserved, Var, Variable, Written, literal
from .. import defaults, values
from ..syntax import Directive
from . import gateways
from .balancing import Balancing
from .context import Context, Level, Read
from .fields import read_operation
from .rewrites import read_rewrite

# Lines of `transport http` about connections alone.
_OF_CONNECTIONS = frozenset("""versions read_buffer write_buffer dial_fallback_delay expect_continue_timeout resolvers keepalive keepalive_interval keepalive_idle_conns
    keepalive_idle_conns_per_host max_conns_per_host""".split())


def read_reverse_proxy(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`reverse_proxy [matcher] ORIGIN… [{ … }]`."""
    addresses, balancing = list(words), Balancing()
    up: list[Field] = []
    down: list[Field] = []
    times: dict[str, float | None] = {}
    target: ForwardTarget = AsReceived()
    trusts = secure = False
    tls = OriginTls("all")
    raised: frozenset[int] = frozenset()
    raises: Span | None = None
    by_fastcgi: Directive | None = None
    in_place: list[InPlace] = []
    status: int | None = None
    method = ""
    for inner in directive.block or []:
        match inner.name:
            case "to":
                addresses += inner.args
            case "header_up" | "header_down":
                side = Side.REQUEST if inner.name == "header_up" else Side.RESPONSE
                made = read_operation(inner.args, side, directive, context)
                if made:
                    (up if side is Side.REQUEST else down).append(made)
            case "trusted_proxies":
                trusts = "0.0.0.0/0" in inner.args
                if not trusts:
                    context.unread(directive, " ".join(inner.args), "0.0.0.0/0 ::/0 was expected; trust in some networks is not read")
            case "rewrite" if inner.args:
                target = _target(context.template(inner.args[0], directive), read_rewrite(inner, inner.args, level, context))
            case "transport" if inner.args[:1] == ["fastcgi"]:
                by_fastcgi = inner
            case "transport":
                tls, asked = _read_transport(inner, times, directive, context)
                secure = asked or secure
            case "replace_status" if len(inner.args) == 1 and (inner.args[0] in values.OF_ERROR or inner.args[0].isdigit()):
                status = int(inner.args[0]) if inner.args[0].isdigit() else 0
            case "method" if len(inner.args) == 1 and inner.args[0].isalpha():
                method = inner.args[0].upper()
            case "handle_response" if not inner.block:
                pass  # reverseproxy.go (2.6.2, probed): without routes it is passed over
            case "handle_response" if context.asks_first and (refusal := _refusal(inner, directive.block or [], level, context)) is not None:
                in_place.append(refusal)
            case name if name.startswith("@") and context.asks_first:
                pass
            case "handle_response" if (codes := _raised(inner, directive.block or [])) is not None:
                context.use((inner.block or [])[0])
                raised |= codes
                raises = raises or inner.span
            case "handle_response" if (codes := _statuses(inner, directive.block or [])) is not None and (made_of := _in_place(inner, level, context)) is not None:
                in_place.append(InPlace(codes or None, made_of, inner.span))
            case name if name.startswith("@") and any(item.name == "handle_response" and item.args == [name] for item in directive.block or []):
                pass  # told with the block that it is for
            case _ if not balancing.takes(inner, directive, context):
                context.unread(directive, " ".join(word.raw for word in inner.words), "a setting of reverse_proxy that the model knows was expected")
    if method in ("GET", "HEAD"):
        # reverseproxy.go (2.6.2, probed): content does not go along with such a method.
        up.append(Field(Side.REQUEST, Operation.REMOVE, "Content-Length"))
    secure = secure or any(address.startswith("https://") for address in addresses)
    by_h2 = "h2" in times or any(address.startswith("h2c://") for address in addresses)
    other = next((found[1] for address in addresses if (found := re.match(r"(\w+)://", address)) and found[1] not in ("http", "https", "h2c")), "")
    if other:
        context.unread(directive, f"{other}://", "http://, https:// or h2c:// was expected; origins that speak something else are not read")
        return (Unserved(directive.span.directive, directive.span),)
    pool = balancing.pool(addresses, secure, directive, context)
    if not context.pools[pool].members or any(re.search(r"\s", address) for address in addresses):
        return (Unserved(directive.span.directive, directive.span),)  # none that is read: what it answers is not known
    if by_fastcgi is not None:
        gateway = gateways.read_transport(by_fastcgi, pool, directive, level, context)
        return (replace(gateway, fields=(*gateway.fields, *up), response_fields=tuple(down), intercepts_errors=bool(raised), intercepts_all=True, intercepted=raised or None, intercepts_span=raises, sends_status=status, method=method, retry=balancing.retry()),)
    forwarded = list(defaults.FORWARDED_FIELDS)
    if trusts:
        forwarded[0] = defaults.TRUSTED_CHAIN
    return (Forward(
        pool=pool, protocol="h2c" if by_h2 else "http", secure=secure, tls=tls if secure else OriginTls(), target=target, fields=(*forwarded, *up), response_fields=tuple(down),
        connect_seconds=times.get("dial_timeout"), read_seconds=min(filter(None, (times.get("read_timeout"), times.get("response_header_timeout"))), default=None), send_seconds=times.get("write_timeout"),
        intercepts_errors=bool(raised), intercepts_all=True, intercepted=raised or None, intercepts_span=raises, in_place=tuple(in_place), sends_status=status, method=method, method_span=directive.span if method else None,
        retry=balancing.retry(), upgrades=True, asks_gzip=times.get("compression") is None, span=directive.span, comments=directive.comments,
    ),)


def _raised(inner: Directive, lines: list[Directive]) -> frozenset[int] | None:
    """The statuses of an origin that a `handle_response` raises again as errors of Caddy's own; None for one that does anything else."""
    block = inner.block or []
    if len(block) != 1 or block[0].name != "error" or block[0].args[-1:] not in (["{rp.status_code}"], ["{http.reverse_proxy.status_code}"]) or len(block[0].args) != 2:
        return None
    # error.go (2.6.2, probed): a single word that is no number would be a message, with the status 500.
    codes = _statuses(inner, lines)
    return codes if codes and min(codes) >= 400 else None


def _statuses(inner: Directive, lines: list[Directive]) -> frozenset[int] | None:
    """The statuses that a `handle_response` is for, none: all; None where it asks for something else."""
    if not inner.args:
        return frozenset()
    asked = next((line for line in lines if line.name == inner.args[0]), None) if len(inner.args) == 1 else None
    words = asked.args if asked is not None else []
    block = [line.words for line in asked.block or []] if asked is not None else []
    if not words and len(block) == 1:
        words = [word.text for word in block[0]]
    return _codes(words)


def _codes(words: list[str]) -> frozenset[int] | None:
    """What `status 401 4xx` names."""
    if words[:1] != ["status"] or not words[1:] or not all(re.fullmatch(r"[1-5](\d\d|xx)", word) for word in words[1:]):
        return None
    codes: set[int] = set()
    for word in words[1:]:
        codes |= set(range(int(word[0]) * 100, int(word[0]) * 100 + 100)) if word.endswith("xx") else {int(word)}
    return frozenset(codes)


def _refusal(inner: Directive, lines: list[Directive], level: Level, context: Context) -> InPlace | None:
    """What an answer of who is asked first comes to: of some statuses, and perhaps with a field."""
    asked = next((line for line in lines if inner.args[:1] == [line.name]), None)
    inside = [[word.text for word in line.words] for line in asked.block or []] if asked is not None else []
    fields = [words[1] for words in inside if words[0] == "header" and words[2:] in (["*"], [])]
    others = [words for words in inside if words[0] != "header"]
    if asked is None or len(fields) != 1 or len(others) != 1 or len(inside) != 2:
        codes, field = _statuses(inner, lines), ""
    else:
        codes, field = _codes(others[0]), fields[0]
    if codes is None or not inner.block:
        return None
    assert context.read_level is not None
    return InPlace(codes or None, context.read_level(level.below(inner), context), inner.span, field)


def _in_place(inner: Directive, level: Level, context: Context) -> tuple[Step, ...] | None:
    """What stands in a `handle_response`; None where it makes use of what the origin answered. Fields that are copied from it are told of, and left out."""
    if any(item.name == "copy_response" or "{rp." in word.spelt or "{http.reverse_proxy." in word.spelt for top in inner.block or [] for item in top.walk() for word in item.words):
        return None
    assert context.read_level is not None
    return context.read_level(level.below(inner), context)


# What Go's net/url leaves as it is when it encodes a path: all else in the new path is encoded, percent signs, too (2.6.2, probed).
_PLAIN = re.compile(r"[A-Za-z0-9$&+,/:;=@._~-]*")


def _target(template: Template, steps: tuple[Step, ...]) -> ForwardTarget:
    """`rewrite /v1{uri}`: the placeholder at the end is the current path and query; else just what is written."""
    if template and template[-1] == Var(Variable.TARGET_NOW) and all(not isinstance(part, str) or _PLAIN.fullmatch(part) for part in template):
        return Mapped("", template[:-1], cuts_at_mark=True)
    # rewrite.go: a question mark in the new target replaces the query, even if nothing follows it; else the query stays.
    written = literal(template)
    if written is not None and "%" not in written:
        return Written((written.removesuffix("?"),), adds_query="?" not in written)
    return AfterRewrite(steps[0]) if steps and isinstance(steps[0], Rewrite) else AsReceived()


def _read_transport(inner: Directive, times: dict[str, float | None], directive: Directive, context: Context) -> tuple[OriginTls, bool]:
    tls = OriginTls("all", span=directive.span)
    if inner.args[:1] != ["http"]:
        context.unread(directive, inner.span.directive, "transport http was expected")
        return tls, False
    secure = False
    for line in inner.block or []:
        if line.name in ("dial_timeout", "read_timeout", "write_timeout", "response_header_timeout") and line.args:
            times[line.name] = values.read_duration_or_open(line.args[0])
        elif line.name == "compression":
            times["compression"] = 0.0 if line.args == ["off"] else None
        elif line.name == "versions" and ("h2c" in line.args or line.args == ["2"]):
            times["h2"] = None
        elif line.name in _OF_CONNECTIONS:
            pass
        elif line.name.startswith("tls"):
            secure = True
            if line.name == "tls_insecure_skip_verify":
                tls = replace(tls, checks="nothing")
            elif line.name == "tls_trusted_ca_certs" and len(line.args) == 1:
                tls = replace(tls, trusted=line.args[0])
            elif line.name == "tls_server_name" and line.args:
                tls = replace(tls, name=line.args[0])
            elif line.args:
                context.unread(directive, " ".join(word.raw for word in line.words), "a setting of TLS to the origin that the model knows was expected")
        else:
            context.unread(directive, " ".join(word.raw for word in line.words), "a setting of how an origin is spoken to that the model knows was expected")
    return tls, secure


READS: dict[str, Read] = {"reverse_proxy": read_reverse_proxy}
