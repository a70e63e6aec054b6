"""Caddyfile and all it imports -> site blocks with their snippets put in place, each directive claimed.

Source:   Caddy documentation, "import", "Snippets"; caddyfile parser (2.6.2): a snippet is known after its definition;
          an import without a wildcard must find its file.
Unknown:  a missing file or an import that leads back to itself is SourceUnreadable with file and line.
"""

from __future__ import annotations

import copy
import re
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
                directive.block = self._segment(directive.block, (main.resolve(),), Path(main).parent)
                loaded.sites.append(directive)
        return loaded

    def _tops(self, path: Path, above: tuple[Path, ...], by: Directive | None = None) -> list[Directive]:
        real = path.resolve()
        if real in above or len(above) > LIMIT_DEPTH:
            assert by is not None
            raise SourceUnreadable(f"the import of {self.tree.name_of(path)} leads back to itself", file=by.file, line=by.span.line)
        name = self.tree.name_of(path)
        if name not in self.files:
            try:
                self.files[name] = parse(self.tree.read(path), name)
            except SourceUnreadable as error:
                if by is not None and error.line is None:
                    raise SourceUnreadable(f"imported file {name}: {error.message}", file=by.file, line=by.span.line) from None
                raise
        directives = self.files[name].directives
        if above or not _is_single_site(directives):
            return self._expand_tops(directives, path, (*above, real))
        start = 1 if directives and not directives[0].words else 0
        head, *body = directives[start:]
        single = Directive(head.words, head.opening, body, "", head.file, body[-1].end_line if body else head.end_line)
        return [*directives[:start], single]

    def _expand_tops(self, directives: list[Directive], path: Path, above: tuple[Path, ...]) -> list[Directive]:
        out: list[Directive] = []
        for directive in directives:
            if directive.name == "import" and directive.block is None:
                self.context.claims[directive.span] = Claim(directive.span, "import", "main", claimed=True)
                for found in self._found(directive, path.parent):
                    out += _imported(self._tops(found, above, directive))
            elif len(directive.words) == 1 and re.fullmatch(r"\(.+\)", directive.name) and directive.block is not None:
                self.context.claims[directive.span] = Claim(directive.span, directive.name, "main", claimed=True)
                self.snippets[directive.name[1:-1]] = directive
            else:
                out.append(directive)
        return out

    def _found(self, directive: Directive, base: Path) -> list[Path]:
        if len(directive.words) < 2:
            raise SourceUnreadable("import takes a file, a mask or a snippet", file=directive.file, line=directive.span.line)
        pattern = directive.args[0]
        here = self.tree.at_home(self.tree.root, pattern, HOME)
        found = self.tree.matches(base if here == pattern else self.tree.root, here)
        if self.tree.strange(here, found, HOME):
            self.context.say(INCLUDE_ELSEWHERE, directive.span, pattern=pattern, folder=pattern.rpartition("/")[0])
        if not found:
            self.context.say(INCLUDE_EMPTY, directive.span, pattern=pattern)
        return found

    def _segment(self, directives: list[Directive], above: tuple[Path, ...], base: Path, snippets: tuple[str, ...] = ()) -> list[Directive]:
        """Directives of a site, handle or route, imports put in place."""
        out: list[Directive] = []
        for directive in directives:
            self._claim(directive, catalogue.SITE)
            if directive.name != "import":
                if directive.block is not None and directive.name in SEGMENTS:
                    directive.block = self._segment(directive.block, above, base, snippets)
                elif directive.block is not None:
                    directive.block = self._lines(directive.block, snippets, above, base)
                out.append(directive)
                continue
            self.context.use(directive)
            name = directive.args[0] if directive.args else ""
            if name in self.snippets:
                if name in snippets:
                    raise SourceUnreadable(f"the snippet {name} imports itself", file=directive.file, line=directive.span.line)
                inner = [_with_arguments(item, directive.args[1:]) for item in self.snippets[name].block or []]
                out += self._segment(inner, above, base, (*snippets, name))
                continue
            for path in self._found(directive, base):
                real = path.resolve()
                if real in above or len(above) > LIMIT_DEPTH:
                    raise SourceUnreadable(f"the import of {self.tree.name_of(path)} leads back to itself", file=directive.file, line=directive.span.line)
                shown = self.tree.name_of(path)
                if shown not in self.files:
                    self.files[shown] = parse(self.tree.read(path), shown)
                out += self._segment(_imported(copy.deepcopy(self.files[shown].directives)), (*above, real), path.parent, snippets)
        return out

    def _lines(self, lines: list[Directive], snippets: tuple[str, ...], above: tuple[Path, ...], base: Path) -> list[Directive]:
        """The lines of a directive's own block, with the snippets that are imported there; what handle_response holds is a segment."""
        out: list[Directive] = []
        for line in lines:
            name = line.args[0] if line.name == "import" and line.args else ""
            if name in snippets:
                raise SourceUnreadable(f"the snippet {name} imports itself", file=line.file, line=line.span.line)
            if name in self.snippets:
                inner = [_with_arguments(item, line.args[1:]) for item in self.snippets[name].block or []]
                out += self._lines(inner, (*snippets, name), above, base)
                continue
            if line.block is not None:
                line.block = self._segment(line.block, above, base, snippets) if line.name == "handle_response" else self._lines(line.block, snippets, above, base)
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


def _imported(directives: list[Directive]) -> list[Directive]:
    for top in directives:
        for inner in top.walk():
            for word in inner.words:
                word.imports += 1
    return directives


def _with_arguments(directive: Directive, arguments: list[str]) -> Directive:
    (made,) = _imported([copy.deepcopy(directive)])
    for inner in made.walk():
        for word in inner.words:
            word.raw = re.sub(r"\{args\.(\d+)\}", lambda found: arguments[int(found[1])] if int(found[1]) < len(arguments) else found[0], word.raw)
    return made
