"""Caddy's matchers and what they hold for: methods as spelt, versions of HTTP, arguments that are there; asked of the running server."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.dialects.caddy import arguments
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

HOST = "www.fernhollow.example"
QUERIES = ("", "?", "?&", "?z", "?z=", "?z=1", "?zz=1", "?q=1", "?q=2&q=1", "?q=1&z", "?q=&z=", "?a=z")
# What holds, of the queries; for methods, of GET and POST.
ARGUMENTS = {
    "query z=*": "?z ?z= ?z=1 ?q=1&z ?q=&z=",
    "query z=": "?z ?z= ?q=1&z ?q=&z=",
    "query q=1 z=*": "?z ?z= ?z=1 ?q=1 ?q=1&z ?q=&z=",
    "not query z=*": "- ? ?& ?zz=1 ?q=1 ?q=2&q=1 ?a=z",
    'query ""': "- ? ?&",
    "expression query({'z': '*'})": "?z ?z= ?z=1 ?q=1&z ?q=&z=",
}
METHODS = {
    "method get": "", "method GET post": "GET", "expression method('get', 'POST')": "POST", "protocol http/1.0": "", "protocol http/1.0+": "GET POST", "protocol http/1.1": "GET POST",
    "protocol http/1.1+": "GET POST", "protocol http/2": "", "protocol http/2+": "", "protocol http/3+": "", "protocol HTTP": "", "expression protocol('HTTP')": "GET POST", "protocol http/9": "",
}  # fmt: skip


@pytest.mark.parametrize("matcher", ARGUMENTS)
def test_arguments_that_are_there(reads: Reads, tmp_path: Path, matcher: str) -> None:
    text = caddy(f"@held {matcher}\nrespond @held yes\nrespond no")
    held = [query for query in QUERIES if reads.decide("caddy", text, f"/{query}").body == "yes"]
    assert [query or "-" for query in held] == ARGUMENTS[matcher].split()
    rows = [("GET", HOST, f"/{query}", {}) for query in QUERIES]
    assert disagreements("caddy", text, rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("matcher", METHODS)
def test_methods_and_versions(reads: Reads, tmp_path: Path, matcher: str) -> None:
    text = caddy(f"@held {matcher}\nrespond @held yes\nrespond no")
    assert [method for method in ("GET", "POST") if reads.decide("caddy", text, "/", method=method).body == "yes"] == METHODS[matcher].split()
    assert disagreements("caddy", text, [(method, HOST, "/", {}) for method in ("GET", "POST")], tmp_path / "asked") == (2, [])


def test_a_field_of_nothing_is_asked_for_by_none_that_is_read(reads: Reads) -> None:
    text = caddy('@held header X-A ""\nrespond @held yes\nrespond no')
    assert [finding.code.name for finding in reads.read("caddy", text).findings] == ["condition-unread"]
    assert reads.decide("caddy", text, "/").gave_up


@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
def test_an_argument_that_is_there_is_carried(reads: Reads, tmp_path: Path, target: str) -> None:
    made = translate(reads.write("caddy", caddy("@plain query plain=*\nredir @plain /plain\n@old protocol http/1.0\nredir @old /old\nrespond page")), target)
    for query, status in (("", 200), ("?plain", 302), ("?plain=", 302), ("?x=1&plain=2", 302), ("?plainly=1", 200)):
        assert [decide(reading.estate, request_for(f"{SITE}/{query}"), real_files()).status for reading in (made.reading, made.read_back)] == [status, status]
    assert target != "caddy" or "query plain=*" in "".join(made.writing.files.values())
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new", target), most=60)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []


@pytest.mark.parametrize("name", ["z", "page-no", "a.b", "x[0]"])
def test_the_name_of_an_argument_comes_back_from_its_pattern(name: str) -> None:
    assert arguments.asked(arguments.there(name)) == (None if "[" in name else name)
    assert arguments.asked(arguments.there(name + "$")) is None


# Lists of files of php_fastcgi -> the status of /, /a.html, /dir/none.php and /dir/, all below a root with an application that is not reached where it is not asked.
LISTS = {
    "try_files {path} {path}/index.html =404": (200, 200, 404, 200), "try_files {path} =410 index.php": (410, 200, 410, 410),
    "index off\ntry_files {path} /a.html": (200, 200, None, 200), "try_files {path} /a.html": (200, 200, 200, 200),
}  # fmt: skip


@pytest.mark.parametrize("lines", LISTS)
def test_lists_of_files_end_in_an_error_and_are_nothing_without_an_index(reads: Reads, tmp_path: Path, lines: str) -> None:
    text = caddy(f"root * {reads.root}\nphp_fastcgi 192.0.2.9:9000 {{\n{lines}\n}}\nfile_server")
    targets = ("/", "/a.html", "/dir/none.php", "/dir/")
    outcomes = [reads.decide("caddy", text, target) for target in targets]
    assert tuple(None if outcome.origin else outcome.status for outcome in outcomes) == LISTS[lines]
    assert disagreements("caddy", text, [("GET", HOST, target, {}) for target in targets], tmp_path / "asked") == (len(targets), [])


def test_a_file_test_that_answers_with_an_error_is_told(reads: Reads) -> None:
    text = caddy("@there file {path} =404\nrespond @there yes\nrespond no")
    assert [finding.code.name for finding in reads.read("caddy", text).findings] == ["condition-unread"]
    assert reads.decide("caddy", text, "/a.html").gave_up
