"""httpd `Require` -> Protect, Credentials, and the refusals that follow from them. Beside it: hosts.py.

Source:   Apache HTTP Server manual, mod_authz_core, mod_authz_host, mod_authz_groupfile.
Rule:     the last section with rules of its own decides alone (AuthMerging Off); bare Require lines mean any of them.
Unknown:  whoever must say who he is (users, groups) is not let in unread: the answer is `Unserved`.
"""

from __future__ import annotations

from ....codes import GROUP_AS_IT_IS
from ....model import (
    ALWAYS, AddressRule, AllOf, AnyOf, Choose, ClientIn, Condition, Credentials, MethodIn, Not, Protect, Respond, Route, SchemeIs, Step, TextIs, Unknowable, Unserved, Var, Variable,
)
from ....model.walk import walk
from ....source.passwords import read_groups
from . import environment
from .context import Context, Node
from .expressions import read_expression
from .hosts import networks_of
from .limited import ALL, LIMITS, read_by_methods
from .places import NEVER

_LOCAL = ("127.0.0.0/8", "::1/128")


def has_rules(nodes: list[Node]) -> bool:
    return any(node.name in LIMITS and has_rules(node.block or []) or node.name in ("require", "<requireall", "<requireany", "<requirenone") for node in nodes)


def read_methods(nodes: list[Node], context: Context) -> tuple[Step, ...] | None:
    """AllowMethods of one section -> a refusal with 405; () lets all in; None: the section says nothing of it."""
    node = context.last(nodes, "allowmethods")
    if node is None:
        return None
    words = [word for word in node.args]
    if "reset" in [word.lower() for word in words]:
        return ()
    # httpd knows HEAD as a GET: either names both.
    methods = tuple(dict.fromkeys([*words, *(["GET", "HEAD"] if {"GET", "HEAD"} & set(words) else [])]))
    if not words or any(word[:1] in ("", "+", "-") for word in words):
        context.value(node, " ".join(words), "the names of methods without signs, or reset, were expected")
        return (Unserved(node.span.directive, node.span),)
    return (Choose((Route(Not(MethodIn(methods, node.span), node.span), (Respond(405, raises=True, span=node.span),), node.span),), node.span),)


def read_access(nodes: list[Node], context: Context, above: list[Node] | None = None) -> tuple[Step, ...]:
    """The rules of one section -> steps that end with 403, or 401, where they do not hold. above: what sections around say of credentials."""
    by_methods = read_by_methods(nodes, context, lambda lines: read_access(lines, context, above))
    if by_methods is not None:
        return by_methods
    above = above or []
    rules = [node for node in nodes if node.name in ("require", "<requireall", "<requireany", "<requirenone")]
    context.take(nodes, "authtype")
    if not rules:
        return ()
    for rule in rules:
        context.use(rule)
    span = rules[0].span
    if any(_who(node) is not None for rule in rules for node in [rule, *_inner(rule)]):
        return _credentials(rules, [*above, *nodes], context)
    unread = [node for rule in rules for node in [rule, *_inner(rule)] if node.name == "require" and _of(node, context) is None]
    if unread:
        return (Unserved(" ".join(["Require", *unread[0].args]), unread[0].span),)
    if all(rule.name == "require" and rule.args[:1] == ["ip"] for rule in rules):
        allowed = tuple(AddressRule(True, networks_of(rule.args[1:]), rule.span) for rule in rules)
        return (Protect((*allowed, AddressRule(False, ALL, span)), span),)
    held = _any([_condition(rule, context) for rule in rules])
    if held is ALWAYS:
        return ()
    refusal = Respond(403, raises=True, span=span)
    also = tuple(node.span for rule in rules for node in [rule, *_inner(rule)])
    return (refusal,) if held == NEVER else (Choose((Route(Not(held, span), (refusal,), span, also=also),), span),)


def names_a_kind(nodes: list[Node]) -> bool:
    return any(node.name == "authtype" and node.args for node in nodes)


def without_rules(nodes: list[Node], context: Context) -> tuple[Step, ...]:
    """What a section comes to that says how users are known, where no line says who may enter."""
    kind = context.last(nodes, "authtype")
    return (Respond(500, raises=True, span=kind.span),) if kind is not None and kind.args[0].lower() != "none" else ()


# What says how users are known.
LINES = ("authtype", "authname", "authuserfile", "authbasicprovider", "authdigestprovider", "authdigestalgorithm", "authdigestdomain", "authgroupfile")


def _who(node: Node) -> tuple[str, ...] | None:
    """The users that a Require line asks for, () for any; None: it asks for none."""
    if node.name != "require" or not node.args:
        return None
    return {"valid-user": (), "user": tuple(node.args[1:]), "group": (), "ldap-user": (), "file-owner": ()}.get(node.args[0].lower())


def _members(lines: list[Node], file: Node | None, context: Context) -> tuple[str, ...] | None:
    """Who is in the groups that Require lines name; None where their file is not on this machine."""
    if not lines:
        return ()
    path = context.file_at(file.args[0], context.folders.places) if file is not None and file.args and context.folders is not None else None
    if path is None:
        return None
    groups = read_groups(path)
    for line in lines:
        context.say(GROUP_AS_IT_IS, line.span, groups=" ".join(line.args[1:]), file=file.args[0] if file is not None else "")
    return tuple(dict.fromkeys(name for line in lines for group in line.args[1:] for name in groups.get(group, ())))


