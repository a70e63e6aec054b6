"""httpd's expressions: what the model decides, what the table says, and what the server answers are one."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import Request, decide, real_files
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

REQUESTS: dict[str, tuple[str, str, dict[str, str]]] = {
    "plain": ("GET", "", {}),
    "word": ("GET", "?q=1", {"X-Probe": "abc"}),
    "number": ("HEAD", "?n=12", {"X-Number": "12", "X-Probe": "Abc"}),
    "long": ("GET", "?", {"X-Number": "1000", "X-Probe": ""}),
}
# An expression as `RewriteCond expr` takes it -> the requests that it holds for.
EXPRESSIONS = {
    "true": "plain word number long",
    "false": "",
    "! false": "plain word number long",
    "%{HTTP:X-Probe} == 'abc'": "word",
    "%{HTTP:X-Probe} = 'abc'": "word",
    "%{HTTP:X-Probe} != 'abc'": "plain number long",
    "%{HTTP:X-Probe} =~ /^a/": "word",
    "%{HTTP:X-Probe} =~ /^a/i": "word number",
    "%{HTTP:X-Probe} !~ m#b#": "plain long",
    "%{HTTP:X-Probe} in {'abc', 'Abc'}": "word number",
    "req('X-Probe') == 'Abc'": "number",
    "-n %{HTTP:X-Probe}": "word number",
    "-z %{HTTP:X-Probe}": "plain long",
    "%{HTTP:X-Number} -gt 12": "long",
    "%{HTTP:X-Number} -ge 12": "number long",
    "%{HTTP:X-Number} -gt 9": "number long",
    "%{HTTP:X-Number} -gt 99": "long",
    "%{HTTP:X-Number} -gt 100": "long",
    "%{HTTP:X-Number} -gt 999": "long",
    "%{HTTP:X-Number} -gt 1000": "",
    "%{HTTP:X-Number} -lt 12": "plain word",
    "%{HTTP:X-Number} -le 12": "plain word number",
    "%{HTTP:X-Number} -eq 12": "number",
    "%{HTTP:X-Number} -ne 12": "plain word long",
    "%{HTTP:X-Probe} -eq 0": "plain word number long",
    "-R '127.0.0.0/8'": "plain word number long",
    "-R '192.0.2.0/24'": "",
    "! -R '192.0.2.0/24'": "plain word number long",
    "%{REMOTE_ADDR} -ipmatch '127.0.0.1'": "plain word number long",
    "%{REQUEST_METHOD} == 'HEAD'": "number",
    "%{REQUEST_SCHEME} == 'http'": "plain word number long",
    "%{QUERY_STRING} =~ /^q=/": "word",
    "%{QUERY_STRING} == ''": "plain long",
    "%{HTTP_HOST} == 'www.fernhollow.example'": "plain word number long",
    # `&&` binds closer than `||`.
    "true || false && false": "plain word number long",
    "(true || false) && false": "",
    # The sign at the front of a RewriteCond turns round all of it.
    "! false && false": "plain word number long",
    "(! false) && false": "",
    "true && ! true || true": "plain word number long",
    "! %{REQUEST_METHOD} == 'HEAD' || true": "",
    "(! %{REQUEST_METHOD} == 'HEAD') || %{QUERY_STRING} == 'n=12'": "plain word number long",
    "%{HTTP:X-Probe} == 'abc' && %{QUERY_STRING} == 'q=1' || %{HTTP:X-Number} -gt 99": "word long",
}
UNREAD = (
    "-T osenv('HOME')",
    "file('/etc/hostname') == 'x'",
    "%{TIME_HOUR} -gt 10",
    "%{QUERY_STRING} == 'a' || $1 == 'a'",
    "%{HTTP:X-Number} -eq %{HTTP:X-Other}",
    "true &&",
)


def _host(expressions: tuple[str, ...]) -> str:
    rules = (f'RewriteCond expr "{text}"\nRewriteRule ^/{number}$ - [G]' for number, text in enumerate(expressions))
    return "\n".join(["RewriteEngine On", *rules])


def test_each_expression_holds_for_the_requests_it_should(reads: Reads) -> None:
    reading = reads.read("apache", httpd(_host(tuple(EXPRESSIONS))))
    assert not [finding for finding in reading.findings if finding.code.name.endswith("unread")]
    for number, (text, holds) in enumerate(EXPRESSIONS.items()):
        found = []
        for name, (method, query, fields) in REQUESTS.items():
            target, host = f"/{number}{query}", "www.fernhollow.example"
            request = Request(method, "http", host, 80, target, tuple(fields.items()), client="127.0.0.1")
            found += [name] if decide(reading.estate, request, real_files()).status == 410 else []
        assert " ".join(found) == holds, text


def test_the_server_answers_alike(reads: Reads, tmp_path: Path) -> None:
    rows = [
        (method, "www.fernhollow.example", f"/{number}{query}", fields)
        for number in range(len(EXPRESSIONS))
        for method, query, fields in REQUESTS.values()
    ]
    text = httpd(_host(tuple(EXPRESSIONS))).replace("ROOT", str(reads.root))
    asked, wrong = disagreements("apache", text, rows, tmp_path / "server")
    assert not wrong, "\n".join(wrong[:10])
    assert asked == len(rows)


@pytest.mark.parametrize("text", UNREAD)
def test_what_is_not_read_leaves_the_answer_open(reads: Reads, text: str) -> None:
    """No rule is taken for one that never holds, or always does."""
    assert reads.decide("apache", httpd(_host((text,))), "/0").gave_up


FIELDS_OF_THEMSELVES = """ProxyPass / http://192.0.2.7:8000/
RequestHeader set X-Scheme "https" "expr=%{HTTP:X-Scheme} == 'secure'"
RequestHeader set X-Scheme "plain" "expr=%{HTTP:X-Scheme} == ''"
RequestHeader set X-Seen "expr=%{HTTP:X-Seen},%{HTTP:X-Scheme}"
RequestHeader set X-Last "yes" "expr=%{HTTP:X-Scheme} == 'plain'\""""


def test_a_line_asks_what_the_lines_before_have_left(reads: Reads, tmp_path: Path) -> None:
    """A field's own line may ask for it, and put it into its value."""
    text = httpd(FIELDS_OF_THEMSELVES).replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", "/a", fields) for fields in ({}, {"X-Scheme": "secure"}, {"X-Scheme": "other", "X-Seen": "first"})]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (3, [])
    for target in ("nginx", "caddy"):
        made = translate(reads.write("apache", text), target, dialect="apache")
        assert not check_live(made.reading, made.read_back, most=40).surprises
