"""httpd expressions (`RewriteCond expr`, `Header … expr=`, `Require expr`) -> conditions. Mirror: writer/conditions.py.

Source:   Apache HTTP Server manual, "Expressions in Apache HTTP Server"; util_expr_parse.y.
Rule:     `!` binds closest, then `&&`, then `||` (2.4.71, probed in If and Header; a RewriteCond has a sign of its own, see rewrites.py); words compare as
          text unless the operator begins with a dash.
Unknown:  a function, variable or operator that is not read makes the whole expression unread: None.
"""

from __future__ import annotations

import base64
import re
from dataclasses import dataclass, replace

from ....model import (
    ALWAYS, AllOf, AnyOf, Capture, ClientIn, Condition, MethodIn, Not, PathForm, PathMatches, Pattern, PeerIn, Remade, SchemeIs, Span, Template, TextIs, TextMatches, Unread, Var, Variable, join,
)
from ....patterns import search
from .. import values
from . import comparisons

# Fields that answers without an origin have as well: what they are is not known beforehand.
_OF_ANY_ANSWER = frozenset({"content-type", "content-length", "content-encoding", "content-language", "last-modified", "etag", "date", "server", "location", "allow", "accept-ranges", "vary", "expires"})

_STRING = re.compile(r"""\s*(?:'((?:\\.|[^'\\])*)'|"((?:\\.|[^"\\])*)")""")
_STATUS = "REQUEST_STATUS"
# util_expr_eval.c, op_T: what counts for nothing, in letters of either case; string_func: what makes a text another one.
_NOTHING = ("", "0", "off", "false", "no")
_FUNCTIONS = {"tolower": "small", "toupper": "large"}
_SHELL = ("-strmatch", "-strcmatch", "-fnmatch")


@dataclass(frozen=True, slots=True)
class Read:
    """What an expression asks: a condition on the request, and the statuses of answers it holds for (None: any)."""

    condition: Condition
    statuses: frozenset[int] | None = None


def read_expression(text: str, span: Span | None, of_answer: bool = False) -> Read | None:
    """An expression -> what it asks; None when some of it is not read. of_answer: it is asked when the answer goes out, whose type is CONTENT_TYPE then."""
    parser = _Parser(text, span, of_answer)
    try:
        made = parser.either()
        parser.blank()
    except _NotRead:
        return None
    return made if parser.at == len(text) else None


class _NotRead(Exception):
    """Some part of the expression is not read; caught where reading began."""


