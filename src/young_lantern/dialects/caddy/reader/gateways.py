"""Caddy `php_fastcgi`, `reverse_proxy` with `transport fastcgi` -> Gateway. Mirror: ../writer/gateways.py.

Source:   Caddy documentation, those directives; fastcgi/caddyfile.go parsePHPFastCGI, fastcgi.go buildEnv (2.6.2, probed).
Rule:     php_fastcgi adds the slash to a folder that holds an index file, then looks for the path, the folder's index file and the root's, and passes
          what ends in .php on. A path is taken apart at its first .php, whatever its letters' case; what the file test left over
          is path information, too.
"""

from __future__ import annotations

import re
from dataclasses import replace

from ....model import (
    ALWAYS, AllOf, Choose, Field, FileExists, FileKind, Gateway, Not, PathForm, PathGlob, Pattern, Redirect, Respond, Rewrite, Route, SetPath, Side, Step, Template, Var, Variable,
)
from .. import defaults, values
from ..syntax import Directive
from ..values import status_at_end
from .balancing import Balancing
from .context import Context, Level, Read
from .fields import read_operation


def read_php_fastcgi(directive: Directive, words: list[str], level: Level, context: Context) -> tuple[Step, ...]:
    """`php_fastcgi [matcher] ADDRESS… [{ root; split; index; try_files; env; … }]`."""
    addresses, root, endings, index, tried, lines = list(words), level.root, [".php"], "index.php", None, []
    balancing = Balancing()
    read: float | None = None
    changes: list[Field] = []
    for inner in directive.block or []:
        match inner.name:
            case "root" if inner.args:
                root = context.template(inner.args[0], directive)
            case "split" if inner.args:
                endings = inner.args
            case "index" if inner.args:
                index = "" if inner.args[0] == "off" else inner.args[0]
            case "try_files" if inner.args:
                tried = inner.args
            case "to":
                addresses += inner.args
            case "env" if len(inner.args) == 2:
                lines.append(inner)
            case "read_timeout" if inner.args:
                read = values.read_duration_or_open(inner.args[0])
            case "dial_timeout" | "write_timeout" | "resolve_root_symlink":
                pass
            case "header_up" | "header_down":
                side = Side.REQUEST if inner.name == "header_up" else Side.RESPONSE
                if changed := read_operation(inner.args, side, directive, context):
                    changes.append(changed)
            case _ if not balancing.takes(inner, directive, context):
                context.unread(directive, inner.name, "root, split, index, try_files, env, header_up, header_down or a timeout was expected")
    split = split_at(endings)
    made = _gateway(balancing.pool(addresses, False, directive, context), root, split, lines, directive, level, context, read)
    made = replace(made, retry=balancing.retry(), fields=(*made.fields, *(item for item in changes if item.side is Side.REQUEST)), response_fields=tuple(item for item in changes if item.side is Side.RESPONSE))
    steps: list[Step] = []
    if index:
        there = FileExists(root, (Var(Variable.PATH), f"/{index}"), FileKind.FILE, cleans=True, span=directive.span)
        bare = AllOf((there, Not(PathGlob("*/", True, PathForm.CLEAN, directive.span))), directive.span)
        steps.append(Choose((Route(bare, (Redirect(308, (Var(Variable.ORIGINAL_PATH), "/"), span=directive.span),), directive.span),), directive.span))
    # fastcgi/caddyfile.go, parsePHPFastCGI (2.6.2, probed): without an index nothing is tried, whatever is named.
    candidates = (tried or ["{path}", f"{{path}}/{index}", f"/{index}"]) if index else []
    found = [_tried(word, root, names_split(endings), directive, context) for word in candidates]
    if found:
        steps.append(Choose(tuple(found), directive.span))
    ends = [PathGlob(f"*{ending}", True, PathForm.CLEAN, directive.span) for ending in endings]
    steps.append(Choose(tuple(Route(end, (made,), directive.span, directive.comments) for end in ends), directive.span))
    return tuple(steps)


def _tried(word: str, root: Template, split: Pattern, directive: Directive, context: Context) -> Route:
    """What becomes of a request for which the file is there, or where the status is reached that the list ends with."""
    if (status := status_at_end(word)) is not None:
        return Route(ALWAYS, (Respond(status, raises=True, span=directive.span),), directive.span)
    return Route(_candidate(word, root, split, directive, context), (Rewrite(SetPath((Var(Variable.FOUND),), True), span=directive.span),), directive.span)


def _candidate(word: str, root: Template, split: Pattern, directive: Directive, context: Context) -> FileExists:
    return FileExists(root, context.template(word, directive), FileKind.FOLDER if word.endswith("/") else FileKind.FILE, cleans=True, span=directive.span, split=split)


def names_split(endings: list[str]) -> Pattern:
    """The pattern by which a file test takes a path apart."""
    # MatchFile.firstSplit: the first one counts only if the name of a file ends there.
    ending = "|".join(re.escape(ending) for ending in endings)
    return Pattern(f"^((?:(?!{ending}).)*(?:{ending}))(/.*)?$", ignores_case=True)


def split_at(endings: list[str]) -> Pattern:
    """The pattern that takes a path apart behind the first of some endings."""
    return Pattern(f"^(.*?(?:{'|'.join(re.escape(ending) for ending in endings)}))(.*)$" if len(endings) > 1 else f"^(.*?{re.escape(endings[0])})(.*)$", ignores_case=True)


def read_transport(inner: Directive, pool: str, directive: Directive, level: Level, context: Context) -> Gateway:
    """`reverse_proxy ADDRESS { transport fastcgi { … } }`."""
    # fastcgi.go, splitPos: nothing to split at is found at once (2.6.2, probed).
    root, split, lines, read = level.root, Pattern("^()(.*)$"), [], None
    for line in inner.block or []:
        match line.name:
            case "root" if line.args:
                root = context.template(line.args[0], directive)
            case "split" if line.args:
                split = split_at(line.args)
            case "env" if len(line.args) == 2:
                lines.append(line)
            case "read_timeout" if line.args:
                read = values.read_duration_or_open(line.args[0])
            case "dial_timeout" | "write_timeout" | "resolve_root_symlink":
                pass
            case _:
                context.unread(directive, line.name, "root, split, env or a timeout was expected")
    return _gateway(pool, root, split, lines, directive, level, context, read)


def _gateway(pool: str, root: Template, split: Pattern | None, lines: list[Directive], directive: Directive, level: Level, context: Context,
             read: float | None = None) -> Gateway:
    parameters = tuple((line.args[0], context.template(line.args[1], directive)) for line in lines)
    return Gateway(
        pool=pool, root=root, split=split, remainder=True, cleans=True, parameters=parameters, server_name=(Var(Variable.HOST),), fields=defaults.FORWARDED_FIELDS,
        read_seconds=read, span=directive.span, root_span=level.root_span, comments=directive.comments,
    )


READS: dict[str, Read] = {"php_fastcgi": read_php_fastcgi}
