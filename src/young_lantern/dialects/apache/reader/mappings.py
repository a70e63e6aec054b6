"""httpd `Redirect…`, `Alias…`, `ScriptAlias…` -> routes of the mapping.

Source:   Apache HTTP Server manual, mod_alias; mod_alias.c translate_alias_redir, try_redirect.
Rule:     redirects are tried before aliases, each in file order, a virtual host's own before the main server's. What follows the
          prefix is escaped and added; the client's query goes along unless the target has one. A path as the target becomes a whole URL.
Left out: AliasMatch lines other than those for what follows a prefix.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....model import ALWAYS, Capture, Condition, PathForm, PathMatches, Pattern, Redirect, Respond, Route, Step, Template, Unserved, Var, Variable, join
from .. import values
from .context import Context, Node
from .places import below, rest_pattern

_STATUSES = {"permanent": 301, "temp": 302, "seeother": 303, "gone": 410}
REDIRECTS = ("redirect", "redirectpermanent", "redirecttemp", "redirectmatch")


def read_redirects(nodes: list[Node], context: Context, in_section: bool = False, form: PathForm = PathForm.CURRENT) -> list[Route]:
    """The redirects of one level. in_section: a lone target is for all that the section holds."""
    return [route for node in context.take(nodes, *REDIRECTS) if (route := _redirect(node, context, in_section, form))]


def read_section_redirects(nodes: list[Node], context: Context) -> list[Route]:
    """Those with a target alone, for all of a section: they are tried before the redirects of the server."""
    return read_redirects([node for node in nodes if node.name in REDIRECTS[:3] and _is_lone(node)], context, True)


def _is_lone(node: Node) -> bool:
    """Whether a line is for all of its section. `Redirect 503 /` names a path, and is tried with the folder's rules (mod_alias.c, fixup_redir; 2.4.71, probed)."""
    first = node.args[0].lower() if node.args else ""
    status = _STATUSES.get(first) or (int(first) if re.fullmatch(r"\d{3}", first) else None)
    words = node.args if status is None else node.args[1:]
    return len(words) == (1 if status is None or 300 <= status < 400 else 0)


def _redirect(node: Node, context: Context, in_section: bool, form: PathForm) -> Route | None:
    words = list(node.args)
    status = {"redirectpermanent": 301}.get(node.name, 302)
    if words and node.name in ("redirect", "redirectmatch") and (words[0].lower() in _STATUSES or re.fullmatch(r"\d{3}", words[0])):
        first = words.pop(0).lower()
        status = _STATUSES.get(first) or int(first)
    if in_section and len(words) == (1 if 300 <= status < 400 else 0):
        return _route(status, words[0] if words else "", ALWAYS, (), node, context)
    if not words or (300 <= status < 400) != (len(words) == 2):
        context.value(node, " ".join(node.args), "a path and, for a redirect, its target were expected")
        return None
    if node.name == "redirectmatch":
        label = context.label("redirect")
        pattern = context.pattern(words[0], node)
        held = PathMatches(labelled(pattern, label), form, span=node.span)
        return _route(status, words[1] if len(words) > 1 else "", held, None, node, context, label)
    label = context.label("redirect")
    if status >= 400 or not 300 <= status < 400:
        held = below(words[0], node.span, form)
        return _route(status, "", PathMatches(Pattern(loose_pattern(words[0]), "pcre"), form, span=node.span) if context.keeps_slashes else held, (), node, context)
    text = loose_pattern(words[0]) if context.keeps_slashes else rest_pattern(words[0])
    held = PathMatches(labelled(context.pattern(text, node), label), form, span=node.span)
    return _route(status, words[1], held, (Capture(1, label, escaped=True),), node, context)


def loose_pattern(prefix: str) -> str:
    """What a prefix is asked as where slashes are not merged, with what is left over as its group.

    mod_alias.c and mod_proxy.c, alias_match (2.4.71, probed): any number of slashes in the path are as good as one in the line, and gone from what is left over.
    """
    return "^" + re.sub("/+", "/+", re.escape(prefix)) + ("(.*)$" if prefix.endswith("/") else "(/.*)?$")


def labelled(pattern: Pattern, label: str) -> Pattern:
    return replace(pattern, label=label)


