"""Tomcat `Engine`, `Host`, `Alias`, `Context` -> listeners, and sites with their programs. Mirror: none.

Source:   Tomcat documentation, "The Host Container", "The Context Container"; Mapper, CoyoteAdapter (10.1.60).
Order:    the slash of a context's own path is added first; then the valves of Engine and Host act, and what they have rewritten is mapped anew; then the context's
          valves, its constraints, its filters, its servlets, and its files.
Unknown:  a context that brings classes, or is an archive, is an application: its paths are left open, and told.
"""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

from ....codes import VALUE_UNREAD
from ....model import (
    AnswerPlainly, AnyOf, Block, Choose, ClientFrom, Compress, Condition, Disposition, ErrorPages, Field, FileExists, Fallback, HostName, HostRow, Listener, LogTo, Operation, PathForm, PathIs, PathMatches, PathStartsWith, Pattern,
    Redirect, Respond, Rewrite, Rewritten, Route, SetPath, Side, Site, Span, Step, Template, TraceMethod, Unserved, Var, Variable)
from ....model.walk import walk
from .. import defaults
from ..syntax import Element
from . import access, errors, fields, files, rewrites
from .client import read_client, read_secure
from .context import Context
from .heads import read_heads
from .listeners import Door
from .load import Loader, Place, kind_of, valves
from .logs import read_log
from .rule_levels import Level
from .secure import Secure
from .tls import shown_for


def read_sites(engine: Element, doors: list[Door], taken: set[str], loader: Loader, context: Context) -> tuple[list[Site], list[Listener]]:
    """The hosts of an engine, and its connectors with the table of names of each."""
    default = context.value(engine, "defaultHost").lower()
    sites: list[Site] = []
    keys: dict[str, str] = {}
    exact: list[HostRow] = []
    starred: list[HostRow] = []
    for host in engine.all("Host"):
        context.use(host)
        name = context.value(host, "name").lower()
        key = _free(name, taken | set(keys.values()))
        keys[name] = key
        names = [HostName(name, span=host.span)]
        for alias in host.all("Alias"):
            context.use(alias)
            names.append(_alias(context.filled(alias.text).lower(), alias, context))
        # Mapper.internalMap: whole names first, then those with a star for the first label.
        exact += [HostRow(item, key) for item in names if item.is_exact]
        starred += [HostRow(item, key) for item in names if not item.is_exact]
        sites.append(_site(host, engine, key, tuple(names), doors, loader, context))
    nobody: Fallback = AnswerPlainly(404)
    if default not in keys and any(kind_of(valve) not in ("AccessLogValve", "ExtendedAccessLogValve") for valve in valves([engine])):
        # StandardEngineValve: it is the last valve of the engine that says no host is for a name (10.1.60, probed).
        sites.append(_site(None, engine, _free("no host", taken | set(keys.values())), (), doors, loader, context))
        nobody = sites[-1].key
    listeners = []
    for door in doors:
        fallback = keys.get(default, nobody)
        rows = tuple([*exact, *starred])
        if door.name:
            # CoyoteAdapter: the name is what every request is taken to ask for.
            found = next((row.site for row in rows if row.host.text == door.name or row.host.one_label and row.host.text[1:] == "." + door.name.partition(".")[2]), None)
            fallback, rows = found if found is not None else fallback, ()
        listeners.append(Listener(door.address, door.port, door.secure, rows, fallback, http2=door.http2, fallback_stated="defaultHost" in engine.attributes, drops_final_dot=False, heads=read_heads(door.element, context), span=door.element.span))
    return sites, listeners


def _free(name: str, taken: set[str]) -> str:
    return next(item for item in (name, *(f"{name} ({number})" for number in range(2, 1000))) if item not in taken)


def _alias(name: str, alias: Element, context: Context) -> HostName:
    if "*" in name and not re.fullmatch(r"\*\.[^*]+", name):
        context.blame(VALUE_UNREAD, alias.span, value=name, directive="Alias", expected="a name, or one with a star in the place of its first label, was expected")
    return HostName(name, one_label=name.startswith("*."), span=alias.span)


