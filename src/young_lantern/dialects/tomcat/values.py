"""Values of Tomcat's configuration: patterns, texts with variables, addresses. Read only.

Source:   java.util.regex.Pattern; Tomcat documentation, "The rewrite Valve", "Test strings"; ResolverImpl, Substitution (10.1.60).
Unknown:  a variable that is not in the table is Unread, and told.
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Mapping

from ...model import Capture, Lookup, LookupRow, Part, Template, Unread, Var, Variable, join

# What a rule asks of a request -> ours. ResolverImpl: HTTP_HOST is the host without its port; REQUEST_URI and THE_REQUEST are without the query.
VARIABLES: dict[str, Template] = {
    "HTTP_HOST": (Var(Variable.HOST_SENT),), "HTTP_USER_AGENT": (Var(Variable.FIELD, "User-Agent"),), "HTTP_REFERER": (Var(Variable.FIELD, "Referer"),),
    "HTTP_COOKIE": (Var(Variable.FIELD, "Cookie"),), "HTTP_FORWARDED": (Var(Variable.FIELD, "Forwarded"),), "HTTP_ACCEPT": (Var(Variable.FIELD, "Accept"),),
    "HTTP_PROXY_CONNECTION": (Var(Variable.FIELD, "Proxy-Connection"),), "REMOTE_ADDR": (Var(Variable.CLIENT),), "REMOTE_HOST": (Var(Variable.CLIENT),),
    "REMOTE_PORT": (Var(Variable.CLIENT_PORT),), "REQUEST_METHOD": (Var(Variable.METHOD),), "QUERY_STRING": (Var(Variable.QUERY),), "SERVER_PORT": (Var(Variable.PORT),),
    "SERVER_ADDR": (Var(Variable.SERVER_ADDRESS),), "SERVER_PROTOCOL": (Var(Variable.PROTOCOL),), "SERVER_SOFTWARE": ("tomcat",), "REQUEST_URI": (Var(Variable.PATH_ESCAPED),),
    "THE_REQUEST": (Var(Variable.METHOD), " ", Var(Variable.PATH_ESCAPED), " ", Var(Variable.PROTOCOL)),
    # ResolverImpl, resolve: getPathTranslated is nothing for whatever the default servlet is for, so that tests of it as a file hold for nothing (10.1.60, probed).
    "REQUEST_FILENAME": (), "PATH_INFO": (),
}
HTTPS = Lookup("https", (Var(Variable.SCHEME),), (LookupRow("https", ("on",)),), ("off",))


def substitution(text: str, rule: str, condition: str, *, path: Template, context: str, given: Mapping[str, Template], groups: Mapping[str, int]) -> Template:
    """`/new/$1?host=%{HTTP_HOST}` -> a template. A backslash takes what stands behind it as it is.

    rule, condition: labels of the patterns whose groups `$1` and `%1` are
    path:    what REQUEST_PATH is where the rule stands; context: the path of the context
    given:   what other variables are there; groups: how many groups the pattern of each label has: others are nothing
    """
    parts: list[Part] = []
    for found in re.finditer(r"\\(.)|\$(\d)|%(\d)|%\{((?:[^{}])*)\}|(\$\{[^}]*\})|([^\\$%]+|[\\$%])", text, re.DOTALL):
        escaped, group, other, name, table, plain = found.groups()
        if escaped is not None:
            parts.append(escaped)
        elif group is not None:
            parts += (Capture(int(group), rule),) if int(group) <= groups.get(rule, 9) else ()
        elif other is not None:
            parts += (Capture(int(other), condition),) if condition and int(other) <= groups.get(condition, 9) else ()
        elif name is not None:
            parts += given[name] if name in given else _variable(name, path, context)
        else:
            parts.append(Unread(table) if table is not None else plain)
    return join(*parts)


def _variable(name: str, path: Template, context: str) -> Template:
    kind, colon, rest = name.partition(":")
    if colon:
        return {"ENV": (Var(Variable.VARIABLE, rest),), "HTTP": (Var(Variable.FIELD, rest),), "SSL": (HTTPS,) if rest == "HTTPS" else (Unread(f"%{{{name}}}"),)}.get(
            kind, (Unread(f"%{{{name}}}"),))
    if name == "HTTPS":
        return (HTTPS,)
    if name == "REQUEST_PATH":
        return path
    if name == "CONTEXT_PATH":
        return (context,) if context else ()
    return VARIABLES.get(name, (Unread(f"%{{{name}}}"),))


def whole(text: str, prefix: str = "") -> str:
    """A pattern for PCRE that is found where Java's matches the whole text, behind a prefix: `^/a/(.*)$` as it stands, `(.*)` with both ends tied."""
    start, end = text.startswith("^"), text.endswith("$") and not _is_escaped(text)
    inner = text[1 if start else 0:-1 if end else None]
    if _has_choice(inner):
        inner = f"(?:{text if not prefix else inner})"
    return f"^{re.escape(prefix)}{inner}$"


