"""server.xml, with what lies beside it and in the folders of its contexts -> Estate. Mirror: none yet; Tomcat is a source only.

Source:   Tomcat 10.1 documentation, "Configuration Reference"; Jakarta Servlet 6.0; rules confirmed on 10.1.60.
Unknown:  an element or attribute nobody claims becomes `unsupported` (unknown) or `implied` (known, but without effect here).
Left out: what applications answer, JNDI, clusters, AJP.
"""

from __future__ import annotations

import re
from pathlib import Path

from ....errors import SourceUnreadable
from ....model import Disposition, Estate, Listener, Site
from ....source import SourceTree
from ....source.places import Pairs, Places
from ...dialect import Reading
from .context import Context
from .files import media_types
from .listeners import read_listeners
from .load import Loader
from .sites import read_sites

# Where Debian's package has CATALINA_BASE for a configuration folder of this name.
_PACKAGED = re.compile(r"tomcat\d*")
_PROPERTY = re.compile(r"^\s*([\w.\-]+)\s*[=:]\s*(.*?)\s*$", re.MULTILINE)


def read(main: Path, files: Pairs = ()) -> Reading:
    """The configuration that begins in `main` (conf/server.xml) -> Reading. Raises SourceUnreadable."""
    main = main.absolute()
    conf = main.parent
    root, base = (conf.parent, conf.parent.as_posix()) if conf.name == "conf" else (conf, f"/var/lib/{conf.name}" if _PACKAGED.fullmatch(conf.name) else conf.as_posix())
    tree = SourceTree(root, Places(files, root, base))
    context = Context(base=base, places=Places(files, root, base))
    context.properties = {"catalina.base": base, "catalina.home": base, **_properties(conf / "catalina.properties", tree)}
    loader = Loader(tree, context, conf)
    server = loader.load(main)
    if server.name != "Server":
        raise SourceUnreadable(f"its root is <{server.name}>, and not <Server>", file=tree.name_of(main), line=server.span.line)
    if not any(service.all("Connector") for service in server.all("Service")):
        raise SourceUnreadable("has no Connector, so it listens nowhere", file=tree.name_of(main), line=server.span.line)
    context.use(server)
    sites: list[Site] = []
    listeners: list[Listener] = []
    for service in server.all("Service"):
        context.use(service)
        engine = service.first("Engine")
        if engine is None:
            continue
        context.use(engine)
        doors = read_listeners(service.all("Connector"), context)
        made, opened = read_sites(engine, doors, {site.key for site in sites}, loader, context)
        sites += made
        listeners += opened
    if not listeners:
        raise SourceUnreadable("has no Connector that answers HTTP at a port, and so nothing that another server could take over; one for AJP alone is for a front end that speaks it",
                               file=tree.name_of(main), line=next(service.all("Connector")[0] for service in server.all("Service") if service.all("Connector")).span.line)
    for file in loader.files.values():
        for element in file.root.walk():
            if element.name == "Context" and (claim := context.claims.get(element.span)) is not None and claim.disposition is None and not claim.claimed:
                claim.disposition, claim.why = Disposition.IMPLIED, "what stands in it is accounted for line by line"
    context.settle()
    order = {name: number for number, name in enumerate(tree.texts)}
    context.findings.sort(key=lambda item: (order.get(item.span.file, 0), item.span.line) if item.span else (10**6, 0))
    rows = media_types([loader.web], True, context).table if loader.web is not None else None
    types = rows.rows if rows is not None else ()
    estate = Estate("tomcat", tuple(listeners), tuple(sites), media_types=types, media_types_span=types[0].span if types else None)
    return Reading("tomcat", main, tree.root, estate, list(context.claims.values()), context.findings, dict(tree.texts), loader, files=files)


def _properties(path: Path, tree: SourceTree) -> dict[str, str]:
    """catalina.properties: `name=value`; lines that go on count by their first part, which no address or port does."""
    if not path.is_file():
        return {}
    text = tree.read(path)
    del tree.texts[tree.name_of(path)]
    return {found[1]: found[2] for found in _PROPERTY.finditer(text) if not found[1].startswith("#")}
