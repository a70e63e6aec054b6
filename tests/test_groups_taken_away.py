"""nginx: tables that ask patterns take the groups of other patterns away, in whatever order a text has them; what is written gives them names, or looks tables up before."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

PLACES = r"""location /a/ { rewrite ^/a/(\w+)/(.*)$ https://x/$m/$2 redirect; }
location /b/ { rewrite ^/b/(\w+)/(.*)$ https://x/$2/$m redirect; }
location /c/ { rewrite ^/c/(\w+)/(.*)$ https://x/$2/$m/$2/$1 redirect; }
location ~ ^/d/(\w+)/(.*)$ { return 302 https://x/$2/$m/$2/$1; }
location ~ ^/e/(\w+)/(.*)$ { return 302 https://x/$2/$t/$2/$1; }
location ~ ^/f/(\w+)/(.*)$ { return 302 https://x/$m/$2/$1; }
location ~ ^/g/(\w+)/(?<rest>.*)$ { return 302 https://x/$rest/$m/$rest/$2; }
location ~ ^/h/(\w+)/(.*)$ { add_header X-A "$2/$m/$2"; return 302 https://x/$2; }
location ~ ^/i/(\w+)/(.*)$ { add_header X-A "$2/$m/$2"; return 302 https://x/$m/$2; }
location /j/ { rewrite ^/j/(\w+)/(.*)$ /jj/$2/$m; return 302 https://x$uri/$1; }
location ~ ^/l/(\w+)/(.*)$ { if ($m = one) { return 302 https://x/$2; } return 302 https://x/not/$2; }
location ~ ^/n/(\w+)/(.*)$ { set $now $m; return 302 https://x/$2/$now; }
"""


def test_the_model_foretells_nginx(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    tables = "map $1 $m { default none; ~^static$ one; ~^(u)rl$ two$1; }\nmap $1 $t { default none; static one; url two; }"
    text = f"events {{}}\nhttp {{\n{tables}\nserver {{ listen 80; server_name www.fernhollow.example;\n{PLACES}}}\n}}\n"
    rows = [("GET", "www.fernhollow.example", f"/{place}/{key}/rest", {}) for place in "abcdefghijln" for key in ("static", "url", "none")]
    assert disagreements("nginx", text, rows, tmp_path) == (len(rows), [])


@pytest.mark.parametrize("rule", [
    r"RewriteRule ^/k/(\w+)/(.*)$ https://www.fernhollow.example/${m:$1|none}/$2 [R=302,L]",
    r"RewriteRule ^/k/(\w+)/(.*)$ https://www.fernhollow.example/$2/${m:$1|none}/$1 [R=302,L]",
    r"RewriteRule ^/k/(\w+)/(\w*)$ https://www.fernhollow.example/$2/${m:$1|none} [R=307,L]",
    r"RewriteRule ^/k/(\w+)/(.*)$ /new/${m:$1|none}/$2",
])
def test_rules_keep_what_their_pattern_found(reads: Reads, rule: str) -> None:
    """Keys are told apart by case, so that the rows of nginx's table are patterns."""
    (reads.folder / "map.txt").write_text("static one\nKinds three\n")
    made = translate(reads.write("apache", httpd(f"RewriteMap m txt:{reads.folder}/map.txt\nRewriteEngine On\n{rule}\n")), "nginx", dialect="apache")
    paths = ("/k/static/x", "/k/Kinds/x", "/k/kinds/x", "/k/Kinds/")
    for path in paths:
        one, other = (decide(estate, request_for(SITE + path), real_files()) for estate in (made.reading.estate, made.read_back.estate))
        assert one.gave_up == other.gave_up == "" and (one.status, one.location, one.file) == (other.status, other.location, other.file)
    live = check_live(made.reading, made.read_back, requests=[request_for(SITE + path) for path in paths], most=100)
    assert [(str(row.request), row.between, row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]


def test_a_lost_group_is_met(reads: Reads) -> None:
    """The comparison asks for a path in which no group is empty, of each key."""
    (reads.folder / "map.txt").write_text("static one\nKinds three\n")
    source = reads.read("apache", httpd(f"RewriteMap m txt:{reads.folder}/map.txt\nRewriteEngine On\nRewriteRule ^/k/(\\w+)/(\\w*)$ https://www.fernhollow.example/${{m:$1|none}}/$2 [R=302,L]\n"))
    other = reads.read("nginx", "events {}\nhttp { map $1 $m { default none; ~^static$ one; ~^Kinds$ three; }\nserver { listen 80; server_name www.fernhollow.example;\nlocation /k/ { rewrite ^/k/(\\w+)/(\\w*)$ https://www.fernhollow.example/$m/$2 redirect; return 404; } } }")
    told = [difference for cause in compare_estates(source.estate, other.estate).causes for difference in cause.differences if difference.what == "location"]
    assert any(difference.before.endswith("/one/x") and difference.after.endswith("/one/") or difference.before.endswith("/three/x") and difference.after.endswith("/three/") for difference in told)
