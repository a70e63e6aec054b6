"""Single faults in a written configuration, in any dialect; and requests by the dozen in its own words."""

from __future__ import annotations

import random
import re

from young_lantern.behaviour import Request

HOSTS = [f"{name}.fernhollow.example" for name in ("www", "loans", "media", "workshops")] + ["fernhollow-tools.example"]
FLAGS = re.compile(r",[A-Z0-9=]+\]$|\b(?:always|permanent|last|break|nocanon|browse)\b")


def faulty(text: str, source: random.Random) -> str:
    """The text with a line or a flag lost, a digit, letter or slash changed, or two lines swapped."""
    lines = text.splitlines()
    body = [n for n, line in enumerate(lines) if line.strip() not in ("", "{", "}") and not line.strip().startswith("#")]
    for _ in range(100):
        at = source.choice(body)
        line, kind = lines[at], source.choice(["line", "digit", "slash", "letter", "order", "flag"])
        opens = line.rstrip().endswith(("{", ">"))
        if kind == "line" and not opens:
            del lines[at]
        elif kind == "order" and not opens and at + 1 in body and not lines[at + 1].rstrip().endswith(("{", ">")):
            lines[at : at + 2] = [lines[at + 1], line]
        elif kind in ("digit", "slash", "letter", "flag"):
            wanted = {"digit": re.compile(r"\d"), "slash": re.compile("/"), "letter": re.compile("[a-z]"), "flag": FLAGS}[kind]
            found = list(wanted.finditer(line))
            if not found:
                continue
            one = source.choice(found)
            instead = str((int(one[0]) + 1) % 10) if kind == "digit" else "]" if one[0].endswith("]") else ""
            lines[at] = line[: one.start()] + instead + line[one.end() :]
        else:
            continue
        break
    return "\n".join(lines) + "\n"


def words_of(texts: list[str]) -> list[str]:
    """Segments that some configurations speak of, and a few others."""
    found = {word for text in texts for word in re.findall(r"[\w.-]+", text) if 1 < len(word) < 16}
    return sorted(found | {"x", "1", "index.html", "a.css", "B.JS", "m.pdf", "saw"})


def some_request(words: list[str], source: random.Random) -> Request:
    path = "/" + "/".join(source.choice(words) for _ in range(source.randint(0, 3))) + source.choice(["", "", "/"])
    fields = source.choice(
        [(), (), (), (("User-Agent", "FeedFetcher"),), (("Accept-Encoding", "gzip"),), (("X-Forwarded-For", "203.0.113.7"),)]
    )
    scheme, port = source.choice([("http", 80), ("https", 443)])
    return Request(
        source.choice(["GET", "GET", "GET", "HEAD", "POST"]), scheme, source.choice(HOSTS), port,
        path + source.choice(["", "", "?q=1"]), fields, source.choice(["192.0.2.10", "198.51.100.9"]),
    )  # fmt: skip
