"""Tomcat's files -> a copy that runs unprivileged on loopback. Mirrors: nginx/moving.py, apache/moving.py, caddy/moving.py.

Source:   Tomcat documentation, RUNNING.txt (catalina.base and catalina.home), "The Context Container".
Rule:     no application runs in a copy: its contexts have their files, their web.xml without servlets, filters and listeners that are not Tomcat's own, and
          their rules; realms, resources and classes stay out.
"""

from __future__ import annotations

import os
import re
from pathlib import Path

from ...errors import ServerMissing
from ...model.placeholders import canonical
from ...source.plan import Plan
from ..dialect import Reading
from .reader.load import Loader, Place, kind_of, valves
from .syntax import Edits, Element, File

_HOME = Path("/usr/share/tomcat10")
_PACKAGED = _HOME / "etc" / "web.xml"
_JARS = ("bin/bootstrap.jar", "bin/tomcat-juli.jar")
_TOMCATS_OWN = "org.apache."
# How many files of one context a copy has at the most, and how large one may be that is not linked.
LIMIT_FILES = 20_000
_HTTP = re.compile(r"(?i)HTTP/1\.1|org\.apache\.coyote\.http11\.\w+|")
_KEPT = ("mapperContextRootRedirectEnabled", "mapperDirectoryRedirectEnabled", "useRelativeRedirects", "allowLinking")


def move(reading: Reading, plan: Plan) -> list[str]:
    """Writes the copy below plan.folder; gives the command line that runs it in the foreground. Raises ServerMissing."""
    if not all((_HOME / jar).exists() for jar in _JARS):
        raise ServerMissing("Tomcat is not installed; on Debian the package tomcat10 brings it")
    loader: Loader = reading.tree
    folder = plan.folder
    for name in ("conf", "logs", "temp", "work", "empty"):
        (folder / name).mkdir(parents=True, exist_ok=True)
    plan.learn(reading.estate)
    # ErrorReportValve, which has them in several (10.1.60, probed).
    plan.tells_language = True
    main = loader.tree.name_of(reading.main)
    file = loader.files[main]
    edits = Edits(file)
    edits.set(file.root, "port", "-1")
    for element in file.root.children:
        if element.name == "Service":
            _service(element, edits, loader, plan)
        else:
            edits.drop(element)
    used = {canonical(str(listener.port)) for listener in reading.estate.listeners}
    for port in [port for port in plan.ports if port not in used]:
        plan.ports.pop(port)
    _write(folder / "conf" / "server.xml", plan.fill(edits.text()))
    _write(folder / "conf" / "context.xml", "<Context/>")
    web = loader.web
    _write(folder / "conf" / "web.xml", _PACKAGED.read_text("utf-8") if web is None else _descriptor(loader.files[web.span.file]))
    conf = loader.tree.name_of(loader.conf / "x").removesuffix("x")
    for name in loader.rules:
        if name.startswith(conf) and not name.endswith("WEB-INF/rewrite.config"):
            _write(folder / "conf" / name.removeprefix(conf), reading.texts[name])
    (folder / "conf" / "logging.properties").write_text(
        "handlers = java.util.logging.ConsoleHandler\n.handlers = java.util.logging.ConsoleHandler\njava.util.logging.ConsoleHandler.level = INFO\n", "utf-8")
    given = [f"-D{name}={value}" for name, value in loader.context.properties.items() if not name.startswith(("catalina.", "tomcat.", "java.")) and value]
    return ["tomcat10", "-XX:TieredStopAtLevel=1", "-XX:+UseSerialGC", "-Xshare:auto", "-Xmx256m", "-cp", os.pathsep.join(str(_HOME / jar) for jar in _JARS), f"-Dcatalina.home={_HOME}",
            f"-Dcatalina.base={folder}", f"-Djava.io.tmpdir={folder}/temp", f"-Djava.util.logging.config.file={folder}/conf/logging.properties",
            "-Djava.util.logging.manager=org.apache.juli.ClassLoaderLogManager", *given, "org.apache.catalina.startup.Bootstrap", "start"]


def _write(path: Path, text: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, "utf-8", "surrogateescape")


def _service(service: Element, edits: Edits, loader: Loader, plan: Plan) -> None:
    for element in service.children:
        if element.name == "Connector":
            _connector(element, edits, loader, plan)
        elif element.name == "Engine":
            _engine(element, edits, loader, plan)
        else:
            edits.drop(element)


def _connector(element: Element, edits: Edits, loader: Loader, plan: Plan) -> None:
    if not _HTTP.fullmatch(loader.context.filled(element.get("protocol"))) or "port" not in element.attributes or element.get("port") == "-1":
        edits.drop(element)
        return
    port = loader.context.filled(element.get("port"))
    port = re.sub(r"\$\{([\w.\-]+)\}", lambda found: "${" + re.sub(r"\W", "_", found[1]) + "}", port)
    edits.set(element, "port", str(plan.port(port)))
    edits.set(element, "address", "127.0.0.1")
    # It opens its port when all contexts are there, and not before.
    edits.set(element, "bindOnInit", "false")
    edits.drop_attribute(element, "executor")
    for config in element.all("SSLHostConfig"):
        for name in ("caCertificateFile",):
            if name in config.attributes and plan.clients_issuer is not None:
                edits.set(config, name, str(plan.clients_issuer))
        for certificate in config.all("Certificate"):
            chain = loader.context.path(certificate.get("certificateFile")) if "certificateFile" in certificate.attributes else ""
            key = loader.context.path(certificate.get("certificateKeyFile")) if "certificateKeyFile" in certificate.attributes else chain
            kind = certificate.get("type")
            edits.replace(certificate, f'<Certificate certificateFile="{plan.certificate(chain, False)}" certificateKeyFile="{plan.certificate(key, True)}"{f" type={chr(34)}{kind}{chr(34)}" if kind else ""}/>')


def _engine(engine: Element, edits: Edits, loader: Loader, plan: Plan) -> None:
    for element in engine.children:
        if element.name == "Host":
            _host(element, engine, edits, loader, plan)
        elif element.name == "Valve":
            _valve(element, edits, loader, plan)
        else:
            edits.drop(element)


def _host(host: Element, engine: Element, edits: Edits, loader: Loader, plan: Plan) -> None:
    for name in ("deployOnStartup", "autoDeploy"):
        edits.set(host, name, "false")
    edits.set(host, "appBase", f"{plan.folder}/empty")
    for element in host.children:
        if element.name == "Valve":
            _valve(element, edits, loader, plan)
        elif element.name != "Alias":
            edits.drop(element)
    edits.inside(host, "".join(_context(place, loader, plan) for place in loader.places(host, engine)))


def _valve(element: Element, edits: Edits, loader: Loader, plan: Plan) -> None:
    kind = kind_of(element)
    if kind in ("AccessLogValve", "ExtendedAccessLogValve"):
        edits.set(element, "directory", f"{plan.folder}/logs")
    elif kind == "ErrorReportValve":
        for held in element.attributes.values():
            if held.name.startswith("errorCode."):
                edits.set(element, held.name, plan.path(loader.context.path(held.value)))
    elif not element.get("className").startswith(_TOMCATS_OWN) or kind == "SingleSignOn" or kind.endswith("Authenticator"):
        edits.drop(element)


def _context(place: Place, loader: Loader, plan: Plan) -> str:
    """A context of the copy: its folder is built again, with links to all files and a web.xml of its own."""
    mirror = Path(f"{plan.folder}/files{place.root}")
    here = Path(plan.path(place.root))
    mirror.mkdir(parents=True, exist_ok=True)
    if here.is_dir() and here != mirror:
        _mirror(here, mirror, [0])
        plan.files = ((place.root, mirror), *plan.files)
    own = [root for root in place.descriptors if root is not loader.web]
    if own:
        _write(mirror / "WEB-INF" / "web.xml", _descriptor(loader.files[own[-1].span.file]))
    rules = here / "WEB-INF" / "rewrite.config"
    if place.rules is not None and rules.is_file():
        _write(mirror / "WEB-INF" / "rewrite.config", rules.read_text("utf-8", "surrogateescape"))
    inner = []
    for valve in valves(place.parts):
        edits = Edits(loader.files[valve.span.file])
        _valve(valve, edits, loader, plan)
        inner.append(_cut(edits, valve))
    kept = {name: part.get(name) for part in place.parts for name in _KEPT if name in part.attributes}
    given = "".join(f' {name}="{value}"' for name, value in kept.items())
    return f'\n<Context path="{place.path}" docBase="{mirror}" containerSciFilter="."{given}><JarScanner scanClassPath="false" scanManifest="false"/>{"".join(inner)}</Context>'


def _cut(edits: Edits, element: Element) -> str:
    """The text of one element, with the changes that were made in it."""
    out, at = [], element.start
    for start, end, new in sorted(edits.made):
        out += [edits.file.data[at:start].decode("utf-8", "surrogateescape"), new]
        at = end
    return "".join([*out, edits.file.data[at:element.end].decode("utf-8", "surrogateescape")])


def _mirror(here: Path, mirror: Path, count: list[int]) -> None:
    """Hard links, since Tomcat follows no other; a copy where the file lies on another disk. WEB-INF stays out."""
    mirror.mkdir(parents=True, exist_ok=True)
    for item in sorted(here.iterdir()):
        count[0] += 1
        if count[0] > LIMIT_FILES or item.is_symlink() or item.name.upper() in ("WEB-INF", "META-INF"):
            continue
        if item.is_dir():
            _mirror(item, mirror / item.name, count)
        elif item.is_file() and item.suffix not in (".jsp", ".jspx"):
            try:
                os.link(item, mirror / item.name)
            except OSError:
                (mirror / item.name).write_bytes(item.read_bytes())


def _descriptor(file: File) -> str:
    """web.xml without what an application brings."""
    edits = Edits(file)
    strange: set[str] = set()
    for element in file.root.children:
        name = element.said("servlet-class") or element.said("filter-class")
        if element.name in ("servlet", "filter") and not name.startswith(_TOMCATS_OWN):
            strange.add(element.said("servlet-name") or element.said("filter-name"))
            edits.drop(element)
        elif element.name in ("listener", "resource-ref", "env-entry", "data-source", "login-config") or element.name in ("servlet-mapping", "filter-mapping") and (
                element.said("servlet-name") or element.said("filter-name")) in strange:
            edits.drop(element)
    return edits.text()
