"""A context's folder, with web.xml's welcome files, media types and servlets -> what is sent for its paths. Mirror: none.

Source:   Jakarta Servlet 6.0, sections 10.10 and 12; Mapper.internalMapWrapper, DefaultServlet (10.1.60): the welcome file is looked for before any servlet is,
          and a folder's slash is added by the file server itself.
Unknown:  what servlets answer nobody here knows: their paths are left open, and told.
"""

from __future__ import annotations

import re
from pathlib import Path

from ....model import AllOf, AnyOf, Choose, Condition, Disposition, FileExists, MediaType, MediaTypes, MethodIn, Not, PathForm, PathIs, PathMatches, PathStartsWith, Pattern, Respond, Route, ServeFiles, Span, Step, TypeTable, Unserved, Var, Variable
from .. import defaults
from ..syntax import Element
from .context import Context
from .load import Place

# How many names below a folder are looked at for pages that are made by JSP.
LIMIT_NAMES = 20_000
_JSP = (".jsp", ".jspx")


def welcome_files(descriptors: list[Element], context: Context) -> tuple[str, ...]:
    """The last list that is written counts."""
    found: tuple[str, ...] | None = None
    for descriptor in descriptors:
        lists = descriptor.all("welcome-file-list")
        for element in lists:
            context.use(element)
        if lists:
            found = tuple(item.text.lstrip("/") for element in lists for item in element.all("welcome-file") if item.text)
    return defaults.WELCOME if found is None else found


def plain(welcome: tuple[str, ...]) -> tuple[str, ...]:
    """The welcome files that the file server sends."""
    return tuple(name for name in welcome if not name.endswith(_JSP))


def media_types(descriptors: list[Element], whole: bool, context: Context) -> MediaTypes:
    """The table by extension; a later row counts. whole: the server's own web.xml is among them."""
    rows: list[MediaType] = []
    for descriptor in descriptors:
        for element in descriptor.all("mime-mapping"):
            context.use(element)
            rows.append(MediaType(element.said("extension").lower(), element.said("mime-type"), element.span))
    # MimeMap and DefaultServlet (10.1.60): the last ending counts, in small letters; what has none, or an unknown one, has no type.
    # Response.setContentType (10.1.60, probed): what a rule has said of the type stays, of the page for an error as well.
    return MediaTypes(table=TypeTable(rows), registered=not whole, otherwise="", charset="", charset_types=(), span=rows[0].span if rows else None)


def served(place: Place, welcome: tuple[str, ...], descriptors: list[Element], context: Context) -> ServeFiles:
    """The file server of a context, as `default` is set up in web.xml."""
    listing = False
    for descriptor in descriptors:
        for element in descriptor.all("servlet"):
            if element.said("servlet-name") != "default":
                continue
            context.use(element)
            given = {item.said("param-name"): item.said("param-value") for item in element.all("init-param")}
            listing = given.get("listings", "false").lower() == "true"
            for name, harmless in (("readonly", "true"), ("allowPostAsGet", "true"), ("precompressed", "false"), ("gzip", "false"), ("localXsltFile", ""), ("contextXsltFile", ""), ("readmeFile", "")):
                if given.get(name, harmless).lower() != harmless:
                    context.lose(element.span, f"{name} of the file server", "the model has no word for it yet")
            context.settled(element.span, Disposition.KEPT, "it is the file server")
    return ServeFiles((place.root,), strip=place.path, folders=defaults.folders(plain(welcome), listing), methods=defaults.METHODS, span=place.span if place.span.file else None)


def tell_links(place: Place, span: Span | None, context: Context) -> None:
    """AbstractFileResourceSet (10.1.60, probed): links below a context's folder are not followed, and are followed by all others."""
    if span is None or place.here is None or not place.here.is_dir():
        return
    for number, item in enumerate(place.here.rglob("*")):
        if item.is_symlink():
            context.lose(span, f"that the link {item.relative_to(place.here).as_posix()} is not followed", "Tomcat answers 404 there unless Resources says allowLinking; other servers send what it leads to: take it away if that is not meant")
            return
        if number > LIMIT_NAMES:
            return


def _welcome_pages(place: Place, welcome: tuple[str, ...], span: Span) -> list[Route]:
    """Folders whose welcome file is made by JSP."""
    routes = []
    for number, name in enumerate(welcome):
        if name.endswith(_JSP):
            before = tuple(Not(FileExists((place.root,), (Var(Variable.PATH), other), strip=place.path, span=span), span) for other in welcome[:number])
            there = FileExists((place.root,), (Var(Variable.PATH), name), strip=place.path, span=span)
            routes.append(Route(AllOf((PathMatches(Pattern("/$"), span=span), *before, there), span), (Unserved(f"welcome file {name}", span),), span))
    return routes


