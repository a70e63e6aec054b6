"""Variables that remember what was found out before: `set $closed 0; if (…) { set $closed 1; } if ($closed) { … }`.

A server whose variables decide nothing gets the conditions themselves, once, and not the site again for each value.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import SITE, Reads, nginx
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.model import SetVariable
from young_lantern.model.walk import walk
from young_lantern.translate import Translation, read, save, translate

CLOSED = nginx("""root ROOT;
    set $closed 0;
    if (-f $document_root/closed.html) { set $closed 1; }
    if ($http_x_desk = yes) { set $closed 0; }
    if ($closed = 1) { return 503; }
    location / { try_files $uri /index.html; }
    location /dir/ { add_header X-Place dir; }
    location /bare/ { return 302 /x; }""")
TWO = nginx("""root ROOT;
    set $both "";
    if ($http_x_one) { set $both A; }
    if ($cookie_two = yes) { set $both "${both}B"; }
    if ($both = AB) { return 302 /both; }
    if ($both ~ ^B) { return 302 /second; }
    location / { if ($both) { return 302 /one; } }""")
OF_THE_PATH = nginx("""root ROOT;
    set $old 0;
    if ($uri ~ ^/dir/) { set $old 1; }
    rewrite ^/dir/(.*)$ /$1;
    if ($old) { return 302 /old$uri; }
    location / { if ($old = 0) { return 302 /new$uri; } }""")
SAID = nginx("""root ROOT;
    set $who nobody;
    if ($http_x_desk) { set $who desk; }
    if ($who = desk) { return 302 /desk; }
    add_header X-Who $who;
    location /bare/ { return 302 /$who; }""")
UNSET = nginx("""root ROOT;
    if ($http_x_desk) { set $desk 1; }
    if ($desk) { return 302 /desk; }""")
ROWS = {"closed": CLOSED, "two": TWO, "of the path": OF_THE_PATH, "said": SAID, "unset": UNSET}
FIELDS = ({}, {"X-Desk": "yes"}, {"X-One": "1"}, {"Cookie": "two=yes"}, {"X-One": "1", "Cookie": "two=yes"})


def made(reads: Reads, text: str, target: str) -> tuple[Translation, str]:
    translation = translate(reads.write("nginx", text), target)
    return translation, "".join(translation.writing.files.values())


@pytest.mark.parametrize("target", ["caddy", "apache"])
@pytest.mark.parametrize("text", ROWS.values(), ids=ROWS)
@pytest.mark.parametrize("closed", [False, True], ids=["", "with the file"])
def test_answers_stay_the_same(reads: Reads, tmp_path: Path, text: str, target: str, closed: bool) -> None:
    if closed:
        (reads.root / "closed.html").write_text("closed\n")
    translation, _ = made(reads, text, target)
    asked = [request_for(SITE + path, fields=fields) for path in ("/a.html", "/none", "/dir/a.html", "/bare/x.txt") for fields in FIELDS]
    for request in asked:
        before, after = (decide(estate, request, real_files()) for estate in (translation.reading.estate, translation.read_back.estate))
        assert (before.status, (before.location or "").removeprefix(SITE), before.file) == (after.status, (after.location or "").removeprefix(SITE), after.file), str(request)
    save(translation.writing.files, tmp_path / "new")
    assert not check_live(translation.reading, read(tmp_path / "new", target), requests=asked, most=120).surprises


@pytest.mark.parametrize("target", ["caddy", "apache"])
def test_the_condition_stands_there_once(reads: Reads, target: str) -> None:
    translation, written = made(reads, CLOSED, target)
    assert written.count("/closed.html") == written.count("503") == 1
    assert not any(isinstance(item, SetVariable) and "closed" in item.name for site in translation.read_back.estate.sites for item in walk(site.program))
    assert {entry.disposition.value for entry in translation.ledger if "$closed" in entry.span.directive} == {"kept"}


def test_what_is_said_elsewhere_stays_a_variable(reads: Reads) -> None:
    assert "who" in made(reads, SAID, "apache")[1]
    assert "both" not in made(reads, TWO, "apache")[1].replace("/both", "")
