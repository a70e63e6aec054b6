"""Whether what a server rewrites before it looks for a location would touch a question of its own.

Source:   ngx_http_subrequest, ngx_http_handler (1.22.1, probed): a request inside begins with the rewriting of the server, for its own path and without a
          query, and shares its variables with the request that it is made for.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any

from ...model import Pattern
from ...patterns import search

# What is another thing within the question than for the request itself.
_ITS_OWN = re.compile(r"\$\{?(?:uri|document_uri|args|query_string|is_args|arg_\w+|request_filename|\d)\b")
Line = tuple[Sequence[str], "Iterable[Line] | None"]


def lines_of(items: Iterable[Any]) -> list[Line]:
    """Directives of the reader, or nodes of the writer, as words with what stands in their block."""
    return [([word if isinstance(word, str) else word.text for word in item.words], lines_of(item.block) if item.block is not None else None) for item in items]


def disturbs(lines: Iterable[Line], path: str) -> bool:
    """Whether some line of a server would do something with a question at this path that it does not do with the request, or may not."""
    found = [(list(words), block) for words, block in lines if words]
    set_below = {name for words, block in found if words[0] == "location" for name in _names_set(block or ())}
    ended = False
    for words, block in found:
        if ended and (words[0] in ("return", "set") or words[0] == "if" and _holds(" ".join(words[1:]), path) is not False and any(_acts(inner, path, True) for inner in block or ())):
            return True
        ended = ended or _ends(words) or words[0] == "if" and any(_ends(inner[0]) for inner in block or ())
        match words[0]:
            case "rewrite" if len(words) > 2 and _matches(words[1], path, False):
                return True
            case "set" if len(words) > 2 and (words[1] in set_below or _ITS_OWN.search(words[2])):
                return True
            case "if":
                # A condition that holds for both has ended the request if it ends anything; but it rewrites the question, too.
                differs = _holds(" ".join(words[1:]), path)
                if differs is not False and any(_acts(inner, path, bool(differs)) for inner in block or ()):
                    return True
    return False


def _ends(words: Sequence[str]) -> bool:
    """Whether a line may end the rewriting for the request, and not for the question: what stands behind it is met by the question alone then."""
    return words[0] == "break" or words[0] == "rewrite" and words[-1] in ("last", "break")


def _acts(line: Line, path: str, differs: bool) -> bool:
    words = list(line[0])
    return differs and words[0] in ("return", "break", "set") or words[0] == "rewrite" and _matches(words[1], path, False)


def _holds(condition: str, path: str) -> bool | None:
    """Whether a condition may hold for the question and not for the request; None: what does not ask for the path or the query holds for both or for none."""
    text = condition.strip().removeprefix("(").removesuffix(")").strip()
    asked = re.fullmatch(r"\$(?:uri|document_uri)\s*(=|~\*?)\s*(.*)", text)
    if asked is not None:
        wanted = asked[2].strip().strip("\"'")
        return wanted == path if asked[1] == "=" else _matches(wanted, path, asked[1] == "~*")
    return True if _ITS_OWN.search(text) or text.startswith(("-", "!-")) else None


def _matches(pattern: str, path: str, ignores_case: bool) -> bool:
    return search(Pattern(pattern.strip("\"'"), "pcre", ignores_case), path) is not None


def _names_set(lines: Iterable[Line]) -> Iterable[str]:
    for words, block in lines:
        if words and words[0] == "set" and len(words) > 1:
            yield words[1]
        yield from _names_set(block or ())
