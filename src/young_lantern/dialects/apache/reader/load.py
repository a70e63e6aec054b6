"""The main file and all it includes -> the directives in force, each claimed against the catalogue.

Source:   Apache HTTP Server manual, core: Include, Define, IfModule, IfDefine; mod_macro; mod_version.
Rule:     conditions are asked while reading, in the order of the lines: IfModule sees what LoadModule lines came before it.
          A configuration without any LoadModule is part of a larger one: all modules are then taken to be there.
Unknown:  an Include without wildcard that finds nothing is SourceUnreadable, as in the server.
"""

from __future__ import annotations

import re
from pathlib import Path

from ....codes import DIRECTIVE_UNKNOWN, INCLUDE_ELSEWHERE, INCLUDE_EMPTY, MODULE_MISSING
from ....errors import SourceUnreadable
from ....model import Disposition
from ....source import SourceTree
from ....source.files import LIMIT_DEPTH
from ....source.places import Pairs, Places
from ...dialect import Claim, likely
from .. import catalogue, values
from ..macros import body_of
from ..syntax import Directive, File, parse
from .context import Context, Node

# What a reader takes the server's version for, where IfVersion asks.
_VERSION = (2, 4, 62)
_LIMIT_MACROS = 50
_STOCK = frozenset({*catalogue.MODULES.values(), *values.BUILT_IN})
_HOLDS = "what stands in it is accounted for line by line"