def _is_escaped(text: str) -> bool:
    return len(re.search(r"(\\*)\$$", text)[1]) % 2 == 1  # type: ignore[index]


def _has_choice(text: str) -> bool:
    """Whether a bar stands outside of all groups and classes."""
    depth = 0
    for found in re.finditer(r"\\.|\[\^?\]?(?:\\.|[^\]\\])*\]|[()|]", text, re.DOTALL):
        depth += {"(": 1, ")": -1}.get(found[0], 0)
        if found[0] == "|" and depth == 0:
            return True
    return False


def groups_in(text: str) -> int:
    """How many groups a pattern has."""
    return sum(1 for found in re.finditer(r"\\.|\[\^?\]?(?:\\.|[^\]\\])*\]|\((?!\?)|\(\?<(?![=!])", text, re.DOTALL) if found[0].startswith("("))


# What Java's patterns say otherwise than PCRE.
_UNLIKE = ((r"\[[^\]]*&&", "an intersection of classes"), (r"\\p\{(?:java|Is|In)", "a class of Java's own"), (r"\[[^\]\\]*\[", "a class within another"),
           (r"\\[hHRGZ]", "an escape that other engines take otherwise"))


def unlike(text: str) -> str:
    """Why other engines take a pattern otherwise; "" where they do not."""
    return next((why for pattern, why in _UNLIKE if re.search(pattern, text)), "")


# Patterns of addresses, as they are usually written, each for one network.


def network_of(text: str) -> str | None:
    """The network that one alternative of a pattern of addresses is for: `127\\.\\d+\\.\\d+\\.\\d+` -> 127.0.0.0/8; None where it is none."""
    if text in ("::1", "0:0:0:0:0:0:0:1"):
        return "::1/128"
    found = re.fullmatch(r"\^?((?:\d{1,3}(?:\\\.|\.|$))+)((?:\\d\{1,3\}|\\d\+|\[0-9\]\+|\[0-9\]\{1,3\}|\.\*|\\\.|\.)*)\$?", text)
    if found is None:
        return None
    numbers = [piece for piece in re.split(r"\\?\.", found[1]) if piece]
    rest = [piece for piece in re.split(r"\\\.|(?<![.\\])\.(?=\\d|\[)", found[2]) if piece]
    if len(numbers) > 4 or any(int(number) > 255 for number in numbers) or len(numbers) + len(rest) != 4 and not (len(rest) == 1 and rest[0] == ".*"):
        return None
    if len(numbers) == 4 and not rest:
        return f"{'.'.join(numbers)}/32"
    if not found[1].endswith(".") or not rest:
        return None
    return f"{'.'.join([*numbers, *['0'] * (4 - len(numbers))])}/{8 * len(numbers)}"


def networks_of(pattern: str) -> tuple[str, ...] | None:
    """The networks that a pattern of addresses is for, where each of its alternatives is for one; else None."""
    made = [network_of(piece) for piece in pattern.split("|")]
    return None if None in made else tuple(dict.fromkeys(item for item in made if item is not None))


def is_network(text: str) -> bool:
    try:
        ipaddress.ip_network(text, strict=False)
    except ValueError:
        return False
    return True
