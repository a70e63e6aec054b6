"""server.xml, the files beside it and those of each context -> elements, each claimed against the catalogue.

Source:   Tomcat documentation, "The Context Container" and "The Host Container"; HostConfig, ContextConfig (10.1.60): contexts are those that stand in the
          Host, those with a file in conf/ENGINE/HOST, and the folders below appBase; conf/context.xml, and context.xml.default there, go before each one's own.
Unknown:  a file that is no well-formed XML is SourceUnreadable with its line.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

from ....codes import DIRECTIVE_MISPLACED, DIRECTIVE_UNKNOWN
from ....model import Disposition, Span
from ....source import SourceTree
from ...dialect import Claim, likely
from .. import catalogue
from ..rules import Line, parse as parse_rules
from ..syntax import Element, File, parse
from .context import Context

# What takes the place of its parent's claim: it stands in an element that is claimed as a whole.
_ARCHIVE = ".war"


@dataclass
class Place:
    """A context: what answers the paths below one prefix.

    path: "" or `/app`; root: its folder as configured; here: where that is on this machine
    parts: elements of contexts that hold for it, the outermost first; descriptors: web.xml of the server and its own
    rules: the lines for its RewriteValve; archive: it is a file, or brings classes, that nobody here looks into
    """

    path: str
    root: str
    span: Span
    here: Path | None = None
    parts: list[Element] = field(default_factory=list)
    descriptors: list[Element] = field(default_factory=list)
    rules: list[Line] | None = None
    archive: str = ""


class Loader:
    """Reads files and fills the context's claims; `files` are the trees by name, `rules` the lines by name."""

    def __init__(self, tree: SourceTree, context: Context, conf: Path) -> None:
        self.tree, self.context, self.conf = tree, context, conf
        self.files: dict[str, File] = {}
        self.rules: dict[str, list[Line]] = {}
        self.web = self.optional(conf / "web.xml")
        self.defaults = self.optional(conf / "context.xml")

    def load(self, path: Path, within: str = "file") -> Element:
        name = self.tree.name_of(path)
        if name not in self.files:
            self.files[name] = parse(self.tree.read(path), name)
            root = self.files[name].root
            if root.name == "web-app":
                self._claim_descriptor(root)
            else:
                self._claim(root, within)
        return self.files[name].root

    def optional(self, path: Path) -> Element | None:
        """What a file holds that need not be there."""
        return self.load(path, "Host") if path.is_file() else None

    def lines(self, path: Path) -> list[Line] | None:
        """The rules in a file; None where there is none."""
        if not path.is_file():
            return None
        name = self.tree.name_of(path)
        if name not in self.rules:
            self.rules[name] = parse_rules(self.tree.read(path), name)
            for line in self.rules[name]:
                row = catalogue.row_for(line.name, catalogue.RULES)
                claim = self._made(line.span, line.name, "rules")
                if row is None:
                    claim.disposition = Disposition.UNSUPPORTED
                    claim.finding = self.context.say(DIRECTIVE_UNKNOWN, line.span, directive=line.name, dialect="tomcat", likely=_likely(line.name))
        return self.rules[name]

    # --- claims -------------------------------------------------------------------------------------------------------

    def _made(self, span: Span, name: str, within: str) -> Claim:
        claim = Claim(span, name, within)
        self.context.claims[span] = claim
        return claim

    def _claim(self, element: Element, within: str) -> None:
        name = kind_of(element)
        claim = self._made(element.span, name, within)
        self._settle(claim, name, within)
        if name in catalogue.HOLDERS:
            claim.disposition, claim.why = Disposition.KEPT, "what stands in it is accounted for line by line"
        for held in element.attributes.values():
            if held.name == "className" and name != element.name:
                continue  # it is what the element goes by
            own = self._made(held.span, held.name, name)
            own.follows = element.span
            self._settle(own, held.name, name, element.span, self.context.filled(held.value))
        for child in element.children:
            if element.name in catalogue.WHOLE or element.name == "web-app":
                self._follow(child, element.span)
            else:
                self._claim(child, name)

    def _settle(self, claim: Claim, name: str, within: str, inside: Span | None = None, value: str = "") -> None:
        row = catalogue.row_for(name, within)
        whole = self.context.claims[inside] if inside is not None else None
        if row is not None and row.disposition is not None:
            claim.disposition, claim.why = row.settled([value])
        elif row is None and whole is not None and whole.disposition is not None:
            claim.disposition, claim.why, claim.follows = whole.disposition, whole.why, inside
        elif row is None and name == "className":
            claim.disposition, claim.why = Disposition.IMPLIED, catalogue.OWN
        elif row is None:
            claim.disposition = Disposition.UNSUPPORTED
            if name in catalogue.NAMES and inside is None:
                allowed = " or ".join(sorted({place for row in catalogue.ROWS if row.name == name for place in row.within}))
                claim.finding = self.context.say(DIRECTIVE_MISPLACED, claim.span, directive=name, within=within, dialect="tomcat", allowed=allowed)
            else:
                claim.finding = self.context.say(DIRECTIVE_UNKNOWN, claim.span, directive=name, dialect="tomcat", likely=_likely(name))

    def _follow(self, element: Element, above: Span) -> None:
        whole = self.context.claims[above]
        for inner in element.walk():
            claim = self._made(inner.span, inner.name, whole.name)
            claim.disposition, claim.why, claim.follows = whole.disposition, whole.why, above

    def _claim_descriptor(self, root: Element) -> None:
        """web.xml: one claim for each child; a run of media types counts as one."""
        before: Element | None = None
        claim = self._made(root.span, "web-app", "file")
        claim.disposition, claim.why = Disposition.KEPT, "what stands in it is accounted for line by line"
        for child in root.children:
            if before is not None and child.name == before.name == "mime-mapping":
                child.span = before.span
                continue
            before = child
            self._settle(self._made(child.span, child.name, "web-app"), child.name, "web-app")

    # --- contexts -----------------------------------------------------------------------------------------------------

    def places(self, host: Element, engine: Element) -> list[Place]:
        """The contexts of a host, each path once, as Tomcat finds them."""
        context = self.context
        base = context.path(context.value(host, "appBase", "webapps"))
        folder = context.places.find(base)
        name, engine_name = host.get("name", "localhost"), engine.get("name", "Catalina")
        own = self.conf / context.filled(engine_name) / context.filled(name).lower()
        around = [item for item in (self.defaults, self.optional(own / "context.xml.default")) if item is not None]
        found: dict[str, Place] = {}

        def add(place: Place) -> None:
            # Mapper.internalMap: of several versions the last is for whoever has no session yet.
            if place.path not in found or "##" in place.root:
                found[place.path] = place

        for element in host.all("Context"):
            path = context.value(element, "path")
            path = "" if path in ("", "/") else path.rstrip("/")
            root = context.value(element, "docBase") or (path[1:].replace("/", "#") or "ROOT")
            add(self._place(path, context.path(root, base), element, around))
        for file in sorted(own.glob("*.xml")) if own.is_dir() else []:
            element = self.load(file, "Host")
            path = _path_of(file.stem)
            if "path" in element.attributes:
                context.settled(element.attributes["path"].span, Disposition.IMPLIED, "the name of the file says the path, and this is passed over")
            add(self._place(path, context.path(context.value(element, "docBase") or file.stem, base), element, around))
        deploys = context.truth(host, "deployOnStartup", True)
        if deploys and folder is not None and folder.is_dir():
            for item in sorted(folder.iterdir()):
                if item.is_dir() and item.name.upper() not in ("META-INF", "WEB-INF"):
                    own_file = context.truth(host, "deployXML", True)
                    element = self.optional(item / "META-INF" / "context.xml") if own_file else None
                    add(replace(self._place(_path_of(item.name), f"{base}/{item.name}", element, around), span=host.span if element is None else element.span))
                elif item.suffix == _ARCHIVE and not item.with_suffix("").is_dir():
                    add(Place(_path_of(item.stem), f"{base}/{item.name}", host.span, item, archive=item.name))
        elif deploys and folder is None and "appBase" in host.attributes and not found:
            context.lose(host.attributes["appBase"].span, f"what lies in {base}", "the folder is not on this machine, so that its contexts are not known; --files-at says where a copy lies")
        return sorted(found.values(), key=lambda place: (-place.path.count("/"), -len(place.path), place.path))

    def _place(self, path: str, root: str, element: Element | None, around: list[Element]) -> Place:
        here = self.context.places.find(root)
        place = Place(path, root, element.span if element is not None else Span("", 0), here, [*around, *([element] if element is not None else [])],
                      [item for item in (self.web,) if item is not None])
        if root.endswith(_ARCHIVE):
            place.archive = root.rpartition("/")[2]
        if here is None or not here.is_dir():
            return place
        if (descriptor := here / "WEB-INF" / "web.xml").is_file():
            place.descriptors.append(self.load(descriptor))
        place.rules = self.lines(here / "WEB-INF" / "rewrite.config")
        classes = next((item for item in (here / "WEB-INF").glob("lib/*.jar")), None) or next((item for item in (here / "WEB-INF").glob("classes/**/*.class")), None)
        place.archive = classes.relative_to(here).as_posix() if classes is not None else ""
        return place


def kind_of(element: Element) -> str:
    """What an element is looked up by: a valve by the last part of its class."""
    return element.get("className").rpartition(".")[2] or "Valve" if element.name == "Valve" else element.name


def valves(elements: list[Element]) -> Iterator[Element]:
    """The valves of containers, in the order in which they act."""
    for element in elements:
        yield from element.all("Valve")


def _path_of(name: str) -> str:
    """The path of a context whose file or folder has this name: `ROOT` is the root, `a#b` is /a/b, and a version behind `##` is none of it."""
    bare = name.partition("##")[0]
    return "" if bare == "ROOT" else "/" + bare.replace("#", "/")


def _likely(name: str) -> str:
    close = likely(name, catalogue.NAMES)
    return f" (did you mean {close}?)" if close else ""