class Loader:
    """Reads files and fills the context's claims; `files` are the syntax trees by name."""

    def __init__(self, main: Path, context: Context, files: Pairs = ()) -> None:
        self.context = context
        self.files: dict[str, File] = {}
        self.paths: set[Path] = set()
        self.given: dict[str, str] = dict(values.read_environment(main.parent / "envvars"))
        self.defines: dict[str, str] = dict(self.given)
        self.defined: set[str] = set()
        self.macros: dict[str, Directive] = {}
        self.loads = False  # a LoadModule was met
        text = main.read_bytes()[:65536].decode("utf-8", "replace") if main.is_file() else ""
        self.server_root, self.here = _roots(main, text)
        self.tree = SourceTree(self.here, Places(files, self.here, self.server_root))

    def load(self, main: Path) -> list[Node]:
        return summed_up(self._file(main, "server", (), None))

    def _file(self, path: Path, within: str, above: tuple[Path, ...], by: Directive | None) -> list[Node]:
        real = path.resolve()
        if real in above or len(above) > LIMIT_DEPTH:
            assert by is not None
            raise SourceUnreadable(f"the include of {self.tree.name_of(path)} leads back to itself", file=by.file, line=by.line)
        self.paths.add(real)
        name = self.tree.name_of(path)
        if name not in self.files:
            try:
                self.files[name] = parse(self.tree.read(path), name)
            except SourceUnreadable as error:
                if by is not None and error.line is None:
                    raise SourceUnreadable(f"included file {name}: {error.message}", file=by.file, line=by.line) from None
                raise
        return self.expand(self.files[name].directives, within, (*above, real))

    # --- lines in force -------------------------------------------------------------------------------------------------

    def expand(self, directives: list[Directive], within: str, above: tuple[Path, ...], macros: int = 0) -> list[Node]:
        out: list[Node] = []
        for directive in directives:
            claim = self._claim(directive, within)
            args = [self._filled(word) for word in directive.args]
            handler = _STRUCTURE.get(directive.name)
            if handler is not None:
                out += handler(self, directive, args, within, above, macros)
            elif claim.finding is None:
                block = None
                if directive.block is not None:
                    block = summed_up(self.expand(directive.block, _inside(directive.name, within), above, macros))
                    if claim.disposition is Disposition.UNSUPPORTED:
                        self.context.close(directive.block)
                out.append(Node(directive.name, args, directive.span, directive.comments, block, tuple(word.raw for word in directive.words[1:])))
            else:
                self._silence(directive.block or [], "it stands in a section that is not read")
        return out

    def _filled(self, text: str) -> str:
        return re.sub(r"\$\{(\w+)\}", lambda found: self.defines.get(found[1], found[0]), text)

    def _claim(self, directive: Directive, within: str) -> Claim:
        if directive.span in self.context.claims:
            return self.context.claims[directive.span]
        claim = Claim(directive.span, directive.span.directive.split()[0], within)
        self.context.claims[directive.span] = claim
        row = catalogue.row_for(directive.name)
        if row is None:
            close = likely(directive.name, (name.lower() for name in catalogue.NAMES))
            spelt = next((name for name in catalogue.NAMES if close and name.lower() == close), "")
            claim.disposition = Disposition.UNSUPPORTED
            claim.finding = self.context.say(
                DIRECTIVE_UNKNOWN, directive.span, directive=directive.words[0].raw, dialect="httpd", likely=f" (did you mean {spelt}?)" if spelt else "")
            return claim
        module = catalogue.MODULES[row.name.lower()]
        if not self.context.has(module):
            claim.finding = self.context.say(MODULE_MISSING, directive.span, directive=row.name, module=module)
            claim.disposition = Disposition.UNSUPPORTED
        elif row.disposition is not None:
            claim.disposition, claim.why = row.settled([self._filled(word) for word in directive.args])
        return claim

    def _keep(self, directive: Directive, why: str = _HOLDS) -> None:
        claim = self.context.claims[directive.span]
        claim.claimed, claim.disposition, claim.why = True, Disposition.KEPT, why

    def _silence(self, directives: list[Directive], why: str) -> None:
        for top in directives:
            for directive in top.walk():
                self.context.claims.setdefault(directive.span, Claim(directive.span, directive.name, "", True, Disposition.IMPLIED, why))

    # --- lines that say which lines are in force --------------------------------------------------------------------------

    def _include(self, directive: Directive, args: list[str], within: str, above: tuple[Path, ...], macros: int) -> list[Node]:
        self._keep(directive, "what it includes is accounted for line by line")
        out: list[Node] = []
        for pattern in args:
            found = self._matches(pattern)
            if not found and directive.name == "include" and any(sign in pattern for sign in "*?["):
                raise SourceUnreadable(f"no file matches {pattern}, which the server does not accept; IncludeOptional does", file=directive.file, line=directive.line)
            if not found:
                self.context.say(INCLUDE_EMPTY, directive.span, pattern=pattern)
            if self.tree.strange(pattern, found, self.server_root):
                self.context.say(INCLUDE_ELSEWHERE, directive.span, pattern=pattern, folder=pattern.rpartition("/")[0])
            for path in found:
                if directive.name == "includeoptional" and not path.exists():
                    self.context.say(INCLUDE_EMPTY, directive.span, pattern=pattern)
                    continue
                out += self._file(path, within, above, directive)
        return out

    def _matches(self, pattern: str) -> list[Path]:
        if self.server_root and pattern.startswith(self.server_root + "/"):
            pattern = pattern[len(self.server_root) + 1:]
        found = self.tree.matches(self.here, pattern)
        # Include of a folder takes every file below it.
        return [inner for path in found for inner in (sorted(item for item in path.rglob("*") if item.is_file()) if path.is_dir() else [path])]

    def _define(self, directive: Directive, args: list[str], *_: object) -> list[Node]:
        self._keep(directive, "its value stands where it is used")
        if directive.name == "undefine":
            self.defines.pop(args[0] if args else "", None)
        elif args:
            self.defines[args[0]] = args[1] if len(args) > 1 else ""
            self.defined.add(args[0])
        return []

    def _load_module(self, directive: Directive, args: list[str], *_: object) -> list[Node]:
        self.loads = True
        if args and self.context.modules is not None:
            self.context.modules.add(values.module_name(args[0]))
        claim = self.context.claims[directive.span]
        claim.claimed, claim.disposition, claim.why = True, Disposition.IMPLIED, "what the module does is accounted for with its directives"
        return []

    def _server_root(self, directive: Directive, *_: object) -> list[Node]:
        self._keep(directive, "names below it are read from there")
        return []

    def _section(self, directive: Directive, args: list[str], within: str, above: tuple[Path, ...], macros: int) -> list[Node]:
        self._keep(directive)
        if not self._holds(directive.name, args):
            self._silence(directive.block or [], f"it is not in force: {directive.span.directive} does not hold")
            return []
        return self.expand(directive.block or [], within, above, macros)

    def _holds(self, name: str, args: list[str]) -> bool:
        text = args[0] if args else ""
        negated, text = text.startswith("!"), text.removeprefix("!")
        if name == "<ifmodule":
            # Where nothing says which modules there are, those of the stock server are taken to be.
            module = values.module_name(text)
            held = self.context.has(module) and (self.context.modules is not None or module in _STOCK)
        elif name == "<ifdefine":
            held = text in self.defines
        elif name == "<iffile":
            held = (self.here / text).exists()
        else:
            sign, wanted = (text, args[1]) if len(args) > 1 else ("=", text)
            held = values.version_holds(_VERSION, sign, wanted)
        return held != negated

    def _macro(self, directive: Directive, args: list[str], *_: object) -> list[Node]:
        self._keep(directive)
        if args:
            self.macros[args[0].lower()] = directive
        for inner in (item for top in directive.block or [] for item in top.walk()):
            self._claim(inner, "server")
        return []

    def _use(self, directive: Directive, args: list[str], within: str, above: tuple[Path, ...], macros: int) -> list[Node]:
        self._keep(directive, "what the macro says is accounted for line by line")
        macro = self.macros.get(args[0].lower()) if args else None
        if macro is None:
            raise SourceUnreadable(f"there is no macro {args[0] if args else ''}; expected one that a <Macro> above defines", file=directive.file, line=directive.line)
        if macros >= _LIMIT_MACROS:
            raise SourceUnreadable(f"the macro {args[0]} uses itself", file=directive.file, line=directive.line)
        return self.expand(body_of(macro, args[1:]), within, above, macros + 1)


