"""Small nginx configurations over few letters, a fault planted in them, and all short requests over these letters."""

from __future__ import annotations

import itertools
import random
import re

from tests.support.reading import nginx
from young_lantern.behaviour import Request

HOST = "www.fernhollow.example"
PATHS = ["/" + "".join(text) for length in range(5) for text in itertools.product("ab/.", repeat=length)]
PATHS = [path for path in PATHS if "//" not in path and not re.search(r"/\.{1,2}(/|$)", path)]
REQUESTS = [
    *(Request("GET", "http", HOST, 80, path) for path in PATHS),
    *(Request("POST", "http", HOST, 80, path) for path in PATHS if len(path) < 4),
    *(Request("GET", "http", HOST, 80, path + query) for path in PATHS if len(path) < 5 for query in ("?q=a", "?q=b")),
    *(Request("GET", "http", HOST, 80, path, (("X-F", value),)) for path in PATHS if len(path) < 5 for value in ("a", "b")),
    *(
        Request("GET", "http", HOST, 80, path + "?q=a", (("X-F", "a"),), "198.51.100.7")
        for path in PATHS
        if len(path) < 4
    ),
]
PLACES = ["/", "/a", "/a/", "= /a", "^~ /b", "/b/", "~ a$", r"~ \.b", "~* ^/A(.*)$", "/a/b", "= /b/"]
REWRITES = [
    "rewrite ^/a(.*)$ /b$1 last;",
    "rewrite ^/b/(.)(.*)$ /$2$1 last;",
    "rewrite b$ /a break;",
    "rewrite ^/(a+)$ /$1/b permanent;",
    "if ($http_x_f = a) { return 410; }",
    "if ($arg_q ~ ^[ab]) { rewrite ^ /a/b last; }",
    "if ($request_method = POST) { return 409; }",
    "if (-f $request_filename) { rewrite ^(.*)$ $1b break; }",
    "if ($http_x_f$arg_q = aa) { return 411; }",
    "set $f 0; if ($http_x_f = a) { set $f 1; } if ($arg_q = a) { set $f ${f}1; } if ($f = 11) { return 412; }",
]
ANSWERS = [
    "return 201 a;",
    "return 202 b;",
    "return 301 /b$uri;",
    "proxy_pass http://192.0.2.1:81;",
    "proxy_pass http://192.0.2.1:81/b/;",
    "root /srv/a;",
    "root /srv/b; try_files $uri $uri/ /a;",
    "root /srv/a; try_files $uri.b $uri =404;",
    "alias /srv/b/;",
    "add_header X-A 1; return 204;",
    "deny 198.51.100.0/24; root /srv/a;",
    "error_page 404 /b; root /srv/a;",
]


def small(source: random.Random) -> str:
    """A whole configuration of some places and rewrites, one directive a line."""
    places = source.sample(PLACES, source.randint(2, 4))
    lines = source.sample(REWRITES, source.randint(0, 2))
    for place in places:
        answer = source.choice(ANSWERS)
        if "proxy_pass http://192.0.2.1:81/b/" in answer and place.startswith("~"):
            answer = ANSWERS[3]
        inner = source.sample(REWRITES, source.choice([0, 0, 1]))
        lines.append(f"location {place} {{ {' '.join(inner)} {answer} }}")
    return nginx("\n".join(lines))


FAULTS = [
    (r"\b20([12])\b", lambda found: "20" + str(3 - int(found[1]))),
    (r"\blast;", lambda found: "break;"),
    (r"\bbreak;", lambda found: "last;"),
    (r"\bpermanent;", lambda found: "redirect;"),
    (r"location /a \{", lambda found: "location /a/ {"),
    (r"location /(a|b)/ \{", lambda found: f"location /{found[1]} {{"),
    (r"location = ", lambda found: "location "),
    (r"location ~\* ", lambda found: "location ~ "),
    (r"location \^~ ", lambda found: "location "),
    (r":81/b/;", lambda found: ":81;"),
    (r":81;", lambda found: ":81/;"),
    (r"add_header X-A 1; ", lambda found: ""),
    (r"deny 198\.51\.100\.0/24; ", lambda found: ""),
    (r"error_page 404 /b; ", lambda found: ""),
    (r"\$uri/ ", lambda found: ""),
    (r"\$uri\.b \$uri", lambda found: "$uri $uri.b"),
    (r" = a\)", lambda found: " = b)"),
    (r"\^\[ab\]", lambda found: "^a"),
    (r"/b\$1", lambda found: "/b/$1"),
    (r"/srv/a", lambda found: "/srv/b"),
    (r"= 11\)", lambda found: "= 01)"),
    (r"a\$ ", lambda found: "a "),
]


def planted(text: str, source: random.Random) -> str:
    """The configuration with one thing in it changed, or two lines swapped."""
    fitting = [(pattern, change) for pattern, change in FAULTS if re.search(pattern, text)]
    lines = text.splitlines()
    inner = [number for number, line in enumerate(lines) if line.startswith(("location", "rewrite", "if", "set"))]
    if not fitting or (len(inner) > 1 and source.random() < 0.2):
        one, other = source.sample(inner, 2)
        lines[one], lines[other] = lines[other], lines[one]
        return "\n".join(lines)
    pattern, change = source.choice(fitting)
    return re.sub(pattern, change, text, count=1)
