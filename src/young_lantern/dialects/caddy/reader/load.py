"""Caddyfile and all it imports -> site blocks with their snippets put in place, each directive claimed.

Source:   Caddy documentation, "import", "Snippets"; caddyfile parser (2.6.2): a snippet is known after its definition;
          an import without a wildcard must find its file.
Unknown:  a missing file or an import that leads back to itself is SourceUnreadable with file and line.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from ....codes import DIRECTIVE_UNKNOWN, INCLUDE_ELSEWHERE, INCLUDE_EMPTY, NO_COUNTERPART
from ....errors import SourceUnreadable
from ....model import Disposition
from ....source import SourceTree
from ....source.files import LIMIT_DEPTH
from ...dialect import Claim, likely
from .. import catalogue
from ..order import ordered_anew
from ..syntax import Directive, File, parse
from .context import Context

# Blocks that hold directives of the site kind; the block of every other directive holds its own settings.
SEGMENTS = frozenset({"handle", "handle_path", "handle_errors", "route"})


@dataclass
class Loaded:
    """What stands at the top: global options, and (addresses, directives) of each site."""

    options: list[Directive] = field(default_factory=list)
    sites: list[Directive] = field(default_factory=list)


# Where packages put the configuration; imports may name it in full.
HOME = "/etc/caddy"


class Loader:
    def __init__(self, tree: SourceTree, context: Context) -> None:
        self.tree, self.context = tree, context
        self.snippets: dict[str, Directive] = {}
        self.files: dict[str, File] = {}
        self.folders: dict[str, Path] = {}  # where each of them lies

    def load(self, main: Path) -> Loaded:
        """The main file -> its options and sites. Raises SourceUnreadable."""
        loaded = Loaded()
        for number, directive in enumerate(self._tops(main, ())):
            if not directive.words:
                if number or directive.block is None:
                    raise SourceUnreadable("a block without an address; only the first may be one, for global options", file=directive.file, line=directive.end_line)
                loaded.options = [self._option(item) for item in directive.block]
            elif directive.block is None:
                raise SourceUnreadable(f"expected '{{' after the address {directive.words[0].raw!r}", file=directive.file, line=directive.span.line)
            else:
                self.context.claims[directive.span] = Claim(directive.span, directive.name, "main", claimed=True)
                directive.block = self._segment(directive.block, (main.resolve(),))
                loaded.sites.append(directive)
        return loaded

    def _file(self, path: Path, above: tuple[Path, ...], by: Directive | None) -> list[Directive]:
        """What stands in a file, as an import puts it in its place."""
        name = self.tree.name_of(path)
        if by is not None and (path.resolve() in above or len(above) > LIMIT_DEPTH):
            raise SourceUnreadable(f"the import of {name} leads back to itself", file=by.file, line=by.span.line)
        if name not in self.files:
            try:
                self.files[name] = parse(self.tree.read(path), name)
            except SourceUnreadable as error:
                if by is not None and error.line is None:
                    raise SourceUnreadable(f"imported file {name}: {error.message}", file=by.file, line=by.span.line) from None
                raise
            self.folders[name] = path.parent
        return self.files[name].directives if by is None else _imported(self.files[name].directives, by.args[1:])

    def _tops(self, path: Path, above: tuple[Path, ...], by: Directive | None = None) -> list[Directive]:
        directives = self._file(path, above, by)
        if above or not _is_single_site(directives):
            return self._expand_tops(directives, (*above, path.resolve()))
        start = 1 if directives and not directives[0].words else 0
        head, *body = directives[start:]
        single = Directive(head.words, head.opening, body, "", head.file, body[-1].end_line if body else head.end_line)
        return [*directives[:start], single]

    def _expand_tops(self, directives: list[Directive], above: tuple[Path, ...]) -> list[Directive]:
        out: list[Directive] = []
        for directive in directives:
            if directive.name == "import" and directive.block is None:
                self.context.claims[directive.span] = Claim(directive.span, "import", "main", claimed=True)
                for found in self._found(directive):
                    out += self._tops(found, above, directive)
            elif len(directive.words) == 1 and re.fullmatch(r"\(.+\)", directive.name) and directive.block is not None:
                self.context.claims[directive.span] = Claim(directive.span, directive.name, "main", claimed=True)
                self.snippets[directive.name[1:-1]] = directive
            else:
                out.append(directive)
        return out

    def _found(self, directive: Directive) -> list[Path]:
        """The files that an import names: from the folder of the file that it is written in (parse.go, doImport; 2.6.2, probed)."""
        if len(directive.words) < 2:
            raise SourceUnreadable("import takes a file, a mask or a snippet", file=directive.file, line=directive.span.line)
        pattern = directive.args[0]
        here = self.tree.at_home(self.tree.root, pattern, HOME)
        base = self.folders[directive.file] if here == pattern else self.tree.root
        while here.startswith("../") and base.name not in ("", ".."):
            base, here = base.parent, here[3:]  # as names are put together, whatever is a link (filepath.Join)
        found = self.tree.matches(base, here)
        if self.tree.strange(here, found, HOME):
            self.context.say(INCLUDE_ELSEWHERE, directive.span, pattern=pattern, folder=pattern.rpartition("/")[0])
        if not found:
            self.context.say(INCLUDE_EMPTY, directive.span, pattern=pattern)
        return found

    def _brought(self, directive: Directive, above: tuple[Path, ...], snippets: tuple[str, ...]) -> Iterator[tuple[list[Directive], tuple[Path, ...], tuple[str, ...]]]:
        """What an import within a block brings: the lines of a snippet, or of each file; with the files and snippets that they come through."""
        name = directive.args[0] if directive.args else ""
        if name in snippets:
            raise SourceUnreadable(f"the snippet {name} imports itself", file=directive.file, line=directive.span.line)
        if name in self.snippets:
            yield _imported(self.snippets[name].block or [], directive.args[1:]), above, (*snippets, name)
            return
        for path in self._found(directive):
            yield self._file(path, above, directive), (*above, path.resolve()), snippets

    def _segment(self, directives: list[Directive], above: tuple[Path, ...], snippets: tuple[str, ...] = ()) -> list[Directive]:
        """Directives of a site, handle or route, imports put in place."""
        out: list[Directive] = []
        for directive in directives:
            self._claim(directive, catalogue.SITE)
            if directive.name == "import":
                self.context.use(directive)
                for inner, files, through in self._brought(directive, above, snippets):
                    out += self._segment(inner, files, through)
                continue
            if directive.block is not None:
                directive.block = (self._segment if directive.name in SEGMENTS else self._lines)(directive.block, above, snippets)
            out.append(directive)
        return out

    def _lines(self, lines: list[Directive], above: tuple[Path, ...], snippets: tuple[str, ...]) -> list[Directive]:
        """The lines of a directive's own block, with what is imported there; what handle_response holds is a segment."""
        out: list[Directive] = []
        for line in lines:
            if line.name == "import":
                for inner, files, through in self._brought(line, above, snippets):
                    out += self._lines(inner, files, through)
                continue
            if line.block is not None:
                line.block = (self._segment if line.name == "handle_response" else self._lines)(line.block, above, snippets)
            out.append(line)
        return out

    def _option(self, directive: Directive) -> Directive:
        """A global option; `servers` with nothing in it that an answer depends on is one of the harmless ones."""
        if directive.name == "servers" and all(line.name in catalogue.SERVERS_OWN for line in directive.block or []):
            sized = any(line.name == "max_header_size" for line in directive.block or [])
            self.context.claims[directive.span] = Claim(directive.span, directive.name, catalogue.GLOBAL, True, None if sized else Disposition.IMPLIED, "" if sized else "it sets times, sizes and records of the server; no answer depends on it")
            self.context.servers.append(directive)
            return directive
        if directive.name == "order":
            made = ordered_anew(self.context.order, directive.args)
            self.context.claims[directive.span] = Claim(directive.span, directive.name, catalogue.GLOBAL, True)
            if made is None:
                self.context.unread(directive, " ".join(directive.args), "a directive of the server's own, and first, last, before or after another, were expected")
            else:
                self.context.order = made
            return directive
        return self._claim(directive, catalogue.GLOBAL)

    def _claim(self, directive: Directive, within: str) -> Directive:
        if directive.span in self.context.claims:
            return directive
        name = directive.name
        claim = Claim(directive.span, name, within)
        self.context.claims[directive.span] = claim
        if name.startswith("@"):
            return directive
        row = catalogue.row_for(name, within)
        if row is None:
            close = likely(name, catalogue.NAMES)
            claim.disposition = Disposition.UNSUPPORTED
            claim.finding = self.context.say(DIRECTIVE_UNKNOWN, directive.span, directive=name, dialect="caddy",
                                             likely=f" (did you mean {close}?)" if close else "")
        elif row.disposition is not None:
            claim.disposition, claim.why = row.disposition, row.why
            if row.disposition is Disposition.UNSUPPORTED:
                claim.finding = self.context.say(NO_COUNTERPART, directive.span, directive=name, target="any other dialect",
                                                 reason=row.why, advice="carry its effect over by hand")
        return directive


def _is_single_site(directives: list[Directive]) -> bool:
    """A file for one site may leave out the braces: the first line holds addresses, the rest directives."""
    rest = [item for item in directives if item.words]
    if not rest or rest[0].block is not None or rest[0].name == "import":
        return False
    return all(item.name.startswith("@") or catalogue.row_for(item.name, catalogue.SITE) for item in rest[1:])


def _imported(directives: list[Directive], arguments: list[str]) -> list[Directive]:
    """What an import puts in its place: copies, so that the file, or snippet, stays as it is written."""
    made = copy.deepcopy(directives)
    for top in made:
        for inner in top.walk():
            for word in inner.words:
                word.imports = (*word.imports, tuple(arguments))
    return made