_STRUCTURE = {
    "include": Loader._include, "includeoptional": Loader._include, "define": Loader._define, "undefine": Loader._define,
    "loadmodule": Loader._load_module, "serverroot": Loader._server_root, "<ifmodule": Loader._section, "<ifdefine": Loader._section,
    "<ifversion": Loader._section, "<iffile": Loader._section, "<macro": Loader._macro, "use": Loader._use,
}
_FOLDERS = frozenset({"<directory", "<directorymatch", "<location", "<locationmatch", "<files", "<filesmatch", "<proxy", "<proxymatch", "<if", "<elseif", "<else"})


def _inside(name: str, within: str) -> str:
    return "folder" if name in _FOLDERS else within


def _roots(main: Path, text: str) -> tuple[str, Path]:
    """ServerRoot as written, and the folder here that stands for it: a copy of /etc/httpd may lie anywhere."""
    found = re.search(r'^\s*ServerRoot\s+"?([^"\s]+)"?', text, re.MULTILINE | re.IGNORECASE)
    written = found[1].rstrip("/") if found else ""
    if written and "$" not in written and main.is_relative_to(written):
        return written, Path(written)
    return written or "/etc/apache2", main.parent.parent if main.parent.name == "conf" else main.parent


def summed_up(nodes: list[Node]) -> list[Node]:
    """The lines of one section, each DirectoryIndex with the names of those before it: within a section they add up (mod_dir.c, add_index; 2.4.71, probed)."""
    names: list[str] = []
    for node in nodes:
        if node.name == "directoryindex":
            names = [] if [word.lower() for word in node.args] == ["disabled"] else [*names, *node.args]
            node.args = names or ["disabled"]
    return nodes
