"""httpd `.htaccess` files -> sections for their folders. No mirror: what they say is written into sections of the configuration.

Source:   Apache HTTP Server manual, ".htaccess files", core: AllowOverride, AllowOverrideList, AccessFileName; server/config.c ap_parse_htaccess.
Rule:     such a file counts like a section for its folder, after the sections that name the folder. A line that is not permitted there,
          or not known, makes every answer from the folder 500, unless Nonfatal is written.
Left out: files in folders that are not on this machine: said, with the folder. Options=… is checked by the names of the options.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from ....codes import DIRECTIVE_UNKNOWN, FOLDER_FILE_REFUSED, FOLDER_FILES_CUT, FOLDER_FILES_UNSEEN, MODULE_MISSING
from ....errors import SourceUnreadable
from ....model import Disposition, Pattern, Span
from ....patterns import search
from ....source.places import Places
from ...dialect import Beside
from .. import overrides
from ..syntax import parse
from .context import Context, Node
from .load import Loader, summed_up
from .places import Section, glob_pattern, merged, read_within

# Document roots hold many folders that no rule speaks of; chosen among 2,000, 20,000 and 200,000 (a second on an ordinary disk).
LIMIT_FOLDERS = 20_000
_DEFAULT_NAMES = (".htaccess",)


@dataclass(frozen=True, slots=True)
class Allowed:
    """What AllowOverride lets such files say. options: the only ones, if it names some; nonfatal: what is not permitted is passed over."""

    words: frozenset[str] = frozenset()
    listed: frozenset[str] = frozenset()
    options: frozenset[str] = frozenset()
    nonfatal: bool = False
    span: Span | None = None

    @property
    def is_unsaid(self) -> bool:
        """The manual says None (core, AllowOverride); but where no line says anything such files are read, and any directive in them is an error (2.4.71, probed)."""
        return self.span is None

    def permits(self, node: Node) -> bool:
        if node.name == "options" and self.options and not {word.lower().lstrip("+-") for word in node.args} <= self.options:
            return False
        return overrides.permits(node.name, self.words, self.listed)


@dataclass
class FolderFiles:
    """The files found so far. beside: by the name of their text; tops: folders that lie elsewhere here."""

    loader: Loader
    places: Places
    context: Context
    beside: dict[str, Beside] = field(default_factory=dict)
    tops: dict[str, Path] = field(default_factory=dict)
    _found: dict[tuple[str, Path], list[Beside]] = field(default_factory=dict)
    _read: dict[tuple[Path, Allowed], Section | None] = field(default_factory=dict)

    def sections(self, folders: list[str], sections: list[Section], names: list[Node]) -> list[Section]:
        """What the files in some folders, and below them, say. sections: those of the configuration; names: AccessFileName lines."""
        said = self.context.last(names, "accessfilename")
        wanted = tuple(said.args) if said is not None and said.args else _DEFAULT_NAMES
        rules = [section for section in merged(sections) if section.kind in ("directory", "directorymatch")]
        made: list[Section] = []
        for top in sorted(set(folders)):
            if any(top.startswith(other + "/") for other in folders) or not top.startswith("/"):
                continue
            here = self.places.find(top)
            if here is None:
                self._unseen(top, rules)
                continue
            if here.as_posix() != top:
                self.tops[top] = here
            for found in self._files(top, here, wanted):
                allowed = allowed_in(found.folder, rules)
                if (allowed.words or allowed.listed or allowed.is_unsaid) and (section := self._section(found, allowed)) is not None:
                    made.append(section)
        return made

    def _unseen(self, top: str, rules: list[Section]) -> None:
        here = allowed_in(top, rules)
        for said in [here, *(allowed_in(section.text.rstrip("/"), rules) for section in rules if section.kind == "directory" and section.text.startswith(top + "/"))]:
            if said.span is not None and (said.words or said.listed):
                claim = self.context.claims[said.span]
                claim.disposition, claim.why = Disposition.UNSUPPORTED, f"the folder {top} is not on this machine, so that its .htaccess files are not read"
                claim.finding = self.context.say(FOLDER_FILES_UNSEEN, said.span, folder=top)

    def _files(self, top: str, here: Path, names: tuple[str, ...]) -> list[Beside]:
        """All such files, those above first."""
        key = (top, here)
        if key not in self._found:
            self._found[key] = []
            for number, (folder, inner, files) in enumerate(os.walk(here)):
                inner.sort()
                if number >= LIMIT_FOLDERS:
                    self.context.say(FOLDER_FILES_CUT, None, folder=top, limit=str(LIMIT_FOLDERS))
                    break
                name = next((name for name in names if name in files), None)
                if name is not None:
                    self._found[key].append(Beside(top, here, Path(folder) / name))
        return self._found[key]

    def _section(self, found: Beside, allowed: Allowed) -> Section | None:
        key = (found.path, allowed)
        if key not in self._read:
            self._read[key] = self._made(found, allowed)
        return self._read[key]

    def _made(self, found: Beside, allowed: Allowed) -> Section | None:
        folder, path = found.folder, found.path
        loader, name = self.loader, self.loader.tree.name_of(path)
        self.beside[name] = found
        span = Span(name, 1, directive=path.name)
        try:
            if name not in loader.files:
                loader.files[name] = parse(loader.tree.read(path), name)
            nodes = summed_up(loader.expand(loader.files[name].directives, "htaccess", (path.resolve(),)))
        except SourceUnreadable as error:
            if name not in loader.files:
                loader.files[name] = parse("", name)
            at = Span(name, error.line or 1, directive=path.name)
            self.context.say(FOLDER_FILE_REFUSED, at, folder=folder, what=error.message)
            return Section("directory", folder, Node("<directory", [folder], at, block=[]), refused=at)
        refused = self._refused(nodes, name, allowed)
        if refused is not None and not allowed.nonfatal:
            self.context.blame(FOLDER_FILE_REFUSED, refused, folder=folder, what=f"{refused.directive.split()[0]} is not permitted here, or not known")
            for node in _all(nodes):
                if node.span != refused:
                    claim = self.context.claims[node.span]
                    claim.claimed, claim.disposition, claim.why = True, Disposition.IMPLIED, f"the folder is answered with 500 because of the line at {refused}"
            return Section("directory", folder, Node("<directory", [folder], span, block=[]), refused=refused)
        if allowed.nonfatal:
            nodes = [node for node in nodes if allowed.permits(node)]
        return Section("directory", folder, Node("<directory", [folder], nodes[0].span if nodes else span, block=nodes), by_file=True)

    def _refused(self, nodes: list[Node], name: str, allowed: Allowed) -> Span | None:
        """The first line that the server refuses."""
        if allowed.is_unsaid:
            return next((directive.span for directive in self.loader.files[name].directives), None)
        bad = [node.span for node in _all(nodes) if not allowed.permits(node)]
        bad += [claim.span for claim in self.context.claims.values()
                if claim.span.file == name and claim.finding is not None and claim.finding.code in (DIRECTIVE_UNKNOWN, MODULE_MISSING)]
        return min(bad, key=lambda span: span.line, default=None)


def _all(nodes: list[Node]) -> Iterator[Node]:
    for node in nodes:
        yield node
        yield from _all(node.block or [])


def allowed_in(folder: str, sections: list[Section]) -> Allowed:
    """AllowOverride in force for a folder: that of the last section which holds it. Silence: nothing is permitted, and everything an error."""
    made = Allowed()
    for section in sections:
        said = section.node.own("allowoverride", "allowoverridelist")
        if not said or section.kind != "directory" or not _holds(section.text, folder):
            continue
        for node in said:
            words = [word.lower() for word in node.args]
            if node.name == "allowoverridelist":
                made = Allowed(made.words, frozenset() if words == ["none"] else frozenset(words), made.options, made.nonfatal, node.span)
                continue
            options = next((word.partition("=")[2] for word in words if word.startswith("options=")), "")
            made = Allowed(
                frozenset(word.partition("=")[0] for word in words) & overrides.WORDS, made.listed, frozenset(filter(None, options.split(","))),
                any(word.startswith("nonfatal=") for word in words), node.span)
    return made


def _holds(text: str, folder: str) -> bool:
    if re.search(r"[*?\[]", text):
        return search(Pattern(glob_pattern(text), "pcre"), folder) is not None
    text = text.rstrip("/")
    return folder == text or folder.startswith(text + "/")


def with_folder_files(sections: list[Section], folders: list[str], names: list[Node], context: Context) -> list[Section]:
    """The sections of the configuration, and those that `.htaccess` files in the folders make, with what stands in these."""
    made: list[Section] = list(sections)
    if context.folders is None:
        return made
    for section in context.folders.sections(folders, sections, names):
        made += [section, *read_within(section, context)]
    return made
