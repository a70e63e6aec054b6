"""`-F` for another file than the request's: whether it is there, and open to whoever asks. Used by: rewrites.py.

Source:   mod_rewrite.c (apply_rewrite_cond, subreq_ok), http_request.c (ap_sub_req_lookup_file); 2.4.71, probed: sections for folders and for files have a
          say, those for locations have none; a folder is no such file, and what follows a file's name does not count.
Rule:     read where all that lies below a folder of the site is open to all, but for names that nobody gets.
Unknown:  folders in which somebody is kept out, or rules act: what rules with such a condition guard is `Unserved`.
"""

from __future__ import annotations

import re
from ....model import AllOf, Capture, Condition, FileExists, Not, Pattern, Span, Template, TextMatches, Var, Variable
from .context import Node
from .files import follows_all_links
from .host import Host
from .places import Section, merged

_ACCESS = frozenset({"require", "<requireall", "<requireany", "<requirenone", "order", "allow", "deny", "satisfy", "<limit", "<limitexcept"})
_ACTS = frozenset({"rewriterule", "allowmethods"})
_PLAIN = (Var(Variable.PATH), Var(Variable.URL_PATH), Var(Variable.HOST), Var(Variable.SCHEME))


def open_file(host: Host, template: Template, rule: str, span: Span) -> Condition | None:
    """The condition for a file's name; None where it is not known who may have it. rule: the label of the rule's pattern, whose groups have no dot segments."""
    first = template[0] if template else ""
    if not isinstance(first, str) or not all(isinstance(part, str) or part in _PLAIN or isinstance(part, Capture) and part.pattern == rule for part in template):
        return None
    root = host.document_root.rstrip("/")
    ends = template[1:2] in ((_PLAIN[0],), (_PLAIN[1],))  # a path begins with a slash
    folder = first.rstrip("/") if ends else first.rpartition("/")[0]
    if not (folder == root or folder.startswith(root + "/")) or re.search(r"/\.{1,2}(?:/|$)", first):
        return None
    names = _kept_out(folder, merged(host.sections), host.levels)
    if names is None:
        return None
    there = FileExists((folder,), template[1:], span=span, walks=True) if ends else FileExists((), template, span=span, walks=True)
    held = tuple(Not(TextMatches(template, Pattern(name), span=span), span) for name in names)
    return AllOf((there, *held), span) if held else there


def _kept_out(folder: str, sections: list[Section], levels: list[Node]) -> list[str] | None:
    """Patterns for the names of files below a folder that nobody gets; None where there is more to know of them."""
    is_open, around, names = True, list(levels), []  # type: bool, list[Node], list[str]
    for section in sections:
        nodes = section.nodes
        speaks = any(node.name in _ACCESS for node in nodes)
        if section.kind in ("location", "locationmatch", "proxy") or not (speaks or section.refused or any(node.name in _ACTS or node.name == "options" for node in nodes)):
            continue
        if (section.refused or any(node.name in _ACTS for node in nodes)) and _may_hold(section, folder):
            return None
        if section.kind == "directory" and not re.search(r"[*?\[]", section.text):
            text = section.text.rstrip("/")
            if folder == text or folder.startswith(text + "/"):
                is_open = _opens(nodes) if speaks else is_open
                around += nodes
            elif text.startswith(folder + "/") and (speaks and not _opens(nodes) or not follows_all_links([*around, *nodes])):
                return None
        elif section.kind in ("files", "filesmatch") and not any(node.name == "options" for node in nodes):
            name = _name(section) if _closes(nodes) else None
            if _may_hold(section, folder) and name is None:
                return None
            names += [name] if name is not None and _may_hold(section, folder) else []
        elif _may_hold(section, folder) and (speaks and not _opens(nodes) or any(node.name == "options" for node in nodes)):
            return None
    return names if is_open and follows_all_links(around) else None


def _may_hold(section: Section, folder: str) -> bool:
    """Whether a section may have a say below a folder, or for it."""
    if section.stands_in is not None:
        return _may_hold(section.stands_in, folder)
    if section.kind != "directory" or re.search(r"[*?\[]", section.text):
        return True
    text = section.text.rstrip("/")
    return folder == text or folder.startswith(text + "/") or text.startswith(folder + "/")


def _said(nodes: list[Node]) -> list[list[str]]:
    return [[node.name, *(word.lower() for word in node.args)] for node in nodes if node.name in _ACCESS]


def _opens(nodes: list[Node]) -> bool:
    return all(line == ["require", "all", "granted"] for line in _said(nodes))


def _closes(nodes: list[Node]) -> bool:
    return _said(nodes) == [["require", "all", "denied"]]


def _name(section: Section) -> str | None:
    """A pattern of a file's name, as one of its whole path."""
    text = section.text
    if section.kind == "files":
        return None if re.search(r"[*?\[]", text) else f"/{re.escape(text)}(?:/|$)"
    # A sign for any character might take a slash.
    if re.search(r"\.|\[\^|\\[WSD]|\|", re.sub(r"\\\.", "", text)) and not re.fullmatch(r"(?:\\.|[\w-])*\((?:[\w|-])*\)\$", text):
        return None
    return ("/" + text[1:] if text.startswith("^") else f"/[^/]*(?:{text})" if not text.startswith("\\.") else text) + ("" if text.endswith("$") else "[^/]*$")
