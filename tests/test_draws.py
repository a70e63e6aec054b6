"""What is drawn anew for each request: maps of httpd's (`rnd:`), shares of nginx's by the request's id, tables of Caddy's by digits of it."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import pytest

from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.lab.live import LiveCheck, check_live
from young_lantern.model import Disposition
from young_lantern.translate import Translation, translate

MAP = "hosts one.example|two.example|three.example\nurls https://one.example/pub|https://two.example\nkinds loan|tool|tool|tool\nlone only\n"
RULES = r"""RewriteRule ^/dl/(.*)$ https://${m:hosts}/pub/$1 [R=302,L]
RewriteRule ^/go$ ${m:urls|/none} [R=302,L]
RewriteRule ^/k/(\w+)/(.*)$ https://www.fernhollow.example/${m:$1|none}/$2 [R=302,L]
RewriteCond ${m:kinds} =tool
RewriteRule ^/ab - [R=410,L]
"""
HOSTS = "(drawn-from-33-one.example-or-33-two.example-or-33-three.example)"


def config(reads: Reads, text: str = MAP) -> Path:
    (reads.folder / "drawn.txt").write_text(text)
    return reads.write("apache", httpd(f"RewriteMap m rnd:{reads.folder}/drawn.txt\nRewriteEngine On\n{RULES}"))


def asked(made: Translation, path: str, times: int = 60) -> LiveCheck:
    requests = [request_for(f"{SITE}{path}", fields={"X-Number": str(number)}) for number in range(times)]
    live = check_live(made.reading, made.read_back, requests=requests, most=100)
    assert [(str(row.request), row.between, row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]
    return live


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_what_a_map_draws_is_drawn_elsewhere(reads: Reads, target: str) -> None:
    """Each of the values is met, of both servers, about as often as it should be; the rest of the target is as before."""
    made = translate(config(reads), target, dialect="apache")
    assert [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED] == []
    live = asked(made, "/k/kinds/a/b?q=1", 120)
    for side in (0, 1):
        met = Counter(row.answers[side].field("location") for row in live.rows if row.request.target == "/k/kinds/a/b?q=1")
        assert set(met) == {f"{SITE.replace('http', 'https')}/{kind}/a/b?q=1" for kind in ("loan", "tool")}
        assert met.most_common(1)[0][0] == "https://www.fernhollow.example/tool/a/b?q=1"


def test_a_redirect_says_what_it_is_drawn_from(reads: Reads) -> None:
    made = translate(config(reads), "nginx", dialect="apache")
    for estate in (made.reading.estate, made.read_back.estate):
        assert decide(estate, request_for(f"{SITE}/dl/a%20b?x=1"), real_files()).location == f"https://{HOSTS}/pub/a%20b?x=1"
        assert "drawn" in (decide(estate, request_for(f"{SITE}/ab"), real_files()).gave_up or "")


def test_another_weight_is_another_answer(reads: Reads) -> None:
    one, other = (translate(config(reads, text), "nginx", dialect="apache").reading.estate for text in (MAP, MAP.replace("one.example|two.example|", "one.example|", 1)))
    told = compare_estates(one, other).causes
    assert any(HOSTS in difference.before and "drawn-from-50-one" in difference.after for cause in told for difference in cause.differences)


def test_one_value_said_twice_is_drawn_from_nothing(reads: Reads) -> None:
    made = translate(config(reads, MAP.replace("one.example|two.example|three.example", "one.example|one.example")), "caddy", dialect="apache")
    assert "redir * https://one.example" in "".join(made.writing.files.values())


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_each_is_drawn_by_itself(reads: Reads, target: str) -> None:
    """Two rules that ask a map ask it twice."""
    (reads.folder / "drawn.txt").write_text("a one|two\n")
    rules = "RewriteCond ${m:a} =one\nRewriteRule ^/x$ /first-${m:a} [R=302,L]\nRewriteRule ^/x$ /then [R=302,L]\n"
    made = translate(reads.write("apache", httpd(f"RewriteMap m rnd:{reads.folder}/drawn.txt\nRewriteEngine On\n{rules}")), target, dialect="apache")
    live = asked(made, "/x")
    for side in (0, 1):
        assert {(row.answers[side].field("location") or "").rpartition("/")[2] for row in live.rows if row.request.target == "/x"} == {"first-one", "first-two", "then"}


SHARES = 'split_clients "${request_id}" $kind { 25% one; 50% two; * three; }\nsplit_clients "other$request_id" $more { 50% yes; * no; }'
PLACE = "location / { add_header X-Kind $kind; add_header X-More \"$more\"; return 302 https://$kind.example$uri; }"


def test_shares_by_the_id_go_to_caddy_and_back(reads: Reads) -> None:
    made = translate(reads.write("nginx", nginx(PLACE, SHARES)), "caddy")
    written = "".join(made.writing.files.values())
    assert "map {http.request.uuid} {kind} {" in written and "~^(?:[0-3][0-9a-f]{2}) one" in written and "~^.{3}(?:[0-7][0-9a-f]{2}) yes" in written
    assert [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED] == []
    live = asked(made, "/y")
    assert {row.answers[1].field("x-kind") for row in live.rows if row.request.target == "/y"} == {"one", "two", "three"}
    back = "".join(translate(reads.write("caddy", written.split("import sites/*.caddy")[1]), "nginx", dialect="caddy").writing.files.values())
    assert "25% one;" in back and "50% two;" in back and "* three;" in back and "50% yes;" in back


def test_a_table_of_digits_is_read(reads: Reads) -> None:
    """And one of digits that are not random, or of more than are told apart, is none of what is drawn."""
    for pattern, wanted in (("^[0-7]", "50% a;"), ("^(?:0|1[0-7])", "9.37% a;"), ("^.{14}4", ""), ("^[0-9a-f]{4}", ""), ("[0-7]", "")):
        text = f"map {{http.request.uuid}} {{kind}} {{\n~{pattern} a\ndefault b\n}}\nredir https://{{kind}}.example/ 302"
        made = translate(reads.write("caddy", caddy(text)), "nginx", dialect="caddy")
        written = "".join(made.writing.files.values())
        assert (wanted in written and "* b;" in written) if wanted else "split_clients" not in written