class _Parser:
    def __init__(self, text: str, span: Span | None, of_answer: bool = False) -> None:
        self.text, self.span, self.of_answer, self.at = text, span, of_answer, 0
        self.groups = ""  # the label of the pattern that `$1` speaks of

    def blank(self) -> None:
        while self.at < len(self.text) and self.text[self.at].isspace():
            self.at += 1

    def take(self, *words: str) -> str | None:
        self.blank()
        for word in words:
            if self.text.startswith(word, self.at):
                after = self.text[self.at + len(word):self.at + len(word) + 1]
                if word[-1].isalnum() and (after.isalnum() or after == "_"):
                    continue
                self.at += len(word)
                return word
        return None

    def either(self) -> Read:
        parts = [self.both()]
        while self.take("||"):
            self.groups = ""
            parts.append(self.both())
        self.groups = self.groups if len(parts) == 1 else ""
        if len(parts) == 1:
            return parts[0]
        if any(part.statuses is not None for part in parts):
            raise _NotRead
        return Read(_any([part.condition for part in parts], self.span))

    def both(self) -> Read:
        parts = [self.one()]
        while self.take("&&"):
            parts.append(self.one())
        statuses = [part.statuses for part in parts if part.statuses is not None]
        if len(statuses) > 1:
            raise _NotRead
        asked = [part.condition for part in parts if part.condition is not ALWAYS]
        held = ALWAYS if not asked else asked[0] if len(asked) == 1 else AllOf(tuple(asked), self.span)
        return Read(held, statuses[0] if statuses else None)

    def one(self) -> Read:
        if self.take("!"):
            inner = self.one()
            self.groups = ""
            if inner.statuses is not None:
                raise _NotRead
            return Read(inner.condition.condition if isinstance(inner.condition, Not) else Not(inner.condition, self.span))
        if self.take("("):
            made = self.either()
            if not self.take(")"):
                raise _NotRead
            return made
        if self.take("true"):
            return Read(ALWAYS)
        if self.take("false"):
            return Read(Not(ALWAYS))
        if operator := self.take("-R"):
            return Read(ClientIn((self.string(),), self.span))
        if operator := self.take("-n", "-z", "-T"):
            if operator == "-T":
                return Read(Not(TextIs(self.word(), _NOTHING, True, self.span), self.span))
            empty = TextIs(self.word(), ("",), span=self.span)
            return Read(Not(empty, self.span) if operator == "-n" else empty)
        return self.comparison()

    def comparison(self) -> Read:
        status = self.take(f"%{{{_STATUS}}}")
        word: Template = () if status else self.word()
        sign = self.take("==", "!=", "=~", "!~", "=", *_SHELL, "-ipmatch", "-eq", "-ne", "-lt", "-le", "-gt", "-ge", "-in", "in")
        if sign is None:
            raise _NotRead
        if status:
            return Read(ALWAYS, self.statuses(sign))
        return Read(self.compared(word, sign))

    def compared(self, word: Template, sign: str) -> Condition:
        if sign in ("=~", "!~"):
            at = self.at
            pattern = self.regex()
            if sign == "=~" and re.search(r"\$\d", self.text[self.at:]):
                self.groups = f"expression {self.span.file if self.span else ''} {self.span.line if self.span else 0} {at}"
                pattern = replace(pattern, label=self.groups)
            made = self.matched(word, pattern)
            return Not(made, self.span) if sign == "!~" else made
        if sign in _SHELL:
            return self.matched(word, Pattern(_shell(self.string(), sign == "-fnmatch"), "pcre", sign == "-strcmatch"))
        if sign == "-ipmatch" and word == (Var(Variable.CLIENT),):
            return ClientIn((self.string(),), self.span)
        if sign == "-ipmatch" and word == (Var(Variable.PEER),):
            return PeerIn((self.string(),), self.span)
        if sign in _NUMBERS and sign[0] == "-":
            self.blank()
            found = re.compile(r"'?(-?\d+)'?").match(self.text, self.at)
            if not found:
                raise _NotRead
            self.at = found.end()
            return comparisons.number(word, sign, int(found[1]), self.span)
        if sign in ("in", "-in"):
            return _equals(word, self.list(), self.span)
        if sign in ("==", "=", "!="):
            other = self.word()
            if not all(isinstance(part, str) for part in other):
                raise _NotRead
            wanted = "".join(map(str, other))
            if (inner := _in_small(word)) is not None and wanted == wanted.lower():
                made = TextIs(inner, (wanted,), True, self.span)
            else:
                made = _equals(word, [wanted], self.span)
            return Not(made, self.span) if sign == "!=" else made
        raise _NotRead

    def matched(self, word: Template, pattern: Pattern) -> Condition:
        if (inner := _in_small(word)) is not None and not re.search(r"[A-Z]|\\[^.*+?()\[\]/-]", pattern.text):
            word, pattern = inner, replace(pattern, ignores_case=True)
        return PathMatches(pattern, PathForm.URL, span=self.span) if word == (Var(Variable.URL_PATH),) else TextMatches(word, pattern, span=self.span)

    def statuses(self, sign: str) -> frozenset[int]:
        known = range(100, 600)
        if sign == "=~":
            pattern = self.regex()
            return frozenset(number for number in known if search(pattern, str(number)))
        if sign in ("in", "-in"):
            wanted = self.list()
            return frozenset(number for number in known if str(number) in wanted)
        self.blank()
        found = re.compile(r"'?(\d{3})'?").match(self.text, self.at)
        if not found or sign not in _NUMBERS:
            raise _NotRead
        self.at = found.end()
        return frozenset(number for number in known if _NUMBERS[sign](number, int(found[1])))

    # --- words ---------------------------------------------------------------------------------------------------------------

    def word(self) -> Template:
        made = self.piece()
        while self.take("."):
            made = join(made, self.piece())
        return made

    def piece(self) -> Template:
        self.blank()
        if found := re.compile(rf"({'|'.join(_FUNCTIONS)})\(").match(self.text, self.at):
            self.at = found.end()
            inner = self.word()
            if not self.take(")"):
                raise _NotRead
            return (Remade(inner, _FUNCTIONS[found[1]]),)
        if self.groups and (found := re.compile(r"\$(\d)").match(self.text, self.at)):
            self.at = found.end()
            return (Capture(int(found[1]), self.groups),)
        if found := _STRING.match(self.text, self.at):
            self.at = found.end()
            return read_text(found[1] if found[1] is not None else found[2])
        if found := re.compile(r"%\{([^}]*)\}").match(self.text, self.at):
            self.at = found.end()
            if self.of_answer and found[1].upper() == "CONTENT_TYPE":
                return (Var(Variable.ANSWER_TYPE),)
            return self.known(values.expression_variable(found[1]))
        if found := re.compile(r"(?:(req|http|req_novary|reqenv|env)\(\s*'([^']*)'\s*\))").match(self.text, self.at):
            self.at = found.end()
            return (Var(Variable.VARIABLE, found[2]),) if "env" in found[1] else (Var(Variable.FIELD, found[2]),) if found[2].lower() != "host" else (Var(Variable.AUTHORITY),)
        if self.of_answer and (found := re.compile(r"resp\(\s*'([^']*)'\s*\)").match(self.text, self.at)) and found[1].lower() not in _OF_ANY_ANSWER:
            self.at = found.end()
            return (Var(Variable.ORIGIN_FIELD, found[1]),)
        if found := re.compile(r"\d+").match(self.text, self.at):
            self.at = found.end()
            return (found[0],)
        raise _NotRead

    def known(self, made: Template) -> Template:
        if any(isinstance(part, Unread) for part in made):
            raise _NotRead
        return made

    def string(self) -> str:
        made = self.word()
        if not all(isinstance(part, str) for part in made):
            raise _NotRead
        return "".join(map(str, made))

    def list(self) -> list[str]:
        if not self.take("{"):
            raise _NotRead
        found = [self.string()]
        while self.take(","):
            found.append(self.string())
        if not self.take("}"):
            raise _NotRead
        return found

    def regex(self) -> Pattern:
        self.blank()
        found = re.compile(r"(?:/((?:\\.|[^/\\])*)/|m([#,|!;:%])((?:\\.|(?!\2).)*)\2)([ims]*)").match(self.text, self.at)
        if not found or "m" in found[4] or "s" in found[4]:
            raise _NotRead
        self.at = found.end()
        text = (found[1] if found[1] is not None else found[3]).replace("\\/", "/")
        return Pattern(text, "pcre", "i" in found[4])


