"""Values that a server makes itself, and that nobody foretells: the id that a request gets, the client's port, what TLS agreed on.

Rule:     in a field they stand for themselves, in words, and in the form that the server has for them; whatever else hangs on one is not decided.
Source:   nginx manual, core and SSL modules, "Embedded Variables"; httpd manual, mod_unique_id, mod_ssl "Environment Variables"; Caddy documentation,
          "Placeholders". Forms: nginx 1.22.1, httpd 2.4.71, Caddy 2.6.2, probed.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..model import WHOLE, Lookup, Variable, literal, shares_of
from .outcome import Outcome

_WORDS = {
    Variable.REQUEST_ID: "the id of the request", Variable.CLIENT_PORT: "the client's port", Variable.SERVER_ADDRESS: "the server's address", Variable.MACHINE_NAME: "the machine's name",
    Variable.ORIGIN_ADDRESS: "the address of the origin that answered", Variable.TLS_VERSION: "the version of TLS", Variable.TLS_CIPHER: "the cipher of the connection",
}
_FORMS = {
    (Variable.REQUEST_ID, "nginx"): ", 32 hexadecimal digits", (Variable.REQUEST_ID, "caddy"): ", a UUID", (Variable.REQUEST_ID, "apache"): ", 27 letters and digits",
    (Variable.TLS_VERSION, "caddy"): ", as tls1.3", (Variable.TLS_VERSION, "nginx"): ", as TLSv1.3", (Variable.TLS_VERSION, "apache"): ", as TLSv1.3",
    (Variable.TLS_CIPHER, "caddy"): ", by its name in the registry", (Variable.TLS_CIPHER, "nginx"): ", by its name in OpenSSL", (Variable.TLS_CIPHER, "apache"): ", by its name in OpenSSL",
}
OWN_VALUES = frozenset(_WORDS)
_UNREAD = "the value of "
_NO_NAME = re.compile(r"[^a-z0-9.]+")
_BRACKETS = str.maketrans("()", "[]")  # the words of a value end with its bracket
_DRAWN = "drawn-from-"
NONCE = "a number that the server asks with"
_KINDS = "|".join(map(re.escape, (*_WORDS.values(), NONCE, _UNREAD, _DRAWN)))
_FORM = re.compile(rf"(\((?:{_KINDS})), [^()]*\)")
_MARK = re.compile(rf"\((?:{_KINDS})[^()]*\)|\(now [+-]\d+ s\)")


def own_value(variable: Variable, dialect: str) -> str:
    """The value in words."""
    return f"({_WORDS[variable]}{_FORMS.get((variable, dialect), '')})"


def unread_value(spelling: str) -> str:
    """The value, which may be empty, of a variable that the model has no word for."""
    return f"({_UNREAD}{spelling.translate(_BRACKETS)})"


def drawn_value(table: Lookup) -> str:
    """The value of a table that is drawn anew for each request, in words that may stand in a URL, where a host or a path does."""
    words = [f"{round(share * 100 / WHOLE)}-{_NO_NAME.sub('-', (literal(result) or 'nothing').lower())}" for share, result in shares_of(table)]
    return f"({_DRAWN}{'-or-'.join(words)})"


def drawn_first(text: str) -> str:
    """What a text begins with, if that is drawn: a "url", a "path", or "either"; "" if it is none."""
    found = re.match(rf"\({_DRAWN}([^()]*)\)", text)
    kinds = {"url" if re.match(r"\d+-https?-", one) else "path" for one in found[1].split("-or-")} if found else set()
    return "either" if len(kinds) > 1 else kinds.pop() if kinds else ""


def is_own(text: str) -> bool:
    """Whether a text holds a value that nobody foretells."""
    return _MARK.search(text) is not None


def alike_but_for_form(one: str | None, other: str | None) -> bool:
    """Whether two values are the same things in forms that differ: an id of 32 digits and one that is a UUID."""
    return one is not None and other is not None and is_own(one) and _FORM.sub(r"\1)", one) == _FORM.sub(r"\1)", other)


def unforetold(outcome: Outcome) -> set[str]:
    """The names of fields, of the answer and of what the origin gets, whose values nobody foretells; the Location among them."""
    pairs = (("location", outcome.location or ""), *outcome.fields, *(outcome.origin.fields if outcome.origin is not None else ()))
    return {name for name, value in pairs if is_own(value)}


def fits(foretold: Iterable[str], answered: Iterable[str]) -> bool:
    """Whether values that a server sent are as foretold, whatever stands where a value of its own is foretold. Of one that is not read nothing is known."""
    wanted, got = list(foretold), list(answered)
    if any(f"({_UNREAD}" in value for value in wanted):
        return True
    return len(wanted) == len(got) and all(re.fullmatch("(.+)".join(map(re.escape, _MARK.split(value))), seen, re.DOTALL) for value, seen in zip(wanted, got, strict=True))
