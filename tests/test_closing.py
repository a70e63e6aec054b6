"""What keeps somebody out, and cannot be said in the target: nobody gets in by its absence."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads, caddy, nginx
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.model import Severity
from young_lantern.translate import translate

PASSWORD = "basicauth {\nu $2a$14$Zkx19XLiW6VYouLHR5NmfOFU0z2GTNmpkT/5qqR7hx4IjWJPDhjvG\n}\nrespond b\n"


@pytest.mark.parametrize(
    ("dialect", "text", "closed"),
    [
        ("nginx", nginx("if ($geoip_country_code = XX) { return 403; } location / { return 200 a; }"), True),
        ("nginx", nginx("set $kept 0; if ($geoip_country_code = XX) { set $kept 1; } if ($kept) { return 403; } location / { return 200 a; }"), True),
        ("nginx", nginx("if ($kept) { return 444; } location / { return 200 a; }", "map $geoip_country_code $kept { default 0; XX 1; }"), True),
        ("nginx", nginx("if ($geoip_country_code = XX) { return 302 /xx; } location / { return 200 a; }"), False),
        ("caddy", caddy("@some expression `{path}.size() > 3`\nrespond @some 403\nrespond a"), True),
        ("caddy", caddy(f"@some expression `{{path}}.size() > 3`\nhandle @some {{\n{PASSWORD}}}\nrespond a"), True),
        ("caddy", caddy("@some expression `{path}.size() > 3`\nredir @some /xx\nrespond a"), False),
    ],
)
def test_who_is_kept_out_stays_out(reads: Reads, dialect: str, text: str, closed: bool) -> None:
    """A condition that is not read is no reason to let in whom it keeps out: all are refused then. What only leads elsewhere is told, and left out."""
    for target in ("nginx", "caddy", "apache"):
        if target == dialect:
            continue
        made = translate(reads.write(dialect, text), target, dialect=dialect)
        outcome = decide(made.read_back.estate, request_for("http://www.fernhollow.example/"), real_files())
        assert (outcome.status == 501) is closed, target
        assert any(item.code.severity is Severity.BREAKING for item in made.findings)


def test_who_is_kept_out_within_the_paths_that_can_be_said(reads: Reads) -> None:
    text = caddy("@some {\npath /x/*\nexpression `{path}.size() > 3`\n}\nrespond @some 403\nrespond a")
    for target in ("nginx", "apache", "caddy"):
        made = translate(reads.write("caddy", text), target, dialect="caddy")
        answers = [decide(made.read_back.estate, request_for(f"http://www.fernhollow.example{path}"), real_files()).status for path in ("/x/y", "/y")]
        assert answers == [501, 200], target