def _site(host: Element | None, engine: Element, key: str, names: tuple[HostName, ...], doors: list[Door], loader: Loader, context: Context) -> Site:
    """host: None where no host is for a name, so that the engine's valves alone act."""
    places = loader.places(host, engine) if host is not None else []
    outer = list(valves([engine, host] if host is not None else [engine]))
    holder = host if host is not None else engine
    logs: list[LogTo] = []
    client: ClientFrom | None = None
    secure = Secure(doors)
    steps: list[Step] = []
    first: list[Step] = []
    roots = [(place.path, place.root, files.plain(files.welcome_files(place.descriptors, context))) for place in places]
    level = Level("", context.label("rules"), (Var(Variable.VARIABLE, "REQUEST_PATH"),), roots)
    for number, valve in enumerate(outer):
        behind = [kind_of(other) for other in outer[number + 1:]]
        match kind_of(valve):
            case "AccessLogValve" | "ExtendedAccessLogValve":
                logs.append(read_log(valve, context))
            case "RemoteIpValve" if "RemoteIpValve" in behind:
                context.lose(valve.span, "a RemoteIpValve before another", "the last is read alone")
            case "RemoteIpValve":
                client = read_client(valve, context)
                secure = read_secure(valve, client, secure, context)
            case "RemoteAddrValve" | "RemoteCIDRValve" if "RemoteIpValve" in behind and _comes_again(outer, places) and not context.truth(valve, "usePeerAddress"):
                context.use(valve)
                steps.append(Block(context.label("valve"), access.closed(valve, context, "rules behind RemoteIpValve send the request through all valves once more, by then with the client's address")))
            case "RemoteAddrValve" | "RemoteCIDRValve":
                # A block, by which is known that a valve acts (behaviour/heads.py).
                steps.append(Block(context.label("valve"), access.read_valve(valve, context, "RemoteIpValve" in behind)))
            case "RemoteHostValve":
                steps.append(Block(context.label("valve"), access.closed(valve, context)))
            case "ErrorReportValve" if host is not None and valve not in host.children:
                context.use(valve)
                for span in (valve.span, *(held.span for held in valve.attributes.values())):
                    context.settled(span, Disposition.IMPLIED, "each host has one of its own, which comes first")
            case "ErrorReportValve":
                first += errors.read_report(valve, context)
            case "RewriteValve":
                context.use(valve)
                lines = loader.lines(_rules_of(valve, host, engine, loader, context))
                if lines is None:
                    context.say_without_rules(valve, loader.tree.name_of(_rules_of(valve, host, engine, loader, context)))
                else:
                    context.claims[valve.span].follows = lines[0].span if lines else None
                    steps += rewrites.read_rules(lines, replace(level, label=context.label("rules"), saved={}, goes_on=False, after=_addresses_behind(outer[number + 1:], context), followed="RewriteValve" in behind, secure=secure), context)
    program: list[Step] = [*first, *_answer_size(doors, context)]
    routes = [route for place in places for route in _place(place, places, secure, level.rewrites, loader, context)]
    roots_moved = [Route(PathIs(place.path, span=place.span), (_slash(place),), place.span) for place in places if place.path and _adds_slash(place, context)]
    if steps:
        program += [*([Choose(tuple(roots_moved))] if roots_moved else []), *steps]
    # StandardEngineValve, StandardHostValve: where no context is for a path.
    kept = [route for route in roots_moved if not steps or isinstance(route.condition, PathIs) and level.may_make(route.condition.path)]
    program += [*([Choose((*kept, *routes), holder.span)] if routes else []), Respond(404, raises=True, span=holder.span)]
    tls = next((held for name in names for door in doors if door.secure if (held := shown_for(name.text, door.tls)) is not None), None)
    slash = None if all(door.encoded_slash == "decode" for door in doors) else 400
    return Site(key, names, tuple(program), tls, replace(defaults.READING, encoded_slash_status=slash), tuple(logs), holder.span, comments=holder.comments, client_from=client,
                trace=TraceMethod(False, holder.span))


