"""nginx.conf and all it includes -> one tree of directives, each claimed against the catalogue.

Source:   nginx manual, core module, "include"; names are relative to the folder of the main file.
Unknown:  an include without wildcard that is missing is SourceUnreadable, as in the server; a loop likewise.
Cases:    tests/test_bad_input.py
"""

from __future__ import annotations

import re
from pathlib import Path

from ....codes import DIRECTIVE_MISPLACED, DIRECTIVE_UNKNOWN, INCLUDE_ELSEWHERE, INCLUDE_EMPTY, WORDS_WRONG
from ....errors import SourceUnreadable
from ....model import Disposition
from ....source import SourceTree
from ....source.files import LIMIT_DEPTH
from ...dialect import Claim, Row, likely
from .. import catalogue
from ..syntax import Directive, File, parse
from .context import Context

_BLOCKS = frozenset({"http", "events", "server", "location", "if", "upstream", "types", "map", "geo", "limit_except", "stream", "mail", "split_clients"})


# Where packages put the configuration; includes name it in full.
HOME = "/etc/nginx"


class Loader:
    """Reads files and fills the context's claims; `files` are the syntax trees by name."""

    def __init__(self, tree: SourceTree, context: Context) -> None:
        self.tree, self.context = tree, context
        self.files: dict[str, File] = {}
        self.paths: set[Path] = set()

    def load(self, main: Path) -> list[Directive]:
        return self._file(main, "main", (), None)

    def _file(self, path: Path, within: str, above: tuple[Path, ...], by: Directive | None) -> list[Directive]:
        real = path.resolve()
        if real in above or len(above) > LIMIT_DEPTH:
            assert by is not None
            raise SourceUnreadable(f"the include of {self.tree.name_of(path)} leads back to itself", file=by.file, line=by.span.line)
        self.paths.add(real)
        name = self.tree.name_of(path)
        if name not in self.files:
            try:
                self.files[name] = parse(self.tree.read(path), name)
            except SourceUnreadable as error:
                if by is not None and error.line is None:
                    raise SourceUnreadable(f"included file {name}: {error.message}", file=by.file, line=by.span.line) from None
                raise
        return self._expand(self.files[name].directives, within, (*above, real))

    def _expand(self, directives: list[Directive], within: str, above: tuple[Path, ...], opened: Directive | None = None) -> list[Directive]:
        out: list[Directive] = []
        for directive in directives:
            self._claim(directive, within, opened)
            if directive.name == "include" and len(directive.words) == 2:
                self.context.use(directive)
                self.context.claims[directive.span].disposition = Disposition.KEPT
                self.context.claims[directive.span].why = "what it includes is accounted for line by line"
                out += self._include(directive, within, above)
                continue
            if self.context.claims[directive.span].finding is not None:
                # The server refuses it: no topic shall read it, and what stands in it is not carried.
                self._expand(directive.block or [], "opaque", above, directive)
                continue
            out.append(directive)
            if directive.block is None:
                continue
            if within == "opaque" or directive.name in catalogue.OPAQUE_BLOCKS or directive.name not in _BLOCKS:
                self._expand(directive.block, "opaque", above, directive)
            elif directive.name in catalogue.DATA_BLOCKS:
                self.context.blocks[id(directive)] = self._expand(directive.block, "data", above, directive)
            else:
                self.context.blocks[id(directive)] = self._expand(directive.block, directive.name, above)
        return out

    def _include(self, directive: Directive, within: str, above: tuple[Path, ...]) -> list[Directive]:
        pattern = self.tree.at_home(self.tree.root, directive.args[0], HOME)
        found = self.tree.matches(self.tree.root, pattern)
        if self.tree.strange(pattern, found, HOME):
            self.context.say(INCLUDE_ELSEWHERE, directive.span, pattern=pattern, folder=pattern.rpartition("/")[0])
        if not found:
            self.context.say(INCLUDE_EMPTY, directive.span, pattern=pattern)
        out: list[Directive] = []
        for path in found:
            out += self._file(path, within, above, directive)
        return out

    def _claim(self, directive: Directive, within: str, opened: Directive | None) -> None:
        if directive.span in self.context.claims:
            return
        claim = Claim(directive.span, directive.name, within, follows=opened.span if opened else None)
        self.context.claims[directive.span] = claim
        if within == "data":
            claim.claimed = True
            return
        if within == "opaque":
            claim.disposition, claim.why = Disposition.UNSUPPORTED, "it stands in a block that is not carried"
            return
        row = catalogue.row_for(directive.name, within)
        if row is None:
            close = likely(directive.name, catalogue.NAMES)
            claim.disposition = Disposition.UNSUPPORTED
            claim.finding = self.context.say(DIRECTIVE_UNKNOWN, directive.span, directive=directive.name, dialect="nginx",
                                             likely=f" (did you mean {close}?)" if close else "")
        elif within not in row.within:
            claim.disposition = Disposition.UNSUPPORTED
            claim.finding = self.context.say(DIRECTIVE_MISPLACED, directive.span, directive=directive.name, dialect="nginx",
                                             within=within, allowed=", ".join(sorted(row.within)))
        elif not _fits(row, len(directive.words) - 1):
            claim.disposition = Disposition.UNSUPPORTED
            claim.finding = self.context.say(WORDS_WRONG, directive.span, directive=directive.name, dialect="nginx", shape=row.shape)
        elif row.disposition is not None:
            claim.disposition, claim.why = row.settled(directive.args)


def _fits(row: Row, words: int) -> bool:
    least, most = row.takes
    return words >= least and (most is None or words <= most)


def broken(context: Context, directive: Directive) -> bool:
    """Whether the directive was settled while loading (unknown, misplaced, wrong words): topics then leave it alone."""
    return context.claims[directive.span].disposition is not None


def names_used(directives: list[Directive], context: Context) -> tuple[dict[str, list[Directive]], frozenset[str]]:
    """The `set` lines by the variables that they make, and the named groups of all patterns."""
    sets: dict[str, list[Directive]] = {}
    groups: set[str] = set()
    for top in directives:
        for directive in _walk(top, context):
            if directive.name == "set" and len(directive.args) == 2:
                sets.setdefault(directive.args[0].lstrip("$").lower(), []).append(directive)
            if directive.name in ("location", "server_name", "rewrite", "if") or directive.name.startswith("~"):
                for word in (directive.name, *directive.args):
                    groups.update(re.findall(r"\(\?P?<([A-Za-z_]\w*)>", word))
    return sets, frozenset(groups)


def _walk(directive: Directive, context: Context):  # type: ignore[no-untyped-def]
    yield directive
    for inner in context.block(directive):
        yield from _walk(inner, context)


def inactive_files(root: Path, read: set[Path]) -> list[Path]:
    """Site files beside the enabled ones that no include reached: those in a folder named `*available*`."""
    found = []
    for folder in sorted(root.glob("*available*")):
        if folder.is_dir():
            found += [path for path in sorted(folder.iterdir()) if path.is_file() and path.resolve() not in read]
    return found
