"""Sections and path prefixes -> conditions on the path.

Source:   Apache HTTP Server manual, "Configuration Sections"; server/request.c ap_location_walk, mod_alias alias_matches.
Rule:     `/x` holds for `/x` and what is below it, `/x/` only for what is below; prefixes end at a segment's border.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ....model import ALWAYS, AllOf, AnyOf, Condition, Disposition, FileNameMatches, FolderMatches, Not, PathForm, PathIs, PathMatches, PathStartsWith, Span
from ....patterns import search
from ....patterns.behind import NOWHERE, behind
from .context import Context, Node
from .expressions import Read, read_expression

NEVER = Not(ALWAYS)


def below(path: str, span: Span | None, form: PathForm = PathForm.CURRENT) -> Condition:
    """The path, and what is below it."""
    if path in ("", "/"):
        return ALWAYS
    if path.endswith("/"):
        return PathStartsWith(path, form=form, span=span)
    return AnyOf((PathIs(path, form=form, span=span), PathStartsWith(path + "/", form=form, span=span)), span)


def rest_pattern(prefix: str) -> str:
    """A pattern for the prefix whose first group is what follows it."""
    if prefix in ("", "/"):
        return "^/(.*)$"
    return f"^{re.escape(prefix)}(.*)$" if prefix.endswith("/") else f"^{re.escape(prefix)}(/.*)?$"


@dataclass(frozen=True, slots=True)
class Place:
    """A part of the site that is served from one folder: `url` prefix without final slash -> `folder` without final slash."""

    url: str
    folder: str


@dataclass(slots=True, eq=False)
class Section:
    """A section in force. `stands_in`: the folder's section that a Files section stands in.

    by_file: a `.htaccess` file of the folder says it; refused: the line in such a file that the server does not take
    asked:   for `<If>`: what it asks, those before it in its chain minded
    """

    kind: str
    text: str
    node: Node
    stands_in: "Section | None" = None
    by_file: bool = False
    refused: Span | None = None
    asked: Condition | None = None

    @property
    def nodes(self) -> list[Node]:
        return self.node.block or []


_KINDS = {
    "<directory": "directory", "<directorymatch": "directorymatch", "<files": "files", "<filesmatch": "filesmatch",
    "<location": "location", "<locationmatch": "locationmatch", "<proxy": "proxy",
}


def read_sections(nodes: list[Node], context: Context) -> list[Section]:
    """The sections among some directives, those within folders' included, in the order they are written."""
    made: list[Section] = read_asking(nodes, None, context)
    for node in nodes:
        if node.name not in _KINDS:
            continue
        if node.name == "<proxy" and node.args and node.args[0].lower().startswith("balancer://"):
            continue
        context.use(node)
        context.claims[node.span].disposition, context.claims[node.span].why = Disposition.KEPT, "what stands in it is accounted for line by line"
        kind, words = _KINDS[node.name], list(node.args)
        if words[:1] == ["~"]:
            kind, words = kind.removesuffix("match") + "match", words[1:]
        if not words:
            context.value(node, "", "a path was expected")
            continue
        _overrides(node, context)
        section = Section(kind, words[0], node)
        made.append(section)
        if kind.startswith("directory"):
            made += read_within(section, context)
        elif kind.startswith(("location", "files")):
            made += read_asking(node.block or [], section, context)
    return made


def read_within(section: Section, context: Context) -> list[Section]:
    """The sections that stand in one for a folder, or in a `.htaccess` file of it."""
    made = read_sections(section.nodes, context)
    for inner in made:
        inner.stands_in = inner.stands_in or section
        if inner.kind == "asked":
            inner.kind = "asked of a folder"
    return made


def read_asking(nodes: list[Node], within: Section | None, context: Context) -> list[Section]:
    """`<If>`, `<ElseIf>`, `<Else>`: each holds where those before it in the chain do not. One that is not read keeps its node as it is.

    Those within one are asked after it, and only where it holds (request.c, ap_if_walk; 2.4.71, probed).
    """
    made: list[Section] = []
    before: list[Condition] | None = []
    for node in nodes:
        if node.name not in ("<if", "<elseif", "<else"):
            continue
        before = [] if node.name == "<if" else before
        found = Read(ALWAYS) if node.name == "<else" else read_expression(node.expression, node.span)
        if before is None or found is None or found.statuses is not None:
            before = None
            context.value(node, node.expression, "an expression on the request was expected; what stands in it is not carried")
            context.close(node.block or [])
            continue
        context.use(node)
        context.claims[node.span].disposition, context.claims[node.span].why = Disposition.KEPT, "what stands in it is accounted for line by line"
        context.asking.add(id(node))
        parts = (*(Not(item, node.span) for item in before), *(() if found.condition is ALWAYS else (found.condition,)))
        asked = ALWAYS if not parts else parts[0] if len(parts) == 1 else AllOf(parts, node.span)
        before.append(found.condition)
        kind = "asked" if within is None or within.kind.startswith("location") or within.kind == "asked" else "asked of a folder"
        section = Section(kind, "", node, within, asked=asked)
        made += [section, *read_asking(node.block or [], section, context)]
    return made


