"""httpd, comparisons of texts and numbers in `RewriteCond` and expressions: what is foretold, the server answers; carried as patterns."""

from __future__ import annotations

import itertools
from pathlib import Path

import pytest
import regex

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.dialects.apache.reader import comparisons
from young_lantern.lab.live import check_live
from young_lantern.model import ALWAYS, Condition, Not, TextMatches
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
NUMBERS = {"-gt": int.__gt__, "-ge": int.__ge__, "-lt": int.__lt__, "-le": int.__le__, "-eq": int.__eq__, "-ne": int.__ne__}
ORDERS = {">": int.__gt__, ">=": int.__ge__, "<": int.__lt__, "<=": int.__le__}
WANTED = ['>""', '<=""', '=""', "-eq5", "-ne0", "-gt-5", "-ge10", "-lt5x", "-le99", "!-eq5", "-eq", "-EQ5", "-foo", "-q", '"-eq 5"', "<bcd", ">=bcd", ">b_d [NC]", "<=b_d [NC]", "!<b", ">", ">=", "<%{REQUEST_URI}"]
TEXTS = ["", "5", "05x", "+5", "-6", "-4", "10", "99", "100", "abc", "abcd", "zz", "BCD", "bcd", "B_D", "B^a", "BZA", "-eq", "-EQ5", "-foo", "-q", "%3E"]


def _holds(condition: Condition, text: str) -> bool:
    if isinstance(condition, Not):
        return not _holds(condition.condition, text)
    return condition is ALWAYS or isinstance(condition, TextMatches) and regex.search(condition.pattern.text, text) is not None


def _value(text: str) -> int:
    found = regex.match(r"\s*([+-]?\d+)", text)
    return int(found[1]) if found else 0


@pytest.mark.parametrize("sign", NUMBERS)
def test_numbers_against_all(sign: str) -> None:
    numbers = [*range(25), 99, 100, 101, 109, 110, 199, 999, 1000]
    texts = ["", "x", "-", "--3", " 7", "1 2", *(f"{lead}{value}{end}" for lead in ("", "-", "+", "0", "-00") for value in numbers for end in ("", "a", "-"))]
    wrong = [(bound, text) for bound in (*range(-12, 13), 99, 100, 109, -99, -100) for text in texts if _holds(comparisons.number((), sign, bound, None), text) != NUMBERS[sign](_value(text), bound)]
    assert wrong == []


@pytest.mark.parametrize("ignores_case", [False, True])
@pytest.mark.parametrize("sign", ORDERS)
def test_orders_against_all(sign: str, ignores_case: bool) -> None:
    texts = ["".join(letters) for length in range(4) for letters in itertools.product("aBb_^Z~", repeat=length)]

    def compared(one: str, other: str) -> int:
        first, second = (one.lower(), other.lower()) if ignores_case else ((len(one), one), (len(other), other))
        return (first > second) - (first < second)  # type: ignore[operator]

    wrong = []
    for bound in ("", "a", "B_", "bZa", "~~", "aB^"):
        condition = comparisons.order((), sign, bound, ignores_case, None)
        assert condition is not None
        wrong += [(bound, text) for text in texts if _holds(condition, text) != ORDERS[sign](compared(text, bound), 0)]
    assert wrong == []


@pytest.mark.parametrize("wanted", WANTED)
def test_what_conditions_of_rules_compare(reads: Reads, tmp_path: Path, wanted: str) -> None:
    text = httpd(f"RewriteEngine On\nRewriteCond %{{QUERY_STRING}} {wanted}\nRewriteRule ^ /held [R,QSD,L]")
    compares = wanted.strip('!"').startswith(("<", ">=", ">b", *(f"-{sign}" for sign in ("eq5", "eq ", "ne0", "gt-", "ge1", "lt5", "le9")))) or wanted == '>""'
    assert [finding.code.name for finding in reads.read("apache", text).findings] == ["compared-around-the-edges"] * compares
    rows = [("GET", HOST, f"/a.html?{word}", {}) for word in TEXTS]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("asked", ["-eq 5", "-ne 5", "-gt -5", "-le '10'", "-lt 0"])
def test_what_expressions_compare(reads: Reads, tmp_path: Path, asked: str) -> None:
    text = httpd(f'Header always set X-Held yes "expr=%{{QUERY_STRING}} {asked}"')
    rows = [("GET", HOST, f"/a.html?{word}", {}) for word in TEXTS]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize(("bound", "read"), [("2147483647", True), ("2147483648", False), ("-2147483649", False)])
def test_a_bound_that_wraps_is_not_read(reads: Reads, bound: str, read: bool) -> None:
    reading = reads.read("apache", httpd(f"RewriteEngine On\nRewriteCond %{{HTTP:X-N}} -gt{bound}\nRewriteRule ^ - [F]"))
    assert [finding.code.name for finding in reading.findings] == ["compared-around-the-edges" if read else "condition-unread"]


def test_expressions_count_on(reads: Reads, tmp_path: Path) -> None:
    """With 64 bits, and no further than they go."""
    text = httpd('Header always set X-Held yes "expr=%{QUERY_STRING} -gt 3000000000"')
    rows = [("GET", HOST, f"/a.html?{word}", {}) for word in ("2147483648", "4294967297", "3000000001", "99999999999999999999", "5")]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (5, [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_they_are_carried(reads: Reads, target: str) -> None:
    lines = "RewriteEngine On\nRewriteCond %{QUERY_STRING} -gt10\nRewriteRule ^/x /dir/ [R,QSD,L]\nRewriteCond %{HTTP:X-Shelf} <=b_d\nRewriteRule ^ - [F]"
    made = translate(reads.write("apache", httpd(lines)), target)
    assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == []
    live = check_live(made.reading, made.read_back, most=200)
    assert {answer.status for row in live.rows for answer in row.answers} >= {302, 403, 200}
    assert [(str(row.request), row.between, row.defects) for row in live.surprises] == []


@pytest.mark.parametrize(("test", "told"), [("-F", True), ("-U", False), ("-x", False), ("-l", False), ("-ge", False)])
def test_what_is_not_read_is_told(reads: Reads, test: str, told: bool) -> None:
    """Who may have a file is asked of the file of a folder's request alone; at server level its name is the path."""
    reading = reads.read("apache", httpd(f"RewriteEngine On\nRewriteCond %{{REQUEST_FILENAME}} {test}\nRewriteRule ^ - [F]"))
    assert [(finding.code.name, finding.span.directive.split()[0]) for finding in reading.findings] == [("condition-unread", "RewriteCond")] * told
