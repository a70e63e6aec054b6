"""Tomcat configurations for tests: server.xml with one host, the files of its contexts, and pieces of web.xml."""

from __future__ import annotations

from pathlib import Path

HOST = "www.fernhollow.example"
STOCK = Path("/usr/share/tomcat10/etc/web.xml").read_text("utf-8")
FILES = {
    "webapps/ROOT/index.html": "root\n", "webapps/ROOT/docs/a.txt": "a\n", "webapps/ROOT/docs/index.html": "docs\n", "webapps/ROOT/empty/b.html": "b\n", "webapps/ROOT/404.html": "nothing\n", "webapps/ROOT/a b.html": "blank\n",
    "webapps/ROOT/x.unknown": "x\n", "webapps/ROOT/noext": "n\n", "webapps/app/index.html": "app\n", "webapps/app/sub/c.html": "c\n", "webapps/app#deep/index.html": "deep\n",
}


def server(host: str = "", connector: str = "", more: str = "") -> str:
    """server.xml with a host, what stands in it, attributes of its connector, and more connectors."""
    return (f'<Server port="-1">\n<Service name="Catalina">\n<Connector port="80" redirectPort="8443" {connector}/>\n{more}<Engine name="Catalina" defaultHost="{HOST}">\n'
            f'<Host name="{HOST}" appBase="webapps">\n<Alias>*.fernhollow.example</Alias>\n{host}\n</Host>\n</Engine>\n</Service>\n</Server>\n')


def valve(kind: str, attributes: str = "") -> str:
    return f'<Valve className="org.apache.catalina.valves.{kind}" {attributes}/>\n'


def rules(text: str) -> dict[str, str]:
    """The host's rules, where they lie."""
    return {f"conf/Catalina/{HOST}/rewrite.config": text}


def web(inner: str) -> str:
    return f'<web-app xmlns="https://jakarta.ee/xml/ns/jakartaee" version="6.0">\n{inner}\n</web-app>\n'


def constraint(patterns: list[str], effect: str = "", methods: str = "") -> str:
    inner = "".join(f"<url-pattern>{pattern}</url-pattern>" for pattern in patterns)
    return f"<security-constraint><web-resource-collection><web-resource-name>some</web-resource-name>{inner}{methods}</web-resource-collection>{effect}</security-constraint>\n"


def filter_of(kind: str, mapped: str, **given: str) -> str:
    inner = "".join(f"<init-param><param-name>{name}</param-name><param-value>{value}</param-value></init-param>" for name, value in given.items())
    return (f"<filter><filter-name>own</filter-name><filter-class>org.apache.catalina.filters.{kind}</filter-class>{inner}</filter>"
            f"<filter-mapping><filter-name>own</filter-name><url-pattern>{mapped}</url-pattern></filter-mapping>\n")


def files_of(beside: dict[str, str]) -> dict[str, str]:
    """All files but server.xml: those of the contexts, the server's web.xml, and more."""
    return {**FILES, "conf/web.xml": STOCK, **beside}