def _overrides(node: Node, context: Context) -> None:
    for item in context.take(node.block or [], "allowoverride", "allowoverridelist"):
        claim = context.claims[item.span]
        if claim.disposition is not None and claim.finding is not None:
            continue
        if [word.lower() for word in item.args] == ["none"]:
            claim.disposition, claim.why = Disposition.IMPLIED, "no .htaccess file has a say"
        else:
            claim.disposition, claim.why = Disposition.KEPT, "what the .htaccess files say that it lets speak is accounted for line by line"


def merged(sections: list[Section]) -> list[Section]:
    """In the order httpd merges them: folders by depth, folder patterns, files, locations; each in file order.

    core.c, reorder_sorter (2.4.71, probed): patterns have a depth, too, which is how many slashes stand in them.
    """
    depth = {id(section): (0, section.text.rstrip("/").count("/")) if section.kind == "directory"
             else (_ORDER[section.kind], section.text.count("/") if section.kind == "directorymatch" else 0) for section in sections}
    return sorted(sections, key=lambda section: depth[id(section)])


_ORDER = {"directory": 0, "directorymatch": 1, "proxy": 1, "files": 2, "filesmatch": 2, "location": 3, "locationmatch": 3, "asked": 4, "asked of a folder": 4}
# What is known of a request before it is mapped: locations, and what `<If>` asks outside of folders.
EARLY = frozenset({"location", "locationmatch", "asked"})


def condition(section: Section, place: Place | None, context: Context, form: PathForm = PathForm.CURRENT, files: bool = True) -> Condition:
    """When a section holds; `place` None: for what is not served from a folder (a proxied path), where folders do not count.

    files: folders by shell patterns may be files, since no link has to be looked at on the way
    """
    node = section.node
    match section.kind:
        case "proxy":
            if place is None and section.text != "*":
                context.value(node, section.text, "a section for all that is proxied (*) was expected")
            return NEVER if place is not None else ALWAYS
        case "location" if _is_glob(section.text):
            # request.c, ap_location_walk (2.4.71, probed): signs take a whole path, so that nothing below it is meant.
            return PathMatches(context.pattern(f"^{_signs(section.text)}$", node), form, span=node.span)
        case "location":
            return below(section.text, node.span, form)
        case "locationmatch":
            return PathMatches(context.pattern(section.text, node), form, span=node.span)
        case "directory" if place is not None and not _is_glob(section.text):
            return folder_condition(section.text, place, node.span)
        case "directorymatch" if place is not None:
            return _folder_pattern(section.text, place, node, context)
        case "directory" if place is not None:
            return _folder_glob(section.text, place, node, context, files)
        case "asked" | "asked of a folder" if section.kind == "asked" or place is not None:
            above = ALWAYS if section.stands_in is None else condition(section.stands_in, place, context, form, files)
            asked = section.asked or ALWAYS
            return NEVER if above == NEVER else asked if above is ALWAYS else above if asked is ALWAYS else AllOf((above, asked), node.span)
        case "files" | "filesmatch" if place is not None:
            made = _file_name(section, place, context)
            if section.stands_in is None:
                return made
            above = condition(section.stands_in, place, context, form, files)
            if isinstance(above, AllOf):
                return AllOf((*above.conditions, *made.conditions), node.span)
            return made if above is ALWAYS else NEVER if above == NEVER else AllOf((above, *made.conditions), node.span)
    return NEVER


def folder_condition(folder: str, place: Place, span: Span | None) -> Condition:
    """`<Directory folder>` for the paths that are served from a place."""
    folder = folder.rstrip("/")
    if place.folder == folder or place.folder.startswith(folder + "/") or not folder:
        return ALWAYS
    if folder.startswith(place.folder + "/"):
        return below(place.url + folder[len(place.folder):], span)
    return NEVER


def _folder_pattern(pattern: str, place: Place, node: Node, context: Context) -> Condition:
    """`<DirectoryMatch pattern>`: it is searched for in the whole name of what the path leads to, a folder's with its final slash."""
    read = context.pattern(pattern, node)
    asks_on = re.search(r"\$|\\[zZbB]|\(\?<?[!=]", re.sub(r"\\[^zZbB]|\[\^?\]?[^\]]*\]", "", pattern))
    if search(read, place.folder + "/") and not asks_on:
        # The folder itself is walked to without a slash where an alias is asked for by itself (2.4.71, probed).
        return ALWAYS if not place.url or search(read, place.folder) else PathStartsWith(place.url + "/", span=node.span)
    rest = behind(read, place.folder)
    if rest == NOWHERE:
        return NEVER  # it is for other folders
    if rest is None:
        context.value(node, node.args[-1], "a pattern that can be told apart at the end of a document root was expected; others are not read")
        return NEVER
    loose = rest.removeprefix(".*") if not place.url and rest.startswith(".*") else f"^{re.escape(place.url)}{rest}"
    return FolderMatches(place.folder, read, place.url, span=node.span, looks=PathMatches(context.pattern(loose, node), span=node.span))


