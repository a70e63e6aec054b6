"""web.xml `error-page`, and `ErrorReportValve` -> ErrorPages. Mirror: none.

Source:   Jakarta Servlet 6.0, section 10.9.2; StandardHostValve.status, ErrorReportValve (10.1.60): the page is a file of the context, sent with the error's
          status whatever the method was; a page that is not there leaves the server's own words.
Unknown:  pages for exceptions are for applications.
"""

from __future__ import annotations

from dataclasses import replace

from ....model import ErrorPage, ErrorPages, MediaTypes, Rewrite, ServeFiles, SetPath, Step
from ..syntax import Element
from .context import Context


def read_pages(descriptors: list[Element], prefix: str, serve: ServeFiles | None, context: Context) -> tuple[Step, ...]:
    """The pages of a context; those without a status are for every error."""
    pages: dict[int | None, ErrorPage] = {}
    for descriptor in descriptors:
        for element in descriptor.all("error-page"):
            context.use(element)
            code, location = element.said("error-code"), element.said("location")
            if element.first("exception-type") is not None:
                context.lose(element.span, "a page for an exception", "only applications raise them")
                continue
            if not location.startswith("/") or code and not code.isdigit():
                context.value_unread(element.span, "error-page", location or "nothing", "a location that begins with a slash was expected")
                continue
            if serve is None or location.endswith((".jsp", ".jspx")):
                context.lose(element.span, f"the page {location}", "an application makes it; the server's own words are sent")
                continue
            path, _, _ = location.partition("?")
            steps: tuple[Step, ...] = (Rewrite(SetPath((prefix + path,)), span=element.span), _page(serve, element))
            status = int(code) if code else None
            pages[status] = ErrorPage(frozenset({status}) if status else None, steps=steps, keeps_first=True, span=element.span, comments=element.comments)
    if not pages:
        return ()
    ordered = sorted(pages.values(), key=lambda page: page.statuses is None)
    return (ErrorPages(tuple(ordered), span=ordered[0].span),)


def _page(serve: ServeFiles, element: Element) -> ServeFiles:
    return replace(serve, methods=("*",), span=element.span)


def read_report(valve: Element, context: Context) -> tuple[Step, ...]:
    """`errorCode.404="errors/404.html"`: files of the server's folder, for what has no page in its context."""
    context.use(valve)
    pages = []
    for held in valve.attributes.values():
        if not held.name.startswith("errorCode."):
            continue
        context.said(valve, held.name)
        code = held.name.partition(".")[2]
        if not code.isdigit():
            context.unread(held, "errorCode. with a status, or with 0 for all others, was expected")
            continue
        file = ServeFiles((), whole_path=(context.path(held.value),), methods=("*",), span=held.span)
        # ErrorReportValve.sendErrorPage (10.1.60, probed): whatever its name, it goes out as HTML.
        steps: tuple[Step, ...] = (MediaTypes(forced="text/html", charset="UTF-8", charset_types=("text/*",)), file)
        pages.append(ErrorPage(frozenset({int(code)}) if int(code) else None, steps=steps, keeps_first=True, span=held.span))
    return (ErrorPages(tuple(sorted(pages, key=lambda page: page.statuses is None)), span=valve.span),) if pages else ()
