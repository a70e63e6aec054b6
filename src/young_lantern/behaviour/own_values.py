"""Values that a server makes itself, and that nobody foretells: the id that a request gets, the client's port, what TLS agreed on.

Rule:     in a field they stand for themselves, in words, and in the form that the server has for them; whatever else hangs on one is not decided.
Source:   nginx manual, core and SSL modules, "Embedded Variables"; httpd manual, mod_unique_id, mod_ssl "Environment Variables"; Caddy documentation,
          "Placeholders". Forms: nginx 1.22.1, httpd 2.4.71, Caddy 2.6.2, probed.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..model import Variable
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
_BRACKETS = str.maketrans("()", "[]")  # the words of a value end with its bracket
NONCE = "a number that the server asks with"
_KINDS = "|".join(map(re.escape, (*_WORDS.values(), NONCE, _UNREAD)))
_FORM = re.compile(rf"(\((?:{_KINDS})), [^()]*\)")
_MARK = re.compile(rf"\((?:{_KINDS})[^()]*\)|\(now [+-]\d+ s\)")


def own_value(variable: Variable, dialect: str) -> str:
    """The value in words."""
    return f"({_WORDS[variable]}{_FORMS.get((variable, dialect), '')})"


def unread_value(spelling: str) -> str:
    """The value, which may be empty, of a variable that the model has no word for."""
    return f"({_UNREAD}{spelling.translate(_BRACKETS)})"


def is_own(text: str) -> bool:
    """Whether a text holds a value that nobody foretells."""
    return _MARK.search(text) is not None


def alike_but_for_form(one: str | None, other: str | None) -> bool:
    """Whether two values are the same things in forms that differ: an id of 32 digits and one that is a UUID."""
    return one is not None and other is not None and is_own(one) and _FORM.sub(r"\1)", one) == _FORM.sub(r"\1)", other)


def unforetold(outcome: Outcome) -> set[str]:
    """The names of fields, of the answer and of what the origin gets, whose values nobody foretells."""
    pairs = (*outcome.fields, *(outcome.origin.fields if outcome.origin is not None else ()))
    return {name for name, value in pairs if is_own(value)}


def fits(foretold: Iterable[str], answered: Iterable[str]) -> bool:
    """Whether values that a server sent are as foretold, whatever stands where a value of its own is foretold. Of one that is not read nothing is known."""
    wanted, got = list(foretold), list(answered)
    if any(f"({_UNREAD}" in value for value in wanted):
        return True
    return len(wanted) == len(got) and all(re.fullmatch("(.+)".join(map(re.escape, _MARK.split(value))), seen, re.DOTALL) for value, seen in zip(wanted, got, strict=True))
