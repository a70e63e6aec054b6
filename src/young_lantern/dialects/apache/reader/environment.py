"""httpd `SetEnvIf`, `BrowserMatch` and their like -> variables of the request.

Source:   Apache HTTP Server manual, mod_setenvif; mod_setenvif.c match_headers.
Rule:     lines act in order, and again for each request that the server makes inside (an error page, a path that a folder's rules changed), on the path
          as it is then. A field that is not there is an empty text. Those of sections act when the section is chosen, before anybody is let in.
Left out: names of fields given as patterns, what is known of the connection alone.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....model import ALWAYS, ONE_SLASH, Capture, Choose, Condition, Disposition, Not, Pattern, Route, SetVariable, Span, Step, Template, TextIs, TextMatches, Var, Variable, join
from ....patterns import search
from ....patterns.groups import inside_group
from . import compression
from .context import Context, Node
from .expressions import read_expression
from .mappings import labelled

_LINES = {"setenvif": False, "setenvifnocase": True, "browsermatch": False, "browsermatchnocase": True}
_NAMES = frozenset({*_LINES, "setenvifexpr"})
COMPRESSED = "compression is offered all the same"
_ATTRIBUTES = {"remote_addr": Variable.CLIENT, "request_method": Variable.METHOD}
# What the server itself asks of the environment about connections and content: no answer's status, place or fields come by it.
_OF_THE_SERVER = frozenset({
    "nokeepalive", "downgrade-1.0", "force-response-1.0", "force-no-vary", "redirect-carefully", "ssl-unclean-shutdown", "gzip-only-text/html", "dont-vary",
    "suppress-error-charset", "proxy-sendcl", "proxy-sendchunked", "proxy-sendchunks", "proxy-nokeepalive", "proxy-initial-not-pooled", "force-proxy-request-1.0", "proxy-interim-response",
    "prefer-language", "no-brotli",
})


def speaks(nodes: list[Node]) -> bool:
    return any(node.name in _NAMES for node in nodes)


def names_set(nodes: list[Node]) -> set[str]:
    """The variables that some lines set."""
    by_rules = {name for node in nodes if node.name == "rewriterule" for name in re.findall(r"(?:^\[|,)\s*(?:E|env)=!?([\w-]+)", "".join(node.args[2:]))}
    by_lines = {word.lstrip("!").partition("=")[0] for node in nodes if node.name in _NAMES for word in _words(node)}
    return by_rules | {name for name in by_lines if name and name.lower() not in {*_OF_THE_SERVER, "no-gzip"}}


# A value that may come to nothing: groups and what the server knows, without a letter of its own.
_MAYBE_NOTHING = re.compile(r"(?:[$%]\d|%\{[^}]*\})*")


def may_be_empty(nodes: list[Node]) -> set[str]:
    """The variables that are asked whether they are set, and may be set to nothing, which is not the same in httpd (2.4.71, probed)."""
    made: set[str] = set()
    asked_before = ""
    for node in nodes:
        if node.name == "rewritecond" and len(node.args) > 1:
            asked_before = node.args[1]
        if node.name == "rewriterule":
            groups = {"$": node.args[0] if node.args else "", "%": asked_before}
            pairs = [(name, value) for name, value in re.findall(r"(?:^\[|,)\s*(?:E|env)=([\w-]+):?([^,\]]*)", "".join(node.args[2:]))
                     if not (re.fullmatch(r"[$%][1-9]", value) and _takes_something(groups[value[0]], int(value[1])))]
        else:
            pairs = [(name, value) for word in _words(node) if node.name in _NAMES for name, _, value in [word.partition("=")] if value]
        made |= {name for name, value in pairs if _MAYBE_NOTHING.fullmatch(value)}
    words = [word for node in nodes for word in node.args]
    asked = {name.lower() for word in words for found in re.findall(r"^env=!?([\w-]+)$|%\{([\w-]+)\}e", word) for name in found if name}
    asked |= {word.lower() for node in nodes if node.name == "require" and "env" in [word.lower() for word in node.args[:2]] for word in node.args}
    return {name for name in made if name.lower() in asked}


def values_set(nodes: list[Node]) -> dict[str, set[str]]:
    """What lines set each variable to, as it is written there."""
    made: dict[str, set[str]] = {}
    for node in nodes:
        if node.name == "rewriterule":
            pairs = re.findall(r"(?:^\[|,)\s*(?:E|env)=!?([\w-]+):?([^,\]]*)", "".join(node.args[2:]))
        else:
            pairs = [(name.lstrip("!"), value) for word in _words(node) if node.name in _NAMES for name, _, value in [word.partition("=")]]
            pairs += [(node.args[0], "".join(node.args[1:2]))] if node.name in ("setenv", "passenv") and node.args else []
        for name, value in pairs:
            made.setdefault(name, set()).add(value)
    return made


def of_own_fields(nodes: list[Node]) -> set[str]:
    """The variables HTTP_NAME that are only ever set to the very field: applications are told it anyhow (util_script.c, ap_add_common_vars), but for credentials."""
    return {
        name for name, found in values_set(nodes).items() if re.match("HTTP_(?!AUTHORIZATION$|PROXY$)", name)
        and {value.lower() for value in found} == {f"%{{http:{name[5:].replace('_', '-').lower()}}}"}
    }


def _takes_something(text: str, group: int) -> bool:
    """Whether a group of a pattern takes part in every match, and never of nothing: `(.+)`, not `(.*)` nor `(x)?`."""
    inside = inside_group(text, group)
    if inside is None or "|" in re.sub(r"\(.*\)", "", text) or search(Pattern(f"^(?:{inside})$", "pcre"), "") is not None:
        return False
    before, _, after = text.partition(f"({inside})")
    alone = "(" not in inside and text.count(f"({inside})") == 1 and before.count("(") == before.count(")")
    return alone and not after.startswith(("?", "*", "{0"))


def set_steps(step: SetVariable, unsets: bool, context: Context) -> list[Step]:
    """The step, and beside it one that says whether the variable is there, where that is asked and its value does not tell."""
    if step.name not in context.maybe_empty:
        return [step]
    return [step, replace(step, name=there(step.name, context), value=() if unsets else ("1",))]


def there(name: str, context: Context) -> str:
    """The variable that is empty where one is not set."""
    return f"{name}_is_set" if name in context.maybe_empty else name


def is_unset(name: str, span: Span, context: Context) -> TextIs:
    return TextIs((Var(Variable.VARIABLE, there(name, context)),), ("",), span=span)


# Where a line names a variable: the text before it, by which it is one.
_NAMED = re.compile(r"""(%\{ENV:|%\{(?=[\w-]+\}e)|\b(?:req)?env\(\s*['"]|(?:^|[\[,]\s*)(?:E|env)=!?)([\w-]+)""", re.IGNORECASE)


def with_one_case(nodes: list[Node]) -> None:
    """Names of variables as the first line spells them that sets them, in place: their case does not count (apr_tables.c; 2.4.71, probed)."""
    first: dict[str, str] = {}
    for node in nodes:
        found = re.findall(r"(?:^\[|,)\s*(?:E|env)=!?([\w-]+)", "".join(node.args[2:])) if node.name == "rewriterule" else []
        found += [word.lstrip("!").partition("=")[0] for word in _words(node)] if node.name in _NAMES else node.args[:1] if node.name in ("setenv", "passenv") else []
        for name in found:
            first.setdefault(name.lower(), name)

    def named(word: str) -> str:
        return _NAMED.sub(lambda found: found[1] + first.get(found[2].lower(), found[2]), word)

    for node in nodes:
        node.args = [named(word) for word in node.args]
        if node.name in _NAMES:
            start = len(node.args) - len(_words(node))
            node.args[start:] = [re.sub(r"^(!?)([\w-]+)", lambda found: found[1] + first.get(found[2].lower(), found[2]), word) for word in node.args[start:]]
        elif node.name in ("setenv", "unsetenv"):
            node.args[:1] = [first.get(name.lower(), name) for name in node.args[:1]]
        elif node.name == "require" and [word.lower() for word in node.args[:1]] == ["env"]:
            node.args[1:] = [first.get(name.lower(), name) for name in node.args[1:]]


def _words(node: Node) -> list[str]:
    return node.args[1 if node.name.startswith("browser") or node.name == "setenvifexpr" else 2:]


def read_environment(nodes: list[Node], context: Context) -> tuple[Step, ...]:
    """The lines of one level or section."""
    made: list[Step] = []
    set_before: set[str] = set()
    for node in nodes:
        if node.name not in _NAMES:
            continue
        context.use(node)
        words = _words(node)
        own = [word for word in words if word.lstrip("!").partition("=")[0].lower() not in _OF_THE_SERVER]
        if not own:
            claim = context.claims[node.span]
            claim.disposition, claim.why = Disposition.IMPLIED, "it is about connections, and changes no answer that is compared"
            continue
        label = context.label("environment")
        held = _asked(node, label, set_before, context)
        if held is None:
            continue
        set_ = [step for word in own if (step := _set(word, label if node.name != "setenvifexpr" else "", node, context)) is not None]
        set_before |= {step.name for step in set_}
        steps = [item for step in set_ for item in set_steps(step, step.value == () and f"!{step.name}" in own, context)]
        claim = context.claims[node.span]
        if steps and claim.disposition is None:
            claim.disposition, claim.why = Disposition.KEPT, "what it asks for is said where its variable is asked for"
        if steps:
            made.append(Choose((Route(held, tuple(steps), node.span, node.comments),), node.span))
    return tuple(made)


def _asked(node: Node, label: str, set_before: set[str], context: Context) -> Condition | None:
    if node.name == "setenvifexpr":
        found = read_expression(node.args[0], node.span) if node.args else None
        if found is None or found.statuses is not None:
            context.value(node, node.args[0] if node.args else "", "an expression on the request was expected")
            return None
        return found.condition
    attribute, pattern = ("User-Agent", node.args[0]) if node.name.startswith("browser") else (node.args[0], node.args[1]) if len(node.args) > 1 else ("", "")
    # mod_setenvif.c: a pattern for names of fields, of which this one is a single name (fields' names have no case).
    attribute = named[1] if (named := re.fullmatch(r"\^([\w-]+)\$", attribute)) else attribute
    if not attribute or not re.fullmatch(r"[\w-]+", attribute) or attribute.lower() in ("remote_host", "server_addr"):
        context.value(node, attribute, "a field's name, Request_URI, Request_Method or Remote_Addr was expected")
        return None
    asks = labelled(context.pattern(pattern, node, ignores_case=_LINES[node.name]), label)
    low = attribute.lower()
    if low == "request_uri":
        # It is asked before the path is decoded, and so of the path as it was sent, but for slashes at its start (2.4.71, probed).
        return TextMatches((Var(Variable.PATH_ESCAPED, ONE_SLASH),), asks, span=node.span)
    if low == "request_protocol":
        # What is compared is asked by HTTP/1.1, and by HTTP/2 where both offer it.
        return ALWAYS if search(asks, "HTTP/1.1") else Not(ALWAYS)
    subject: Template = (Var(_ATTRIBUTES[low]),) if low in _ATTRIBUTES else (Var(Variable.VARIABLE, attribute),) if attribute in set_before else (Var(Variable.FIELD, attribute),)
    if low == "host":
        subject = (Var(Variable.AUTHORITY),)
    return TextMatches(subject, asks, span=node.span)


def _set(word: str, label: str, node: Node, context: Context) -> SetVariable | None:
    name, _, value = word.partition("=")
    if name.startswith("!"):
        return SetVariable(name[1:], (), node.span, environment=True, outside=True)
    if name.lower() == "no-gzip" and node.args[0].lower() == "request_uri" and compression.leaves_alone(context.pattern(node.args[1], node, ignores_case=_LINES.get(node.name, False)), context.compressed, context.named_types):
        claim = context.claims[node.span]
        claim.disposition, claim.why = Disposition.CHANGED, "files with such names have types that are not compressed; what an origin sends under such a name with a type that is, is compressed"
        return None
    if name.lower() == "no-gzip":
        context.value(node, word, COMPRESSED)
        return None
    parts: list[Template] = []
    for piece in re.split(r"(\$\d)", value or "1"):  # mod_setenvif.c: `name=` is 1, too (2.4.71, probed)
        # mod_setenvif.c: a pattern that is plain text is searched for as such, and has no groups.
        parts.append((Capture(int(piece[1]), label),) if re.fullmatch(r"\$\d", piece) and label and re.search(r"[\^$.*+?()\[\]{}|\\]", node.args[-1 - len(_words(node))]) else (piece,))
    return SetVariable(name, join(*(item for part in parts for item in part)), node.span, environment=True, outside=True)