def _comes_again(outer: list[Element], places: list[Place]) -> bool:
    """Whether rules act once the client's address is known (RewriteValve.invoke: what they change begins anew at the engine; 10.1.60, probed)."""
    kinds = [kind_of(valve) for valve in outer]
    return "RewriteValve" in kinds[kinds.index("RemoteIpValve"):] or any(map(_has_rules, places))


def _addresses_behind(behind: list[Element], context: Context) -> tuple[Step, ...]:
    """What valves that ask for the client's address do behind another one."""
    later = [kind_of(other) for other in behind]
    return tuple(step for number, other in enumerate(behind) if kind_of(other) in ("RemoteAddrValve", "RemoteCIDRValve") for step in access.read_valve(other, context, "RemoteIpValve" in later[number:]))


def _rules_of(valve: Element, host: Element | None, engine: Element, loader: Loader, context: Context) -> Path:
    """Where the rules of a host, or of an engine, lie (Container.getConfigPath; StandardHost.setName: in small letters)."""
    folder = loader.conf / context.filled(engine.get("name", "Catalina"))
    return (folder if host is None or any(item is valve for item in engine.children) else folder / context.filled(host.get("name", "localhost")).lower()) / "rewrite.config"


def _answer_size(doors: list[Door], context: Context) -> list[Step]:
    """`compression` and `server` of the connectors: where all say the same."""
    made: list[Step] = []
    said = {context.value(door.element, "compression", "off").lower() for door in doors}
    types = {context.value(door.element, "compressibleMimeType") for door in doors}
    smallest = {context.value(door.element, "compressionMinSize", str(defaults.COMPRESSION_MINIMUM)) for door in doors}
    if said - {"off"}:
        held = next(door.element.attributes["compression"] for door in doors if "compression" in door.element.attributes)
        if len(said) > 1 or len(types) > 1 or len(smallest) > 1:
            context.lose(held.span, "compression", "not all connectors say the same of it")
        else:
            word = next(iter(said))
            least = next(iter(smallest)) if word == "on" else "0" if word == "force" else word
            kinds = tuple(item.strip() for item in next(iter(types)).split(",") if item.strip()) or defaults.COMPRESSED_TYPES
            made.append(Compress(("gzip",), kinds, int(least) if least.isdigit() else defaults.COMPRESSION_MINIMUM, held.span))
    names = {context.value(door.element, "server") for door in doors}
    if names - {""}:
        held = next(door.element.attributes["server"] for door in doors if "server" in door.element.attributes)
        if len(names) == 1:
            made.append(Field(Side.RESPONSE, Operation.SET, "Server", (next(iter(names)),), span=held.span))
        else:
            context.lose(held.span, "server", "not all connectors say the same of it")
    return made


def _adds_slash(place: Place, context: Context) -> bool:
    return all(context.truth(part, "mapperContextRootRedirectEnabled", True) for part in place.parts)


def _slash(place: Place) -> Redirect:
    return Redirect(302, (f"{place.path}/", Var(Variable.QUERY, "?")), span=place.span)


