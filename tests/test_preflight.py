"""OPTIONS on files: httpd answers it itself, and pages of other origins depend on that; what SetEnvIf makes of their names."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import Reason, compare_estates
from young_lantern.lab.live import check_live
from young_lantern.model import Severity
from young_lantern.translate import Translation, read, save, translate

HOST = """
Header set X-Set yes
Header always set X-Always yes
ErrorDocument 403 /404.html
RewriteEngine On
RewriteRule ^/moved$ /x [R]
RewriteRule ^/told$ /a.html
RewriteRule ^/away$ - [R=503]
<Location /methods>
AllowMethods GET
</Location>
<Location /limited>
<LimitExcept GET>
Require all denied
</LimitExcept>
</Location>
<Directory ROOT/bare>
FallbackResource /a.html
</Directory>
<Files style.css>
Require all denied
</Files>
"""
TARGETS = ("/", "/a.html", "/a.html/more", "/none", "/none.html", "/none/", "/none/of/it", "/dir", "/dir/", "/bare", "/bare/", "/bare/none", "/style.css",
           "/moved", "/told", "/away", "/methods", "/limited", "/a%2fb")

OTHERS = 'SetEnvIf Origin "^https://([a-z]+[.])?fernhollow[.]example$" KNOWN=$0\nHeader always set Access-Control-Allow-Origin %{KNOWN}e env=KNOWN\nHeader always set Access-Control-Allow-Headers Content-Type'


def test_the_server_answers_as_foretold(reads: Reads, tmp_path: Path) -> None:
    """Before it looks for a file, but after the slash of a folder, and not where the method is refused."""
    text = httpd(HOST).replace("ROOT", str(reads.root))
    rows: list[tuple[str, str, str, dict[str, str]]] = [("OPTIONS", "www.fernhollow.example", target, {}) for target in TARGETS]
    asked, wrong = disagreements("apache", text, rows, tmp_path / "c")
    assert asked == len(TARGETS)
    assert wrong == []


@pytest.mark.parametrize(("target", "status"), [("/none", 200), ("/dir", 301), ("/style.css", 403), ("/methods", 405), ("/told", 200)])
def test_what_is_answered(reads: Reads, target: str, status: int) -> None:
    outcome = reads.decide("apache", httpd(HOST), target, "OPTIONS")
    assert (outcome.status, outcome.body) == (status, "" if status == 200 else None)


@pytest.mark.parametrize(("host", "severity"), [("", Severity.MINOR), ('Header set Access-Control-Allow-Origin "*"', Severity.BREAKING)])
def test_a_refusal_afterwards_is_told(reads: Reads, host: str, severity: Severity) -> None:
    """It breaks what pages of other origins do, and nothing else."""
    one, other = (reads.read("apache", httpd(f"{host}\n{more}")).estate for more in ("", "<Location />\nAllowMethods GET HEAD\n</Location>"))
    found = [cause for cause in compare_estates(one, other).causes if cause.reason is Reason.METHOD and "OPTIONS" in cause.methods]
    assert severity in [cause.severity for cause in found]
    assert severity is Severity.BREAKING or not [cause for cause in found if cause.severity is Severity.BREAKING]


def _moved(reads: Reads, tmp_path: Path, host: str, target: str) -> Translation:
    """The translation, after both servers were asked: nothing may be untold."""
    made = translate(reads.write("apache", httpd(host)), target, dialect="apache")
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=150)
    assert [str(row.request) + str(row.request.fields) + str(row.defects) for row in live.surprises] == []
    return made


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_the_question_is_still_answered(reads: Reads, tmp_path: Path, target: str) -> None:
    made = _moved(reads, tmp_path, OTHERS, target)
    asked = request_for(f"{SITE}/a.html", "OPTIONS", {"Origin": "https://loans.fernhollow.example"})
    before, after = (decide(reading.estate, asked, real_files()) for reading in (made.reading, made.read_back))
    assert before.status == after.status == 200
    assert dict(after.fields)["access-control-allow-origin"] == "https://loans.fernhollow.example"
    assert not [cause for cause in made.comparison.causes if cause.severity is Severity.BREAKING and "OPTIONS" in cause.methods]


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize("host", ["", "Header set X-A 1", "Header unset Access-Control-Allow-Origin"])
def test_nothing_is_written_where_no_page_asks(reads: Reads, target: str, host: str) -> None:
    made = translate(reads.write("apache", httpd(host)), target, dialect="apache")
    assert "OPTIONS" not in "".join(text for name, text in made.writing.files.items() if name.startswith("sites/"))


def test_nobody_is_let_past_a_guard(reads: Reads) -> None:
    (reads.root / "users").write_text("rowan:$apr1$abcdefgh$ilW1wQGTFmDP0LjDMKNkH.\n")
    guard = "<Location />\nAuthType Basic\nAuthName a\nAuthUserFile ROOT/users\nRequire valid-user\n</Location>"
    made = translate(reads.write("apache", httpd(f"{OTHERS}\n{guard}")), "nginx", dialect="apache")
    outcome = decide(made.read_back.estate, request_for(f"{SITE}/a.html", "OPTIONS"), real_files())
    assert outcome.status in (401, 405)


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_a_page_for_errors_keeps_the_status(reads: Reads, tmp_path: Path, target: str) -> None:
    """The value of a SetEnvIf does not lead the page that a maintenance rule shows to another status."""
    away = "RewriteEngine On\nRewriteCond %{REQUEST_URI} !=/404.html\nRewriteRule ^/dir - [R=503,L]\nErrorDocument 503 /404.html"
    made = _moved(reads, tmp_path, f"{OTHERS}\n{away}", target)
    outcome = decide(made.read_back.estate, request_for(f"{SITE}/dir/", "GET", {"Origin": "https://fernhollow.example"}), real_files())
    assert (outcome.status, dict(outcome.fields)["access-control-allow-origin"]) == (503, "https://fernhollow.example")
    assert not [cause for cause in made.comparison.causes if "status: 503" in cause.summary and cause.severity is Severity.BREAKING]


@pytest.mark.parametrize(
    ("line", "is_table"),
    [
        ('SetEnvIf Origin "^https://[a-z.]+$" KNOWN=$0', True),
        ('SetEnvIf Origin "^https://[a-z.]+$" KNOWN=<$0>', True),
        ('SetEnvIf Origin "https://[a-z.]+" KNOWN=$0', False),
        ('SetEnvIf Origin "^https://[a-z.]+$|null" KNOWN=$0', False),
        ('SetEnvIf Origin "^https://([a-z.]*)$" KNOWN=$1', False),
        ('SetEnvIf Origin "^(https://[a-z.]+)?$" KNOWN=$0', False),
    ],
)
def test_a_value_that_is_all_of_what_was_asked(reads: Reads, line: str, is_table: bool) -> None:
    """Then a table says it; else it is carried in a longer way, and what differs is told."""
    made = translate(reads.write("apache", httpd(f"{line}\nHeader always set X-Known %{{KNOWN}}e env=KNOWN")), "nginx", dialect="apache")
    assert ("set $known" not in "".join(made.writing.files.values())) is is_table
    if is_table:
        asked = request_for(f"{SITE}/a.html", "GET", {"Origin": "https://fernhollow.example"})
        one, other = (dict(decide(reading.estate, asked, real_files()).fields) for reading in (made.reading, made.read_back))
        assert one == other and one["x-known"].strip("<>") == "https://fernhollow.example"


def test_fields_of_the_last_answer_are_of_no_other(reads: Reads, tmp_path: Path) -> None:
    """Caddy sets what stands at a level for all that the level answers: the page of a fallback has none of a file's fields."""
    made = _moved(reads, tmp_path, 'FallbackResource /index.html\n<Location /dir/>\nHeader always set X-Dir yes\n</Location>', "caddy")
    for target in ("/dir/none", "/dir/index.html"):
        asked = request_for(SITE + target)
        one, other = (dict(decide(reading.estate, asked, real_files()).fields).get("x-dir") for reading in (made.reading, made.read_back))
        assert one == other == ("yes" if target.endswith("html") else None)