def _in_small(word: Template) -> Template | None:
    """What a text was made of whose letters were made small; None for any other."""
    return word[0].template if len(word) == 1 and isinstance(word[0], Remade) and word[0].how == "small" else None


def _shell(text: str, by_segments: bool) -> str:
    """A shell pattern as a regular expression (apr_fnmatch): a star takes slashes, but by segments."""
    made, at = [], 0
    inside = "[^/]" if by_segments else "."
    while at < len(text):
        if found := re.compile(r"\[([!^]?)(\]?(?:\\.|[^\]\\])*)\]").match(text, at):
            made.append(f"[{'^' if found[1] else ''}{found[2].replace('[', chr(92) + '[').replace('^', chr(92) + '^')}]")
            at = found.end()
            continue
        sign = text[at]
        if sign == "\\" and at + 1 < len(text):
            at += 1
            made.append(re.escape(text[at]))
        else:
            made.append({"*": f"{inside}*", "?": inside}.get(sign, re.escape(sign)))
        at += 1
    return f"^{''.join(made)}$"


def _unbase64(text: str) -> str:
    try:
        return base64.b64decode(text, validate=True).decode("utf-8", "replace")
    except ValueError:
        return ""


def read_text(text: str) -> Template:
    """A text of the expression language, with `%{NAME}` in it."""
    text = re.sub(r"%\{unbase64:([A-Za-z0-9+/=]*)\}", lambda found: _unbase64(found[1]), text)
    pieces = re.split(r"(%\{[^}]*\}|\\.)", text)
    return join(*(values.expression_variable(piece[2:-1]) if piece.startswith("%{") else piece[1:] if piece.startswith("\\") and len(piece) == 2 else piece for piece in pieces))


def _equals(word: Template, wanted: list[str], span: Span | None) -> Condition:
    if word == (Var(Variable.METHOD),):
        methods = tuple(filter(None, wanted))  # no request is without one
        return MethodIn(methods, span) if methods else Not(ALWAYS, span)
    if word == (Var(Variable.SCHEME),) and len(wanted) == 1:
        return SchemeIs(wanted[0], span) if wanted[0] in ("http", "https") else Not(ALWAYS, span)
    return TextIs(word, tuple(wanted), span=span)


def _any(parts: list[Condition], span: Span | None) -> Condition:
    if ALWAYS in parts:
        return ALWAYS
    for kind in (ClientIn, PeerIn):
        if all(isinstance(part, kind) for part in parts):
            return kind(tuple(network for part in parts for network in part.networks), span)  # type: ignore[union-attr]
    return AnyOf(tuple(parts), span)


_NUMBERS = {
    "-eq": lambda a, b: a == b, "-ne": lambda a, b: a != b, "-lt": lambda a, b: a < b, "-le": lambda a, b: a <= b, "-gt": lambda a, b: a > b, "-ge": lambda a, b: a >= b,
    "==": lambda a, b: a == b, "!=": lambda a, b: a != b,
}
