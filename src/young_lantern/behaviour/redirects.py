"""Where a redirect leads: its Location, and what is left of the query. Used by: decide.py.

Source:   mod_rewrite.c (hook_uri2file, splitout_queryargs, fully_qualify_uri), mod_alias.c; probed where it says so.
"""

from __future__ import annotations

import re
from dataclasses import replace
from urllib.parse import quote_plus

from ..model import Capture, Part, Placeholder, Redirect, Template, Var, Variable, is_drawn
from ..model.walk import walk
from . import paths, targets
from .evaluate import text
from .own_values import drawn_first
from .state import State

_SCHEME = re.compile(r"[a-z][a-z+.-]*://", re.IGNORECASE)


def location_of(step: Redirect, state: State) -> str | None:
    """The Location; None where the server refuses to send it. The state has the query that fields see from then on."""
    # What is drawn stands in it in words, which URLs may hold.
    before, state.says = state.says, state.says or any(map(is_drawn, walk(step.location)))
    made = _location_of(step, state)
    state.says = before
    return made


def _location_of(step: Redirect, state: State) -> str | None:
    written = step.location
    if step.encodes_path:
        written = targets.encoded_path(written, state)
    # hook_uri2file (2.4.71, probed): what the client sent goes on as it came, however often it was rewritten.
    if step.encodes_query and not (written[-1:] == (Var(Variable.QUERY, "?"),) and state.query == paths.split_target(state.request.target)[1]):
        written = _encoded_query(written, state)
    location = _split_at_mark(written, state) if step.splits_at_mark else text(_form_encoded(written, state) if step.encodes_form else written, state)
    if step.unescapes:
        location = paths.decoded(location)
    if state.dialect == "tomcat" and not location.isascii():
        # MimeHeaders (Tomcat 10.1.60, probed): letters beyond ASCII go out as octets of ISO 8859-1, as far as they have one there.
        state.gave_up = "how letters beyond ASCII go out in a redirect that is not encoded (NE) is not known"
    by_rule = state.dialect == "apache" and step.insists
    if by_rule and "?" in location:
        location = location.removesuffix("&")  # splitout_queryargs (2.4.71, probed)
    if step.decodes:
        location = paths.decoded_for_redirect(location)
    if by_rule and targets.has_blanks(location.partition("?")[2]):
        # hook_uri2file (2.4.71, probed): with NE a group brings them as they are.
        state.note("a query with blanks is refused", step.span, location)
        return None
    drawn = drawn_first(location)
    if drawn == "either":
        state.gave_up = "what is drawn anew for each request is not known: some of it is a URL, and some a path"
    if by_rule and not location.startswith("/") and not _SCHEME.match(location) and not drawn:
        location = "/" + location  # fully_qualify_uri (2.4.71, probed)
    if step.absolute and (location.startswith("/") or drawn == "path"):
        location = front_of(step.absolute, state) + location
    if by_rule:
        # splitout_queryargs (2.4.71, probed): what fields say of the query is the rule's, not encoded.
        plain = text(tuple(replace(part, escaped=False) if isinstance(part, Capture) else part for part in step.location), state)
        state.query = plain.partition("?")[2] or None
    return location


def front_of(absolute: bool | Template, state: State) -> str:
    """What goes before a Location that is a path; "" where nothing does."""
    if isinstance(absolute, tuple):
        return text(absolute, state)
    # ngx_http_validate_host, fix_hostname (1.22.1, 2.4.71, probed): a dot at the end of the host is none of its name.
    return f"{state.request.scheme}://{re.sub(r'[.](?=:|$)', '', state.request.authority)}" if absolute else ""


def _form_encoded(location: Template, state: State) -> Template:
    """RewriteValve, REWRITE_QUERY_ENCODER (Tomcat 10.1.60, probed): what the client's own query brings stays as it is."""
    made: list[Part] = []
    inside = False
    for part in location:
        whole = isinstance(part, Var) and part.variable is Variable.QUERY and part.name != ""
        made.append(quote_plus(text((replace(part, escaped=False) if isinstance(part, Capture) else part,), state), safe="*-._=&%") if inside and not whole and not isinstance(part, str | Placeholder) else part)
        inside = inside or isinstance(part, str) and "?" in part
    return tuple(made)


def _encoded_query(location: Template, state: State) -> Template:
    """A Location whose query is percent-encoded as a whole, whatever it brings; groups that go out encoded are so already."""
    made: list[Part] = []
    for part in location:
        inside = any(isinstance(item, str) and "?" in item for item in made)
        if not inside and isinstance(part, Var) and part.variable is Variable.QUERY and part.name:
            whole = text((part,), state)
            made.append(whole[:1] + paths.escaped(whole[1:], state.site.reading.escapes))
            continue
        encodes = inside and not isinstance(part, str | Placeholder) and not (isinstance(part, Capture) and part.escaped)
        made.append(paths.escaped(text((part,), state), state.site.reading.escapes) if encodes else part)
    return tuple(made)


def _split_at_mark(location: Template, state: State) -> str:
    """A Location whose groups are percent-encoded up to a query or fragment, which a group may bring in; then the client's query comes no more.

    mod_alias.c, try_alias_list, fixup_redir (httpd 2.4.71, probed): the completed text is parsed as a URL, and its path alone is encoded.
    """
    made = ""
    for part in location:
        if isinstance(part, Var) and part.variable is Variable.QUERY and part.name == "?" and "?" in made:
            continue
        plain = replace(part, escaped=False) if isinstance(part, Capture) else Var(Variable.PATH) if part == Var(Variable.PATH_ESCAPED) else part
        piece = text((plain,), state)
        of_request = isinstance(part, Capture) or isinstance(part, Var) and not (part.variable is Variable.QUERY and part.name)
        if of_request and not {"?", "#"} & set(made):
            end = next((number for number, character in enumerate(piece) if character in "?#"), len(piece))
            piece = paths.escaped(piece[:end], state.site.reading.escapes) + piece[end:]
        made += piece
    return made
