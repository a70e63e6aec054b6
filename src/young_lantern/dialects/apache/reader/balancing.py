"""httpd `<Proxy balancer://…>`, BalancerMember, ProxySet -> pools, and when another member is asked. Mirror: ../writer/balancing.py.

Source:   Apache HTTP Server manual, mod_proxy, "BalancerMember", "Balancer parameters"; mod_proxy_balancer, mod_proxy_hcheck; probed (2.4.71).
Rule:     a member that cannot be reached is left alone for `retry` seconds, 60 unless they are written, and another one is asked, whatever the method;
          one that breaks off or is late is not asked for by another. A cookie keeps clients by what stands behind its last dot, the member's route.
Rule:     balancers are a virtual host's own, or the main server's, which all have.
Left out: failonstatus, failontimeout and how health checks judge, which are told; sizes and growth of what the server itself needs.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from ....codes import SETTING_LOST, WITHOUT_EFFECT
from ....model import HealthCheck, Member, Pool, Retry, Sticky
from ....model.placeholders import is_open
from .. import values
from . import gateways
from .context import Context, Node

_PORTS = {"fcgi": 8000, "http": 80, "https": 443, "h2c": 80, "h2": 443, **gateways.PORTS}
_MEMBER = re.compile(r"(?:(unix:[^|]+)\|(?=https?|h2c?|fcgi|uwsgi|scgi))?(https?|h2c?|fcgi|uwsgi|scgi)://([^/?]*)(.*)", re.IGNORECASE)
_METHODS = {"byrequests": "round_robin", "bytraffic": "by_traffic", "bybusyness": "least_connections"}
# What a worker's `upgrade=` lets a client change to a WebSocket by.
UPGRADES = ("websocket", "any")
_ROUTE = re.compile(r"([^=;\s]+)=\.?%\{BALANCER_WORKER_ROUTE\}e")
_LOST = {
    "failonstatus": "a member that answers so is left alone; that is not read",
    "failontimeout": "a member that is late is left alone; that is not read",
    "nofailover": "clients that are kept are not led to another member; that is not read",
    "hcmethod": "members are asked for a target by GET; other questions for their health are not read, and HEAD is taken for GET",
    "hcexpr": "how the answer to a health check is judged is not read: a status below 400 is well",
    "hcpasses": "how often a member must be well is not read: once", "hcfails": "how often a member must be unwell is not read: once",
}


_NUMBERS = frozenset({"loadfactor", "retry", "lbset", "status"})

# What says nothing, or is read.
_IDLE = {"hcmethod": ("none", "get")}


@dataclass(slots=True)
class Said:
    """What one server says of a balancer. settings: nodes with the words `name=value` alone, in file order."""

    members: list[Node] = field(default_factory=list)
    settings: list[Node] = field(default_factory=list)
    section: Node | None = None


@dataclass(slots=True)
class Balancers:
    """What one server says of all balancers, by their URL. sent: the lines that send a cookie to keep clients by, by its name."""

    said: dict[str, Said] = field(default_factory=dict)
    sent: dict[str, Node] = field(default_factory=dict)


def read_balancers(nodes: list[Node], main: Balancers, context: Context) -> Balancers:
    """What a server says of balancers: `<Proxy balancer://name>`, BalancerMember and ProxySet lines outside of it, words behind the URL in
    ProxyPass, wherever it stands -> context.balancers, and pools. main: what the main server says of them; nothing for that itself.

    mod_proxy.c, merge_proxy_config (2.4.71, probed): a virtual host does not see another one's balancers. Those of the main server it has with their
    members, to which it can add none, and sets for itself what it sets.
    """
    found = Balancers(sent=_cookies_sent(nodes))
    _collect(nodes, found.said, context)
    context.balancers = {}
    for name in dict.fromkeys((*found.said, *main.said)):
        said, above = found.said.get(name, Said()), main.said.get(name, Said())
        if above.members:
            for line in said.members:
                context.say(WITHOUT_EFFECT, line.span, directive=line.span.directive)
        members = above.members or said.members
        if members or said.section is not None or above.section is not None:
            _read(name, members, [*above.settings, *said.settings], said.section or above.section, {**main.sent, **found.sent}, context)
    return found


def _collect(nodes: list[Node], found: dict[str, Said], context: Context) -> None:
    for node in nodes:
        first = node.args[0].lower().rstrip("/") if node.args else ""
        if node.name == "<virtualhost":
            continue
        if node.name == "<proxy" and first.startswith("balancer://"):
            said = found.setdefault(first, Said())
            said.section = said.section or context.use(node)
            said.members += context.take(node.block or [], "balancermember")
            said.settings += context.take(node.block or [], "proxyset")
        elif node.name == "<proxy" and node.args and (own := _timeout(context.take(node.block or [], "proxyset"))):
            # mod_proxy: a worker that is made by its section has what the section sets, whoever asks it.
            context.use(node)
            context.waits[gateways.worker(node.args[0])] = own
        elif node.name in ("balancermember", "proxyset") and first.startswith("balancer://"):
            said = found.setdefault(first, Said())
            (said.members if node.name == "balancermember" else said.settings).append(replace(context.use(node), args=node.args[1:]))
        elif node.name in ("proxypass", "proxypassmatch") and (url := next((word for word in node.args[:2] if word.lower().startswith("balancer://")), "")):
            # mod_proxy.c, add_pass: what is said behind the URL of a balancer is said of the balancer.
            name = re.sub(r"^(balancer://[^/]*).*", r"\1", url.lower())
            found.setdefault(name, Said()).settings.append(replace(node, args=[word for word in node.args if "=" in word and "://" not in word]))
        elif node.block:
            _collect(node.block, found, context)


def _read(name: str, lines: list[Node], said: list[Node], section: Node | None, sent: dict[str, Node], context: Context) -> None:
    """One balancer of one server -> a pool, shared with the servers that say the same of it."""
    pairs = {word.partition("=")[0].lower(): (word.partition("=")[2], node) for node in said for word in node.args}
    values_of = {key: value for key, (value, _) in pairs.items()}
    line_of = {key: node for key, (_, node) in pairs.items()}
    lines = [line for line in lines if line.args]
    made = _by_sets(tuple(_member(line, context) for line in lines), lines, context)
    cookie = re.split(r"[|]", values_of.get("stickysession", ""))[0]
    own = sent.get(cookie) if cookie and len(made) > 1 else None
    if own is not None:
        _read_cookie(context.use(own), context)
        context.routes_sent.add(own.span)
    first = line_of.get("lbmethod") or next((node for node in said if node.name == "proxyset"), None)
    _tell(said, context)
    sticky = Sticky(cookie, own is not None, (own or line_of["stickysession"]).span) if cookie and len(made) > 1 else None
    method = values_of.get("lbmethod", "byrequests")
    pool = Pool(
        name, made, _METHODS.get(method, method), policy_span=first.span if first is not None else None, sticky=sticky, health=_health(lines),
        span=section.span if section is not None else lines[0].span if lines else None, comments=section.comments if section is not None else (),
    )
    attempts = values_of.get("maxattempts", "")
    if is_open(attempts):
        context.blame(SETTING_LOST, line_of["maxattempts"].span, setting=f"maxattempts={attempts}", directive=line_of["maxattempts"].span.directive.split()[0], reason="it is left to deployment; all others are taken")
    retry = Retry(unreachable=True, more=int(attempts) if attempts.isdigit() else None, also=(line_of["maxattempts"].span,) if attempts else ())
    protocol = " and ".join(dict.fromkeys(line.args[0].partition("://")[0].rpartition("|")[2].lower() for line in lines)) or "http"
    upgrades = bool(lines) and all(any(word.lower().partition("=")[::2] in {("upgrade", kind) for kind in UPGRADES} for word in line.args) for line in lines)
    wait = _timeout(lines)
    key, number = name, 2
    while key in context.pools and (_alike(context.pools[key]), context.retries[key].more, context.protocols[key], context.waits.get(key, ""), key in context.upgrading) != (_alike(pool), retry.more, protocol, wait, upgrades):
        key, number = f"{name} ({number})", number + 1
    context.balancers[name] = key
    if key in context.pools:
        return
    context.pools[key], context.retries[key], context.protocols[key] = replace(pool, name=key), retry, protocol
    if wait:
        context.waits[key] = wait
    if upgrades:
        context.upgrading.add(key)


def _alike(pool: Pool) -> Pool:
    """A pool without its name, and without what tells where it was written."""
    members = tuple(replace(member, span=None) for member in pool.members)
    sticky, health = (replace(item, span=None) if item is not None else None for item in (pool.sticky, pool.health))
    return replace(pool, name="", members=members, policy_span=None, sticky=sticky, health=health, span=None, comments=())


def _cookies_sent(nodes: list[Node]) -> dict[str, Node]:
    """The lines that send a cookie by which clients are kept: `Header add Set-Cookie "NAME=.%{BALANCER_WORKER_ROUTE}e; path=/" env=BALANCER_ROUTE_CHANGED`."""
    found: dict[str, Node] = {}
    for node in nodes:
        if node.name == "header" and "set-cookie" in (word.lower() for word in node.args) and (made := next((match for word in node.args if (match := _ROUTE.match(word))), None)):
            found[made[1]] = node
        if node.name != "<virtualhost":
            found |= _cookies_sent(node.block or [])
    return found


def _read_cookie(node: Node, context: Context) -> None:
    """Tells of what a cookie that keeps clients has besides its value: other servers send their own."""
    value = next(word for word in node.args if _ROUTE.match(word))
    for attribute in (part.strip() for part in value.split(";")[1:]):
        if attribute and attribute.replace(" ", "").lower() != "path=/":
            context.blame(SETTING_LOST, node.span, setting=attribute, directive=node.span.directive.split()[0], reason="each server sends a cookie of its own form to keep clients; what this one says besides is not read")


def _tell(lines: list[Node], context: Context) -> None:
    for node in lines:
        for word in node.args:
            name, _, value = word.partition("=")
            if name.lower() in _LOST and value.lower() not in _IDLE.get(name.lower(), ("off", "")):
                context.blame(SETTING_LOST, node.span, setting=word, directive=node.span.directive.split()[0], reason=_LOST[name.lower()])


def _by_sets(members: tuple[Member, ...], lines: list[Node], context: Context) -> tuple[Member, ...]:
    """`lbset`: members of a higher set are asked when all of the lower ones fail (2.4.71, probed)."""
    sets = [_pairs(line.args[1:]).get("lbset", "0") for line in lines]
    numbers = sorted({int(number) for number, member in zip(sets, members, strict=True) if number.isdigit() and not member.down})
    if len(numbers) > 2:
        context.blame(SETTING_LOST, lines[-1].span, setting="lbset", directive="BalancerMember", reason="members are asked, or are there for when all those fail; a third set is taken for one of the second")
    return tuple(replace(member, backup=member.backup or number.isdigit() and bool(numbers) and int(number) > numbers[0]) for member, number in zip(members, sets, strict=True))


def _pairs(words: list[str]) -> dict[str, str]:
    return {word.partition("=")[0].lower(): word.partition("=")[2] for word in words}


def _health(lines: list[Node]) -> HealthCheck | None:
    """mod_proxy_hcheck: `hcmethod=GET hcuri=/health hcinterval=10` of the members."""
    for line in lines:
        pairs = _pairs(line.args[1:])
        if pairs.get("hcmethod", "").upper() in ("GET", "HEAD"):
            return HealthCheck(pairs.get("hcuri", "/") or "/", values.read_seconds(pairs.get("hcinterval", "")) or 30.0, line.span)
    return None


def _timeout(lines: list[Node]) -> str:
    """The longest `timeout=` of some lines; "" where none has one."""
    found = [word.partition("=")[2] for line in lines for word in line.args if word.lower().startswith("timeout=")]
    return max(found, key=lambda text: values.read_seconds(text) or 0, default="")


def _member(node: Node, context: Context) -> Member:
    url, *options = node.args
    found = _MEMBER.fullmatch(url)
    if not found:
        context.value(node, url, "http:// or https:// and an origin were expected; ajp:// and others are not read")
    authority = found[3] if found else url.partition("://")[2]
    if found and found[1]:
        authority = found[1]
    bare = re.sub(r"\{\{.*?\}\}|\$\{\w+\}", "", authority).rpartition("]")[2]
    pairs = _pairs(options)
    _tell([replace(node, args=options)], context)
    status = _status(pairs.get("status", ""))
    if "N" in status:
        context.blame(SETTING_LOST, node.span, setting=f"status={pairs['status']}", directive=node.span.directive.split()[0], reason="clients that are kept there still come to such a member, and no others; here none do")
    weight = pairs.get("loadfactor", "1")
    rest = values.read_seconds_or_open(pairs.get("retry", ""))
    for name, value in pairs.items():
        if name in _NUMBERS and is_open(value) and (name != "retry" or rest is None):
            context.blame(SETTING_LOST, node.span, setting=f"{name}={value}", directive=node.span.directive.split()[0], reason="it is left to deployment; what httpd does without it is taken")
    return Member(
        authority if ":" in bare else f"{authority}:{_PORTS[found[2].lower()] if found else 80}", weight=int(float(weight)) if re.fullmatch(r"\d+(\.\d+)?", weight) and float(weight) >= 1 else 1,
        backup=bool(status & {"H", "R"}), down=bool(status & {"D", "S", "C", "N"}), fail_seconds=0.0 if "I" in status else 60.0 if rest is None else rest, route=pairs.get("route", ""), span=node.span,
    )


def _status(text: str) -> set[str]:
    """`status=+H-D`: the letters that are set (proxy_util.c, ap_proxy_set_wstatus). R, a spare for each that is away, is one for when all are; S, C and D are asked by nobody."""
    held: set[str] = set()
    adds = True
    for letter in text.upper():
        if letter in "+-":
            adds = letter == "+"
        elif adds:
            held.add(letter)
        else:
            held.discard(letter)
    return held