def _credentials(rules: list[Node], nodes: list[Node], context: Context) -> tuple[Step, ...]:
    """Require lines for users: alone, beside others of which any may hold, or all of them with others."""
    lines = {name: context.last(nodes, name) for name in LINES}
    span = rules[0].span
    file = lines["authuserfile"]
    kind = lines["authtype"]
    digest = kind is not None and [word.lower() for word in kind.args] == ["digest"]
    provider = lines["authdigestprovider" if digest else "authbasicprovider"]
    algorithm, domain = (lines[name] if digest else None for name in ("authdigestalgorithm", "authdigestdomain"))
    flat = rules[0].block or [] if len(rules) == 1 and rules[0].name in ("<requireall", "<requireany") else rules
    all_of = len(rules) == 1 and rules[0].name == "<requireall"
    asked = [node for node in flat if _who(node) is not None]
    others = [node for node in flat if _who(node) is None]
    users: tuple[str, ...] = tuple(name for node in asked for name in _who(node) or ())
    grouped = [node for node in asked if node.args[0].lower() == "group"]
    members = _members(grouped, lines["authgroupfile"], context)
    plain = members is not None and kind is not None and (digest or [word.lower() for word in kind.args] == ["basic"]) and file is not None and (provider is None or [word.lower() for word in provider.args] == ["file"])
    plain = plain and (algorithm is None or [word.lower() for word in algorithm.args] == ["md5"])
    if not plain or any(node.args[0].lower() not in ("valid-user", "user", "group") for node in asked) or any(node.name != "require" or _of(node, context) is None for node in others):
        return (Unserved(span.directive, span),)
    for node in flat:
        context.use(node)
    assert file is not None and members is not None
    users += members
    realm = lines["authname"]
    everybody = any(node.args[0].lower() == "valid-user" for node in asked)
    also = tuple(node.span for node in (kind, realm, file, provider, algorithm, domain, lines["authgroupfile"] if grouped else None, *asked[1:]) if node is not None)
    known = context.users_in(file.args[0], context.folders.places) if file.args and context.folders is not None else ()
    if digest:
        # mod_auth_digest: a hash is for one realm, and stands behind its name (2.4.71, probed).
        known = tuple((name, hashed) for name, hashed in known if hashed == (realm.args[0] if realm and realm.args else ""))
    if everybody:
        # An empty file that is here lets nobody in.
        users = ()
    empty = not known and file.args and file.args[0] in context.found_files
    step = Credentials((realm.args[0],) if realm and realm.args else (), None if everybody and not empty else users, known, file.args[0] if file.args else "", asked[0].span, also, digest,
                       (" ".join(domain.args),) if domain is not None else ())
    conditions = [_condition(node, context) for node in others]
    if not conditions:
        return (step,)
    if all_of:
        held = _all(conditions)
        refusal = Choose((Route(_negated(held), (Respond(403, raises=True, span=span),), span),), span)
        return (refusal, step) if held is not ALWAYS else (step,)
    held = _any(conditions)
    return () if held is ALWAYS else (step,) if held == NEVER else (Choose((Route(held, (), span), Route(ALWAYS, (step,), asked[0].span)), span),)


def _inner(node: Node) -> list[Node]:
    return [item for inner in node.block or [] for item in [inner, *_inner(inner)]]


def _condition(node: Node, context: Context) -> Condition:
    context.use(node)
    if node.name == "require":
        return _of(node, context) or Unknowable(" ".join(node.args), node.span)
    inner = [_condition(item, context) for item in node.block or [] if item.name.startswith(("require", "<require"))]
    if node.name == "<requireall":
        return _all(inner)
    return _any(inner) if node.name == "<requireany" else _negated(_any(inner))


def _of(node: Node, context: Context) -> Condition | None:
    """One Require line; None when it asks for something that is not read."""
    words = list(node.args)
    negated = words[:1] == ["not"]
    kind, *values = words[1:] if negated else words or [""]
    made: Condition | None = None
    match kind.lower():
        case "all":
            made = ALWAYS if values == ["granted"] else NEVER
        case "local":
            made = ClientIn(_LOCAL, node.span)
        case "ip" if values:  # the server does not start with none
            made = ClientIn(networks_of(values), node.span)
        case "env":
            if not values or not set(values) <= context.environment:
                return None
            set_ = [Not(environment.is_unset(name, node.span, context), node.span) for name in values]
            made = set_[0] if len(set_) == 1 else AnyOf(tuple(set_), node.span)
        case "expr":
            found = read_expression(values[0] if len(values) == 1 else " ".join(node.raw[2 if negated else 1:]), node.span)
            # Who asks is known only where a password was asked for; elsewhere the server gives up with 500 (2.4.71, probed).
            if found is None or found.statuses is not None or Var(Variable.USER) in walk(found.condition):
                return None
            made = NEVER if found.condition == NEVER else found.condition
        case "ssl":
            made = SchemeIs("https", node.span)
        case "ssl-verify-client":
            made = TextIs((Var(Variable.CERTIFICATE),), ("SUCCESS",), span=node.span)
        case "method" if values:
            # httpd knows HEAD as a GET (core, Limit).
            made = MethodIn((*values, *(("HEAD",) if "GET" in values else ())), node.span)
    return _negated(made) if negated and made is not None else made


def _negated(held: Condition) -> Condition:
    return NEVER if held is ALWAYS else ALWAYS if held == NEVER else Not(held)


def _all(parts: list[Condition]) -> Condition:
    kept = [part for part in parts if part is not ALWAYS]
    return NEVER if NEVER in kept else AllOf(tuple(kept)) if len(kept) > 1 else kept[0] if kept else ALWAYS


def _any(parts: list[Condition]) -> Condition:
    kept = [part for part in parts if part != NEVER]
    return ALWAYS if ALWAYS in kept else AnyOf(tuple(kept)) if len(kept) > 1 else kept[0] if kept else NEVER