def _place(place: Place, places: list[Place], secure: Secure, rewritten: bool, loader: Loader, context: Context, remapped: bool = False) -> list[Route]:
    """One context -> the route for its paths. remapped: the request has been another context's before, whose pages are not for it."""
    descriptors = place.descriptors
    span = place.span if place.span.file else next((item.span for item in descriptors), None)
    for part in place.parts:
        context.use(part)
        if context.said(part, "path") is None or part.span.file.endswith("server.xml"):
            context.said(part, "docBase")
        if context.truth(part, "mapperDirectoryRedirectEnabled"):
            context.lose(part.attributes["mapperDirectoryRedirectEnabled"].span, "mapperDirectoryRedirectEnabled", "the slash of folders would be added before who may ask is looked at")
    welcome = files.welcome_files(descriptors, context)
    serve = None if place.archive else files.served(place, welcome, descriptors, context)
    pages = errors.read_pages(descriptors, place.path, serve, context)
    # StandardHostValve: the pages are those of the context that a request is mapped to at last.
    steps: list[Step] = [files.media_types(descriptors, loader.web is not None, context), *(pages or ((ErrorPages(()),) if remapped else ()))]
    guards = access.read_constraints(descriptors, place.path, secure, rewritten or _has_rules(place), context)
    level = Level(place.path, context.label("rules"), _below(place), [(place.path, place.root, ())], True, guarded=bool(guards), secure=secure)
    inner: list[Step] = []
    for valve in valves(place.parts):
        match kind_of(valve):
            case "RewriteValve":
                context.use(valve)
                if place.rules is None and place.here is None:
                    context.lose(valve.span, "its rules", f"the folder {place.root} is not on this machine; --files-at says where a copy lies")
                elif place.rules is None:
                    # One for all contexts is there for those that have rules.
                    if place.parts[-1].span == place.span and valve in place.parts[-1].children:
                        context.say_without_rules(valve, f"{place.root}/WEB-INF/rewrite.config")
                    elif not any(_has_rules(other) for other in places):
                        context.say_without_rules(valve, "WEB-INF/rewrite.config in any context")
                else:
                    context.claims[valve.span].follows = place.rules[0].span if place.rules else None
                    inner += rewrites.read_rules(place.rules, level, context)
            case "RemoteAddrValve" | "RemoteCIDRValve":
                inner += access.read_valve(valve, context)
            case "RemoteHostValve":
                inner += access.closed(valve, context)
            case "AccessLogValve" | "ExtendedAccessLogValve":
                context.lose(valve.span, "a log of one context", "the model has one log for a site")
                read_log(valve, context)
            case "RemoteIpValve" | "ErrorReportValve":
                context.lose(valve.span, kind_of(valve), "it is read for hosts and engines alone")
    filters = fields.read_filters(descriptors, place.path, secure, context)
    if serve is not None and (inner or access.asks_names(descriptors) or guards and any("/" in name for name in welcome) or any(isinstance(item, PathIs | PathMatches) for step in filters for item in walk((step,)))):
        steps += _with_welcome(place, welcome, span)
    steps += inner
    if level.rewrites:
        # What a context's rules have made is mapped anew, and may be another context's below it.
        deeper = [other for other in places if other is not place and other.path.startswith(f"{place.path}/")]
        routes = [route for other in deeper for route in (Route(PathIs(other.path), (_slash(other),), other.span), *_place(other, places, secure, True, loader, context, remapped=True))]
        if routes:
            steps.append(Choose((Route(Rewritten(level.label), (Choose(tuple(routes)),), span),)))
    # AuthenticatorBase is the last valve of a context; StandardContextValve comes behind it.
    steps += [*guards, *files.hidden(place.path, span), *filters]
    files.tell_links(place, span, context)
    if serve is None:
        context.blame_application(place.path, place.archive, span if span is not None else place.span)
        steps.append(Unserved(f"application {place.path or '/'}", span))
    else:
        steps += [*files.applications(place, descriptors, welcome, loader.web is None, context), *files.methods(span), serve]
    condition: Condition = PathStartsWith(place.path + "/", span=span)
    if place.path and not _adds_slash(place, context):
        condition = AnyOf((PathIs(place.path, span=span), condition), span)
    return [Route(condition, tuple(steps), span, place.parts[-1].comments if place.parts and place.parts[-1] is not loader.defaults else (), label=f"context {place.path or '/'}")]


def _has_rules(place: Place) -> bool:
    return place.rules is not None and any(kind_of(valve) == "RewriteValve" for valve in valves(place.parts))


def _below(place: Place) -> Template:
    """REQUEST_PATH within a context: the path behind the context's own."""
    return (Var(Variable.PATH),) if not place.path else (Var(Variable.SCRIPT_NAME, f"^{re.escape(place.path)}(|/.*)$"),)


def _with_welcome(place: Place, welcome: tuple[str, ...], span: Span | None) -> list[Step]:
    """Mapper: where a folder has a welcome file the path has its name, before any valve of the context sees it."""
    routes = []
    folder = PathMatches(Pattern("/$"), PathForm.CURRENT, span=span)
    for name in welcome:
        path: Template = (Var(Variable.PATH), name)
        routes.append(Route(FileExists((place.root,), path, strip=place.path, span=span), (Rewrite(SetPath(path, keeps_raw=True), span=span),), span))
    return [Choose((Route(folder, (Choose(tuple(routes)),), span),))]