def applications(place: Place, descriptors: list[Element], welcome: tuple[str, ...], stock: bool, context: Context) -> tuple[Step, ...]:
    """The paths that servlets answer, and those of pages made by JSP. stock: the server's web.xml is not here, and taken to be as packaged."""
    routes: list[Route] = []
    if stock:
        known = has_pages(place) is False
        routes.append(Route(PathMatches(Pattern(r"\.jspx?$"), span=place.span), (Respond(404, raises=True, span=place.span) if known else Unserved("servlet jsp", place.span),), place.span, accident=known))
    servlets: dict[str, Element] = {}
    for descriptor in descriptors:
        for element in descriptor.all("servlet"):
            servlets[element.said("servlet-name")] = element
    for descriptor in descriptors:
        for mapping in descriptor.all("servlet-mapping"):
            context.use(mapping)
            name = mapping.said("servlet-name")
            patterns = [item.text for item in mapping.all("url-pattern")]
            servlet = servlets.get(name)
            if servlet is not None:
                context.use(servlet)
            if name == "default":
                context.settled(mapping.span, Disposition.KEPT, "it is the file server")
            elif name == "jsp" and has_pages(place) is False:
                for span in (mapping.span, *((servlet.span,) if servlet is not None else ())):
                    context.settled(span, Disposition.IMPLIED, "no page of that kind is there")
                # JspServlet (10.1.60, probed): a page that is not there is 404, whatever the method.
                routes.append(Route(PathMatches(Pattern(r"\.jspx?$"), span=mapping.span), (Respond(404, raises=True, span=mapping.span),), mapping.span, accident=True))
            else:
                if name == "jsp":
                    routes += _welcome_pages(place, welcome, mapping.span)
                said = servlet.said("servlet-class") if servlet is not None else ""
                context.lose(mapping.span, f"the servlet {name or said}", "what it answers nobody here knows: keep Tomcat for its paths, and pass requests for them on to it")
                condition = [item for pattern in patterns for item in _path(pattern, place.path, mapping.span)]
                if condition:
                    routes.append(Route(condition[0] if len(condition) == 1 else AnyOf(tuple(condition), mapping.span), (Unserved(f"servlet {name}", mapping.span),), mapping.span))
    return (Choose(tuple(routes)),) if routes else ()


def _path(pattern: str, prefix: str, span: Span) -> list[Condition]:
    if pattern.startswith("*."):
        return [PathMatches(Pattern(rf"\.{re.escape(pattern[2:])}$"), span=span)]
    if pattern.endswith("/*"):
        return [PathIs(prefix + pattern[:-2] or "/", span=span), PathStartsWith(prefix + pattern[:-1], span=span)]
    return [PathStartsWith(prefix + "/", span=span)] if pattern == "/" else [PathIs(f"{prefix}{pattern or '/'}", span=span)]


def has_pages(place: Place) -> bool | None:
    """Whether pages made by JSP lie in a context; None where that is not known."""
    if place.here is None or not place.here.is_dir():
        return None
    for number, item in enumerate(Path(place.here).rglob("*")):
        if item.suffix in _JSP:
            return True
        if number > LIMIT_NAMES:
            return None
    return False


def methods(span: Span | None) -> tuple[Step, ...]:
    """HttpServlet.service, DefaultServlet.doOptions (10.1.60, probed): OPTIONS is answered whatever lies there, and what it does not know is 501."""
    return (Choose((
        Route(MethodIn(("OPTIONS",), span), (Respond(200, span=span),), span, accident=True),
        Route(Not(MethodIn(defaults.KNOWN_METHODS, span), span), (Respond(501, raises=True, span=span),), span, accident=True),
    )),)


def hidden(prefix: str, span: Span | None) -> tuple[Step, ...]:
    """StandardContextValve: what lies in WEB-INF and META-INF is 404, in whatever letters it is asked for."""
    pattern = Pattern(f"^{re.escape(prefix)}/(?:WEB|META)-INF(?:/|$)", ignores_case=True)
    return (Choose((Route(PathMatches(pattern, PathForm.CURRENT, span=span), (Respond(404, raises=True, span=span),), span),)),)