def _route(status: int, target: str, held: Condition, rest: Template | None, node: Node, context: Context, label: str = "") -> Route:
    """`rest` is what follows the prefix; None: `target` is the replacement of the pattern with this label."""
    if not 300 <= status < 400:
        return Route(held, (Respond(status, raises=True, span=node.span),), node.span, node.comments)
    if rest is None:
        # mod_alias.c, fixup_redir, try_alias_list (2.4.71, probed): the path is percent-encoded as a whole.
        made = values.as_path(context.template(target, node, rule=label, escapes=True), "?#")
    elif not rest:
        made = tuple(Var(Variable.PATH_ESCAPED) if part == Var(Variable.PATH) else part for part in values.as_path(context.template(target, node, by=values.TEXT), "?#"))
    else:
        made = join(context.template(target, node, by=values.TEXT), rest)
    query = () if "?" in target else (Var(Variable.QUERY, "?"),)
    # mod_alias: a target that is a path gets scheme and authority of the request in front.
    return Route(held, (Redirect(status, join(made, query), absolute=True, splits_at_mark=not rest, span=node.span, comments=node.comments),), node.span, node.comments)


def read_aliases(nodes: list[Node], context: Context) -> list[tuple[Node, str, str]]:
    """(directive, URL prefix, folder) of the aliases by prefix, in file order."""
    return [(node, node.args[0], node.args[1]) for node in context.take(nodes, "alias") if len(node.args) == 2]


_BELOW = re.compile(r"\^((?:[\w/~-]|\\[./-])+/)((?:\(\?[!=](?:[^()\\]|\\.|\((?:[^()\\]|\\.|\((?:[^()\\]|\\.)*\))*\))*\))*)\(\.\*\)\$")


def _puts_behind(node: Node) -> bool:
    return node.args[1].endswith("/$1") and not re.search(r"[\\$]", node.args[1][:-2])


def names_files(nodes: list[Node]) -> bool:
    """Whether an AliasMatch says which file is meant otherwise than by what follows a prefix; sections are chosen by the path as it came nevertheless."""
    return any(node.name == "aliasmatch" and len(node.args) == 2 and not (_BELOW.fullmatch(node.args[0]) and _puts_behind(node)) for node in nodes)


def read_pattern_aliases(nodes: list[Node], context: Context) -> list[tuple[Node, Pattern, str, str]]:
    """(directive, pattern, URL prefix, folder) of the AliasMatch lines that put what follows a prefix behind a folder."""
    made = []
    for node in nodes:
        if node.name == "aliasmatch" and len(node.args) == 2 and (found := _BELOW.fullmatch(node.args[0])) and _puts_behind(node):
            context.use(node)
            made.append((node, context.pattern(node.args[0], node), re.sub(r"\\(.)", r"\1", found[1]), node.args[1][:-2]))
    return made


def read_other_pattern_aliases(nodes: list[Node], context: Context) -> list[tuple[Node, Pattern, str, Template]]:
    """(directive, pattern, folder, what lies in it) of the other AliasMatch lines: the file's whole name is what is written, whatever the pattern leaves over.

    mod_alias.c, try_alias_list (2.4.71, probed): groups go in as they are decoded.
    """
    made = []
    known = {id(node) for node, *_ in read_pattern_aliases(nodes, context)}
    for node in nodes:
        if node.name != "aliasmatch" or len(node.args) != 2 or id(node) in known:
            continue
        folder = _folder_of(node.args[1])
        if not folder:
            continue
        label = context.label("alias")
        context.use(node)
        made.append((node, replace(context.pattern(node.args[0], node), label=label), folder, context.template(node.args[1][len(folder):], node, rule=label)))
    return made


def _folder_of(target: str) -> str:
    """The folder that all files lie in that a target of AliasMatch may name; "" where there is no such one."""
    written = target.partition("$")[0]
    # A backslash would be taken out of the name (util.c, ap_pregsub): such a target is not read.
    return written.rpartition("/")[0] if written.startswith("/") and "\\" not in written else ""


def folders_of_patterns(nodes: list[Node]) -> list[str]:
    """The folders that AliasMatch lines lead to."""
    return [folder for node in nodes if node.name == "aliasmatch" and len(node.args) == 2 and (folder := _folder_of(node.args[1]))]


def read_unread_handlers(nodes: list[Node], context: Context) -> list[Route]:
    """Aliases by pattern and those of scripts: what lies there is not answered."""
    made = []
    read = {id(node) for node, *_ in (*read_pattern_aliases(nodes, context), *read_other_pattern_aliases(nodes, context))}
    for node in context.take(nodes, "scriptalias", "scriptaliasmatch", "aliasmatch"):
        if len(node.args) != 2 or id(node) in read:
            continue
        held: Condition = below(node.args[0], node.span) if node.name == "scriptalias" else PathMatches(context.pattern(node.args[0], node), span=node.span)
        steps: tuple[Step, ...] = (Unserved(" ".join([node.name, *node.args]), node.span),)
        made.append(Route(held, steps, node.span))
    return made