def _folder_glob(text: str, place: Place, node: Node, context: Context, files: bool) -> Condition:
    """`<Directory /srv/*/private>` for the paths that are served from a place."""
    if search(context.pattern(glob_pattern(text), node), place.folder):
        return ALWAYS
    if not text.startswith(place.folder + "/"):
        context.value(node, text, "a shell pattern below a document root, or one that holds for all of it, was expected")
        return NEVER
    rest = glob_pattern(text[len(place.folder):].rstrip("/"), anchored=False)
    looks = PathMatches(context.pattern(f"^{re.escape(place.url)}{rest}(?:/|$)", node), span=node.span)
    return FolderMatches(place.folder, context.pattern(glob_pattern(text), node), place.url, True, node.span, files, looks)


def _file_name(section: Section, place: Place, context: Context) -> AllOf:
    """`<Files>`: a segment of the path has such a name, and it is the one that the file has."""
    node = section.node
    text = section.text if section.kind == "filesmatch" else "^" + glob_pattern(section.text, anchored=False) + "$"
    pattern = context.pattern(text, node)
    flags, pieces = _alternatives(text)
    loose = PathMatches(context.pattern(flags + "|".join(map(_of_segment, pieces)), node), span=node.span)
    return AllOf((loose, FileNameMatches(place.folder, pattern, place.url, node.span)), node.span)


def _of_segment(text: str) -> str:
    """One way to name a file -> what finds such a segment in a path; any segment where a sign for the start or the end stands inside."""
    starts, ends = text.startswith("^"), re.search(r"(?<!\\)(?:\\\\)*\$$", text) is not None
    inner = text[starts:len(text) - ends]
    if re.search(r"(?<![\\\[])[\^$]", re.sub(r"\[\^?\]?[^\]]*\]", "", inner)):
        return "/"
    return f"/{'' if starts else '[^/]*'}{f'(?:{inner})' if '|' in inner else inner}{'(?:/|$)' if ends else '[^/]*(?:/|$)'}"


def _alternatives(text: str) -> tuple[str, list[str]]:
    """A pattern's flags, and the alternatives that it is made of, each with its own signs for the start and the end: `(^#|~)$` is `^#$` and `~$`."""
    flags = re.match(r"\(\?[a-z]+\)", text)
    pieces: list[str] = []
    left = [text[flags.end():] if flags else text]
    while left:
        found = _split(left.pop(0))
        if len(found) > 1:
            left = found + left
            continue
        whole = re.fullmatch(r"(\^?)\((?:\?:)?(.*)\)(\$?)", found[0], re.DOTALL)
        if whole and len(_split(whole[2])) > 1 and not whole[2].startswith("?") and _is_closed(whole[2]):
            left = [whole[1] + piece + whole[3] for piece in _split(whole[2])] + left
        else:
            pieces.append(found[0])
    return flags[0] if flags else "", pieces


def _split(text: str) -> list[str]:
    """The alternatives of a pattern that stand in no group."""
    made, depth, start = [], 0, 0
    for found in re.finditer(r"\\.|\[\^?\]?(?:\\.|[^\]\\])*\]|[()|]", text, re.DOTALL):
        depth += {"(": 1, ")": -1}.get(found[0], 0)
        if found[0] == "|" and not depth:
            made.append(text[start:found.start()])
            start = found.end()
    return [*made, text[start:]]


def _is_closed(text: str) -> bool:
    """Whether every group in a pattern ends in it."""
    depth = 0
    for found in re.finditer(r"\\.|\[\^?\]?(?:\\.|[^\]\\])*\]|[()]", text, re.DOTALL):
        depth += {"(": 1, ")": -1}.get(found[0], 0)
        if depth < 0:
            return False
    return depth == 0


def _is_glob(text: str) -> bool:
    return any(sign in text for sign in "*?[")


def _signs(text: str) -> str:
    return "".join({"*": "[^/]*", "?": "[^/]"}.get(part, part if part.startswith("[") and part.endswith("]") else re.escape(part)) for part in re.split(r"(\*|\?|\[[^\]]+\])", text))


def glob_pattern(text: str, anchored: bool = True) -> str:
    """A shell pattern, where neither sign takes a slash, as a regular expression."""
    out = _signs(text)
    # A star that is all of a segment stands for a name, not for none.
    out = re.sub(r"(?<=/)\[\^/\]\*(?=/|$)", "[^/]+", out)
    return f"^{out}(?:/|$)" if anchored else out


def is_within(section: Section, above: Section) -> bool:
    """Whether one section's folder, or path, is another's of its kind, or lies below it."""
    return section.kind == above.kind and (section.text.rstrip("/") + "/").startswith(above.text.rstrip("/") + "/")


def where_on(said: list[tuple[Condition, bool]]) -> Condition:
    """Where a switch is on that several places turn on or off: what the last one says that holds counts, and before them all it is off."""
    made: Condition = NEVER
    for held, is_on in said:
        if held == NEVER:
            continue
        if held is ALWAYS:
            made = ALWAYS if is_on else NEVER
        elif is_on:
            made = made if made is ALWAYS else held if made == NEVER else AnyOf((made, held))
        else:
            made = made if made == NEVER else Not(held) if made is ALWAYS else AllOf((made, Not(held)))
    return made
