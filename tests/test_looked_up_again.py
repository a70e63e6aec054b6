"""Paths that rules of a folder change, after which all rules begin anew: what nginx does by itself with `last`."""

from __future__ import annotations

import itertools

import pytest

from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.model import Capture, Pattern, Template
from young_lantern.patterns import search
from young_lantern.patterns.lengths import change, left_alone_without
from young_lantern.translate import translate

BUSTED = "RewriteCond %{REQUEST_FILENAME} !-f\nRewriteRule ^(.+)\\.(\\d+)\\.(css|js)$ $1.$3 [L]"


def folder(rules: str, other: str = "") -> str:
    return httpd(f"<Directory ROOT>\nRewriteEngine On\n{rules}\n</Directory>\n{other}")


@pytest.mark.parametrize(
    ("pattern", "template"),
    [
        ("^(a*)b(b?)$", (Capture(1), Capture(2))), ("^(a*)(b?)$", (Capture(2), Capture(1))), ("^(a+)b", (Capture(1), "b")), ("^(a|bb)(.*)", ("a", Capture(2))),
        ("^(a)?(b.*)", (Capture(2),)), ("^(a*)$", (Capture(1), "b")), ("a(b*)$", (Capture(1),)), ("^(a(b*))", (Capture(2),)), ("^(?:ab){1,2}(.*)", (Capture(1),)), ("^(a*)b", (Capture(1), Capture(1))),
    ],
)  # fmt: skip
def test_how_much_longer_a_text_becomes(pattern: str, template: Template) -> None:
    """All texts of up to six letters that the pattern is found in."""
    least, most = change(Pattern(pattern), template)
    seen = set()
    for length in range(7):
        for letters in itertools.product("abc", repeat=length):
            text = "".join(letters)
            if (found := search(Pattern(pattern), text)) is not None:
                made = "".join(part if isinstance(part, str) else found[part.group] or "" for part in template)  # type: ignore[union-attr, index]
                seen.add(len(made) - len(text))
    assert seen and min(seen) >= least and max(seen) <= most


@pytest.mark.parametrize(
    ("pattern", "template", "wanted"),
    [
        ("^(a+)?(b.*)", (Capture(2),), 1), ("^/(a/)?(b.*)$", ("/", Capture(2)), 1), ("^(a|ab)?(c)(b*)$", (Capture(2), Capture(3)), 1), ("^c(a+)?(b*)$", ("c", Capture(2)), 1),
        ("^(a*)(b.*)", (Capture(2),), None), ("^(a+)?(b*)(c*)$", (Capture(3), Capture(2)), None), ("^(a+)?(b*)", (Capture(2),), None), ("(a+)?(b.*)", (Capture(2),), None),
        ("^(a+)?(c+)?(b.*)", (Capture(3),), None), ("^(a+)?b(c*)$", (Capture(2),), None),
    ],
)  # fmt: skip
def test_the_group_without_which_nothing_changes(pattern: str, template: Template, wanted: int | None) -> None:
    assert left_alone_without(Pattern(pattern), template) == wanted
    found = 0
    for letters in itertools.chain.from_iterable(itertools.product("abc/", repeat=length) for length in range(6)):
        text = "".join(letters)
        if wanted is not None and (match := search(Pattern(pattern), text)) is not None:
            made = "".join(part if isinstance(part, str) else match[part.group] or "" for part in template)  # type: ignore[union-attr, index]
            assert (made == text) is not bool(match[wanted])
            found += 1
    assert bool(found) is (wanted is not None)


def test_such_a_rule_is_one_line(reads: Reads) -> None:
    (reads.root / "app.js").write_text("js\n")
    made = translate(reads.write("apache", folder(BUSTED + "\nRewriteRule \\.(bak|old)$ - [F]")), "nginx")
    text = "\n".join(made.writing.files.values())
    assert text.count(" last;") == 1 and "try_files $uri @fallback;" in text
    live = check_live(made.reading, made.read_back, most=200)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
    twice = [row for row in live.rows if row.request.target.endswith((".js", ".css")) and row.answers[0].status == 200]
    assert twice and len(live.rows) > 40


@pytest.mark.parametrize(
    ("rules", "natively"),
    [
        (BUSTED, True),
        # The new path may be what it was, where httpd goes on: where the group took nothing, or for all that anybody knows.
        ("RewriteRule ^(x/)?(a.*|dir.*)$ $2 [L]", True),
        ("RewriteRule ^(.*)(a|b)(.*)$ $3$2$1 [L]", False),
        # It says so the first time only.
        ("RewriteCond %{ENV:REDIRECT_STATUS} ^$\n" + BUSTED.split("\n")[1], False),
        ("RewriteRule ^(.+)\\.(\\d+)\\.css$ $1.css [E=busted:1,L]\nRewriteCond %{ENV:busted} 1\nRewriteRule ^x /y.html [R]", False),
        ("RewriteRule ^ - [E=kind:%{HTTP:X-Kind}]\n" + BUSTED + "\nRewriteCond %{ENV:kind} odd\nRewriteRule ^x /y.html [R]", True),
    ],
)
def test_only_where_the_second_pass_is_as_the_first(reads: Reads, rules: str, natively: bool) -> None:
    made = translate(reads.write("apache", folder(rules)), "nginx")
    assert (" last;" in "\n".join(made.writing.files.values())) is natively
    live = check_live(made.reading, made.read_back, most=150)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []


@pytest.mark.parametrize(("early", "query", "natively"), [
    ("RewriteCond %{HTTP_USER_AGENT} bad\nRewriteRule ^ - [F]", "?v=$2", True), ("RewriteCond %{QUERY_STRING} bad\nRewriteRule ^ - [F]", "", True),
    ("RewriteCond %{QUERY_STRING} bad\nRewriteRule ^ - [F]", "?v=$2", False),
])  # fmt: skip
def test_what_nginx_asks_first_is_not_asked_again(reads: Reads, early: str, query: str, natively: bool) -> None:
    """It runs before a location is looked for, and once only: that is enough where what it asks stays as it was."""
    rules = f"{early}\nRewriteCond %{{REQUEST_FILENAME}} !-f\nRewriteRule ^(.+)\\.(\\d+)\\.(css|js)$ $1.$3{query} [L]"
    made = translate(reads.write("apache", folder(rules)), "nginx")
    text = made.writing.files["sites/www.fernhollow.example.conf"]
    assert text.index("return 403") < text.index("location") and (" last;" in text) is natively
    live = check_live(made.reading, made.read_back, most=150)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []
