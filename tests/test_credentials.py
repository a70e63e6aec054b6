"""Basic credentials: who may enter by the model and by each running server, and that no translation opens what was closed."""

from __future__ import annotations

import base64
import itertools
import json
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import compare_estates
from young_lantern.lab.live import check_live
from young_lantern.report.documents import translation_document
from young_lantern.report.page import page
from young_lantern.source.passwords import PASSWORD, PASSWORD_HASH, read_users, without_hashes
from young_lantern.translate import read, save, translate

MAKES = {"nginx": nginx, "caddy": caddy, "apache": httpd}
BASIC = "AuthType Basic\nAuthName Staff\nAuthUserFile USERS"
AUTH = "auth_basic Staff; auth_basic_user_file USERS;"
USERS = f"basicauth bcrypt Staff {{\nrowan {PASSWORD_HASH}\nsorrel {PASSWORD_HASH}\n}}"
# Dialect, lines of a site, target, and the status that nobody, rowan, sorrel and a stranger get.
ROWS = [
    ("nginx", f"root ROOT; {AUTH}", "/a.html", (401, 200, 200, 401)),
    ("nginx", f"root ROOT; {AUTH} location /dir/ {{ auth_basic off; }}", "/dir/", (200, 200, 200, 200)),
    ("nginx", f"root ROOT; location /dir/ {{ {AUTH} }}", "/dir/", (401, 200, 200, 401)),
    ("nginx", f"root ROOT; location /dir/ {{ {AUTH} }}", "/dir", (301, 301, 301, 301)),
    ("nginx", "root ROOT; auth_basic Staff;", "/a.html", (200, 200, 200, 200)),
    ("nginx", f"{AUTH} return 204;", "/", (204, 204, 204, 204)),
    ("nginx", f"root ROOT; {AUTH} satisfy any; allow 127.0.0.0/8; allow 192.0.2.0/24; deny all;", "/a.html", (200, 200, 200, 200)),
    ("nginx", f"root ROOT; {AUTH} satisfy any; allow 203.0.113.0/24; deny all;", "/a.html", (401, 200, 200, 401)),
    ("nginx", f"root ROOT; {AUTH} allow 203.0.113.0/24; deny all;", "/a.html", (403, 403, 403, 403)),
    ("nginx", f"root ROOT; {AUTH} error_page 401 /404.html;", "/a.html", (401, 200, 200, 401)),
    # What limit_except does not say itself is the location's: GET leaves only GET and HEAD alone.
    ("nginx", f"root ROOT; location / {{ {AUTH} limit_except POST {{ allow 127.0.0.0/8; allow 192.0.2.0/24; deny all; }} }}", "/a.html", (401, 200, 200, 401)),
    ("nginx", f"root ROOT; location / {{ {AUTH} satisfy any; allow 203.0.113.0/24; deny all; limit_except POST {{ deny all; }} }}", "/a.html", (401, 200, 200, 401)),
    ("nginx", f"root ROOT; location / {{ limit_except POST {{ {AUTH} }} }}", "/a.html", (401, 200, 200, 401)),
    ("nginx", f"root ROOT; location / {{ {AUTH} limit_except POST {{ auth_basic off; }} }}", "/a.html", (200, 200, 200, 200)),
    ("caddy", f"root * ROOT\n{USERS}\nfile_server", "/a.html", (401, 200, 200, 401)),
    ("caddy", f"{USERS}\nrespond open 200", "/", (401, 200, 200, 401)),
    ("caddy", f"{USERS}\nredir /a /b", "/a", (302, 302, 302, 302)),
    ("caddy", f"root * ROOT\n{USERS.replace('basicauth', 'basicauth /dir/*')}\nfile_server", "/a.html", (200, 200, 200, 200)),
    ("apache", f"<Location />\n{BASIC}\nRequire valid-user\n</Location>", "/a.html", (401, 200, 200, 401)),
    ("apache", f"<Location />\n{BASIC}\nRequire user rowan\n</Location>", "/a.html", (401, 200, 401, 401)),
    ("apache", f"<Location />\n{BASIC}\n</Location>\n<Location /dir>\nRequire valid-user\n</Location>", "/dir/", (401, 200, 200, 401)),
    ("apache", f"<Location />\n{BASIC}\n</Location>\n<Location /dir>\nRequire valid-user\n</Location>", "/a.html", (200, 200, 200, 200)),
    ("apache", f"<Location />\n{BASIC}\nRequire ip 127 192.0.2\nRequire valid-user\n</Location>", "/a.html", (200, 200, 200, 200)),
    ("apache", f"<Location />\n{BASIC}\nRequire ip 203.0.113\nRequire valid-user\n</Location>", "/a.html", (401, 200, 200, 401)),
    ("apache", f"<Location />\n{BASIC}\n<RequireAll>\nRequire ip 127 192.0.2\nRequire valid-user\n</RequireAll>\n</Location>", "/a.html", (401, 200, 200, 401)),
    ("apache", f"<Location />\n{BASIC}\n<RequireAll>\nRequire ip 203.0.113\nRequire valid-user\n</RequireAll>\n</Location>", "/a.html", (403, 403, 403, 403)),
    ("apache", f"<Location />\n{BASIC}\nAuthGroupFile GROUPS\nRequire group menders\n</Location>", "/a.html", (401, 200, 401, 401)),
    ("apache", f"<Location />\n{BASIC}\nAuthGroupFile GROUPS\nRequire group menders\nRequire group lenders\nRequire user stranger\n</Location>", "/a.html", (401, 200, 200, 401)),
    ("apache", f"<Location />\n{BASIC}\nRequire valid-user\nOrder deny,allow\nDeny from all\nSatisfy Any\n</Location>", "/a.html", (401, 200, 200, 401)),
    ("apache", f"<Location />\n{BASIC}\nRequire valid-user\nOrder deny,allow\nDeny from all\n</Location>", "/a.html", (403, 403, 403, 403)),
    ("apache", f"<Location />\n{BASIC}\nRequire valid-user\nOrder deny,allow\nDeny from all\nAllow from 127 192.0.2\nSatisfy Any\n</Location>", "/a.html", (200, 200, 200, 200)),
    ("apache", f"<Location />\n{BASIC}\nRequire valid-user\nSatisfy Any\n</Location>", "/a.html", (200, 200, 200, 200)),
    ("apache", f"<Location />\n{BASIC}\nRequire valid-user\nDeny from all\nSatisfy Any\n</Location>\n<Location /dir/>\nOrder allow,deny\n</Location>", "/dir/", (403, 403, 403, 403)),
    ("apache", f"<Location />\n{BASIC}\nRequire valid-user\n<Limit POST>\nDeny from all\n</Limit>\nSatisfy Any\n</Location>", "/a.html", (200, 200, 200, 200)),
    ("apache", f"<Location />\nOrder deny,allow\nDeny from all\n</Location>\n<Location /dir/>\n{BASIC}\nRequire valid-user\n</Location>", "/dir/", (403, 403, 403, 403)),
    ("apache", "<Location />\nRequire all denied\n</Location>\n<Location /dir/>\nOrder allow,deny\nAllow from all\n</Location>", "/dir/", (403, 403, 403, 403)),
    ("apache", f"SetEnvIf Authorization . known\n<Location />\n{BASIC}\nRequire valid-user\nOrder allow,deny\nAllow from all\nDeny from env=!known\n</Location>", "/a.html", (403, 200, 200, 401)),
    ("apache", f"Redirect /old /new\n<Location />\n{BASIC}\nRequire valid-user\n</Location>", "/old", (302, 302, 302, 302)),
]  # fmt: skip


def _who(name: str) -> dict[str, str]:
    coded = base64.b64encode(f"{name}:{PASSWORD}".encode()).decode()
    return {"Authorization": f"Basic {coded}"} if name else {}


def _written(reads: Reads, text: str) -> str:
    """The text with the file of users, which is there."""
    (reads.folder / "users").write_text(f"# who lends\nrowan:{PASSWORD_HASH}\nsorrel:{PASSWORD_HASH}\n")
    (reads.folder / "groups").write_text("menders: rowan\n# the others\nlenders: sorrel nobody\n")
    return text.replace("USERS", str(reads.folder / "users")).replace("GROUPS", str(reads.folder / "groups"))


@pytest.mark.parametrize(("dialect", "lines", "target", "statuses"), ROWS)
def test_who_may_enter(
    reads: Reads, dialect: str, lines: str, target: str, statuses: tuple[int, int, int, int]
) -> None:
    text = _written(reads, MAKES[dialect](lines))
    asked = [_who(name) for name in ("", "rowan", "sorrel", "stranger")]
    assert tuple(reads.decide(dialect, text, target, fields=fields).status for fields in asked) == statuses
    rows = [("GET", "www.fernhollow.example", target, fields) for fields in asked]
    compared, wrong = disagreements(dialect, text.replace("ROOT", str(reads.root)), rows, reads.folder / "asked")
    assert (compared, wrong) == (4, [])


FRONTS = {
    "nginx": f"root ROOT; location /dir/ {{ {AUTH} }} location /both/ {{ satisfy any; allow 203.0.113.0/24; deny all; {AUTH} proxy_pass http://192.0.2.1:81; }}",
    "caddy": f"root * ROOT\n@closed path /dir/* /both/*\n{USERS.replace('basicauth', 'basicauth @closed')}\nreverse_proxy /both/* 192.0.2.1:81\nfile_server",
    "apache": f"ProxyPass /both/ http://192.0.2.1:81/both/\n<Location />\n{BASIC}\n</Location>\n<Location /dir/>\nRequire valid-user\n</Location>\n<Location /both/>\nRequire user rowan\n</Location>",
}


@pytest.mark.parametrize(("source", "target"), list(itertools.product(FRONTS, FRONTS)))
def test_nothing_is_opened(reads: Reads, tmp_path: Path, source: str, target: str) -> None:
    """All lines are carried, the servers agree, and nobody enters who could not."""
    text = _written(reads, MAKES[source](FRONTS[source]))
    translation = translate(reads.write(source, text).parent, target)
    assert not [str(entry.span) for entry in translation.ledger if entry.disposition.value == "unsupported"]
    opened = [
        str(c.example) for c in translation.comparison.causes if c.before.status == 401 and (c.after.status or 0) < 400
    ]
    assert opened == []
    save(translation.writing.files, tmp_path / "out")
    live = check_live(translation.reading, read(tmp_path / "out", target), most=200)
    assert not live.surprises
    refused = [row for row in live.rows if row.answers[0].status == 401]
    entered = [row for row in live.rows if row.request.field("Authorization") and row.answers[0].status == 200]
    assert refused and entered
    assert [str(row.request) for row in refused if row.answers[1].status < 400] == []


@pytest.mark.parametrize("target", ["nginx", "apache"])
def test_two_sets_of_users_stay_apart(reads: Reads, target: str) -> None:
    """Both have the realm that Caddy gives by itself; one has its hash in base64."""
    coded = base64.b64encode(PASSWORD_HASH.encode()).decode()
    lines = f"basicauth /a/* {{\nrowan {coded}\n}}\nbasicauth /b/* {{\nsorrel {PASSWORD_HASH}\n}}\nreverse_proxy 192.0.2.1:81"
    translation = translate(reads.write("caddy", MAKES["caddy"](lines)).parent, target)
    users = {name: text for name, text in translation.writing.files.items() if name.startswith("users/")}
    assert set(users.values()) == {f"rowan:{PASSWORD_HASH}\n", f"sorrel:{PASSWORD_HASH}\n"}
    for name in users:
        assert f"{name};" in "".join(translation.writing.files.values()) or f'"{name}"' in "".join(
            translation.writing.files.values()
        )
    assert not [
        cause.example for cause in translation.comparison.causes if 401 in (cause.before.status, cause.after.status)
    ]


# Who comes from elsewhere is asked before the place asks him again: nobody is in both lists.
TWICE = f"""root * ROOT
handle_path /dir/* {{
basicauth {{
rowan {PASSWORD_HASH}
}}
reverse_proxy 192.0.2.70:3000
}}
@out not remote_ip 203.0.113.0/24
basicauth @out {{
sorrel {PASSWORD_HASH}
}}
handle {{
file_server
}}"""


@pytest.mark.parametrize("target", list(FRONTS))
def test_lists_that_hold_one_after_the_other(reads: Reads, target: str) -> None:
    """Only those enter whom both let in, and sections that overlap let nobody in by the wrong one."""
    main = reads.write("caddy", MAKES["caddy"](TWICE))
    for name, status in (("", 401), ("rowan", 401), ("sorrel", 401)):
        assert reads.decide("caddy", MAKES["caddy"](TWICE), "/dir/x", fields=_who(name)).status == status
    translation = translate(main.parent, target)
    opened = [
        str(cause.example)
        for cause in translation.comparison.causes
        if cause.before.status == 401 and (cause.after.status or 0) < 400
    ]
    assert opened == []
    assert ("Require all denied\n    </Location" in "".join(translation.writing.files.values())) == (target == "apache")


@pytest.mark.parametrize("lines", ["respond secret 200", "redir * /away?{query}", "@q query q=1\nrespond @q secret 200\nrespond other 203", "header X-Shelf 7\nrespond /dir/* secret\nfile_server", "handle_path /dir/* {\nrespond \"secret {path}\"\n}\nrespond other"])
@pytest.mark.parametrize("target", list(FRONTS))
def test_answers_of_its_own_come_behind_credentials(reads: Reads, target: str, lines: str) -> None:
    """What a rule answers comes before credentials in nginx and httpd: nginx has another way to it, and httpd gives nothing away."""
    text = _written(reads, MAKES["caddy"](f"route {{\n{USERS}\n{lines}\n}}"))
    made = translate(reads.write("caddy", text).parent, target)
    written = "\n".join(made.writing.files.values())
    assert ("secret" in written or "/away" in written) == (target != "apache")
    live = check_live(made.reading, made.read_back, most=300)
    assert [(str(row.request), row.request.fields, row.defects, row.between) for row in live.surprises] == []
    statuses = {tuple(answer.status for answer in row.answers) for row in live.rows}
    assert any(before == 401 for before, _ in statuses) and not any(before == 401 and after and after < 300 for before, after in statuses)
    assert target == "apache" or (401, 401) in statuses and statuses & {(200, 200), (302, 302)}


@pytest.mark.parametrize(
    ("dialect", "lines"),
    [
        ("nginx", "root ROOT; auth_basic Staff; auth_basic_user_file /srv/none/users;"),
        ("apache", "<Location />\nAuthType Basic\nAuthName Staff\nAuthUserFile /srv/none/users\nRequire valid-user\n</Location>"),
        ("nginx", "root ROOT; auth_basic Staff; auth_basic_user_file ROOT/weak;"),
    ],
)  # fmt: skip
def test_caddy_stays_closed_without_hashes_it_reads(reads: Reads, dialect: str, lines: str) -> None:
    (reads.root / "weak").write_text("rowan:$apr1$x$y\n")
    translation = translate(reads.write(dialect, MAKES[dialect](lines)).parent, "caddy")
    written = "".join(translation.writing.files.values())
    assert "file_server" not in written and " 501" in written and "$apr1" not in written
    assert "caddy hash-password" in "".join(
        entry.finding.why + entry.finding.advice for entry in translation.ledger if entry.finding
    )


def test_an_empty_file_lets_nobody_in(reads: Reads) -> None:
    (reads.folder / "nobody").write_text("# none yet\n")
    for dialect, lines in (
        ("nginx", f"root ROOT; auth_basic Staff; auth_basic_user_file {reads.folder}/nobody;"),
        (
            "apache",
            f"<Location />\nAuthType Basic\nAuthName Staff\nAuthUserFile {reads.folder}/nobody\nRequire valid-user\n</Location>",
        ),
    ):
        text = MAKES[dialect](lines)
        asked = [_who(name) for name in ("", "lantern", "rowan")]
        assert [reads.decide(dialect, text, "/a.html", fields=fields).status for fields in asked] == [401, 401, 401]
        rows = [("GET", "www.fernhollow.example", "/a.html", fields) for fields in asked]
        assert disagreements(dialect, text.replace("ROOT", str(reads.root)), rows, reads.folder / dialect) == (3, [])


def test_files_of_users(tmp_path: Path) -> None:
    path = tmp_path / "users"
    path.write_bytes(b"# all\n\nrowan:$2y$x:more\n:none\nbare\nsorrel:{SHA}y\n")
    assert read_users(path) == (("rowan", "$2y$x"), ("sorrel", "{SHA}y"))
    assert read_users(tmp_path) == read_users(None) == ()


@pytest.mark.parametrize(("source", "target"), [("caddy", "nginx"), ("caddy", "caddy"), ("nginx", "caddy")])
def test_reports_show_no_hashes(reads: Reads, source: str, target: str) -> None:
    translation = translate(reads.write(source, _written(reads, MAKES[source](FRONTS[source]))).parent, target)
    shown = page(translation)
    assert "$2b$" not in shown and PASSWORD_HASH[10:] not in shown
    assert "(hash)" in shown and "rowan" in shown
    assert "$2b$" not in json.dumps(translation_document(translation))


@pytest.mark.parametrize(
    "hashed",
    [
        PASSWORD_HASH,
        "$apr1$abcdefgh$0123456789abcdefghijkl",
        "$6$rounds=5000$salt$0123456789abcdef",
        "{SHA}W6ph5Mm5Pz8GgiULbPgzG37mj9g=",
        base64.b64encode(PASSWORD_HASH.encode()).decode(),
    ],
)
def test_what_readers_see_of_a_hash(hashed: str) -> None:
    assert without_hashes(f"rowan {hashed}\n") == "rowan (hash)\n"
    assert without_hashes("rewrite ^/(.*)$ /x$1; # $2 and $host") == "rewrite ^/(.*)$ /x$1; # $2 and $host"


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_what_a_pattern_proxies_below_a_guarded_place_stays_guarded(reads: Reads, target: str, tmp_path: Path) -> None:
    """A pattern and a prefix overlap, though nobody sees it by their first letters."""
    lines = f'ProxyPassMatch "^/.*\\.php$" "http://192.0.2.3:80"\n<Location /accounts/>\n{BASIC}\nRequire valid-user\n</Location>'
    made = translate(reads.write("apache", _written(reads, httpd(lines))), target, dialect="apache")
    opened = [
        cause.summary for cause in made.comparison.causes for item in cause.differences
        if item.what == "status" and item.before == "401" and item.after[:1] in "23"
    ]
    assert opened == []
    save(made.writing.files, tmp_path / "new")
    live = check_live(made.reading, read(tmp_path / "new"), most=120)
    assert [str(row.request) + str(row.defects) for row in live.surprises] == []


def test_methods_where_either_is_enough(reads: Reads) -> None:
    """httpd: with Satisfy Any a method that AllowMethods refuses gets in where Require lets it; without it, it does not."""
    text = "Listen 80\nServerName www.fernhollow.example\nDocumentRoot ROOT\n<Directory ROOT>\nAllowMethods GET HEAD\nDeny from all\n%sRequire method GET POST\n</Directory>\n"
    statuses = {either: [reads.decide("apache", text % either, "/a.html", method, site="http://www.fernhollow.example").status for method in ("GET", "POST", "DELETE")]
                for either in ("Satisfy Any\n", "")}
    assert statuses == {"Satisfy Any\n": [200, 200, 403], "": [403, 405, 405]}
    for either in statuses:
        reading = reads.read("apache", text % either)
        assert not check_live(reading, reading, most=120).surprises


SCRIPTS = """<Directory ROOT>
FallbackResource /index.php
</Directory>
<FilesMatch "\\.php$">
SetHandler "proxy:fcgi://192.0.2.5:9000"
</FilesMatch>
<Location /staff/>
AuthType Basic
AuthName Staff
AuthUserFile USERS
Require valid-user
</Location>
"""


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_a_fallback_opens_nothing(reads: Reads, tmp_path: Path, target: str) -> None:
    """What is not there below a closed path leads to a program, of which nobody may ask who may not enter."""
    (reads.root / "index.php").write_text("<?php\n")
    translation = translate(reads.write("apache", _written(reads, httpd(SCRIPTS))).parent, target)
    save(translation.writing.files, tmp_path / "out")
    after = read(tmp_path / "out", target)
    for path in ("/staff/x", "/staff/", "/staff/index.php"):
        request = request_for(f"http://www.fernhollow.example{path}")
        assert [decide(reading.estate, request, real_files()).status for reading in (translation.reading, after)] == [401, 401]
    live = check_live(translation.reading, after, most=200)
    assert [f"{row.request} {row.between} {row.defects}" for row in live.surprises] == []


def test_who_may_enter_is_written_once(reads: Reads) -> None:
    """Where all that lies below a path is behind the same credentials, they stand before it and not in each of its branches."""
    translation = translate(reads.write("apache", _written(reads, httpd(SCRIPTS))).parent, "caddy")
    assert "".join(translation.writing.files.values()).count("basicauth") == 1


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_origins_are_told_who_was_let_in(reads: Reads, tmp_path: Path, target: str) -> None:
    """The usual rule for it: a lookahead, a variable, a field. Paths that httpd asks for once more, and would refuse then, have nobody."""
    (tmp_path / "users").write_text(f"rowan:{PASSWORD_HASH}\n")
    host = (
        f"ProxyPass / http://192.0.2.1:81/\n<Location />\n{BASIC}\nRequire valid-user\nRewriteEngine On\nRewriteCond %{{LA-U:REMOTE_USER}} (.+)\nRewriteRule . - [E=RU:%1]\n"
        'RequestHeader set X-Remote-User "%{RU}e"\n</Location>'
    ).replace("USERS", str(tmp_path / "users"))
    made = translate(reads.write("apache", httpd(host)), target, dialect="apache")
    assert "RU " not in made.writing.files["sites/www.fernhollow.example." + ("conf" if target == "nginx" else "caddy")]
    rowan = {"Authorization": "Basic " + base64.b64encode(f"rowan:{PASSWORD}".encode()).decode()}
    asked = [request_for(f"http://www.fernhollow.example{path}", fields=rowan) for path in ("/a", "/%252f", "/%2500", "/%25zz", "/%2541")]
    told = [dict(decide(estate, request, real_files()).origin.fields).get("x-remote-user") for estate in (made.reading.estate, made.read_back.estate) for request in asked]
    assert told == ["rowan", "(null)", "(null)", "(null)", "rowan", *["rowan"] * 5]
    live = check_live(made.reading, made.read_back, requests=asked, most=200)
    assert not live.surprises
    assert any(answer.status == 200 for row in live.rows for answer in row.answers)


@pytest.mark.parametrize(("dialect", "lines", "challenges"), [
    ("nginx", 'root ROOT; auth_basic "The \\"desk\\""; auth_basic_user_file USERS; error_page 401 /404.html; location = /404.html { auth_basic off; }', ['Basic realm="The "desk""']),
    ("nginx", f"root ROOT; {AUTH} add_header WWW-Authenticate Bearer always;", ['Basic realm="Staff"', "Bearer"]),
    ("nginx", f"root ROOT; {AUTH} error_page 401 =302 http://www.fernhollow.example/login;", ['Basic realm="Staff"']),
    ("apache", '<Location />\nAuthType Basic\nAuthName "The \\"desk\\""\nAuthUserFile USERS\nRequire valid-user\nHeader always set WWW-Authenticate Bearer\n</Location>', ["Bearer", 'Basic realm="The \\"desk\\""']),
    ("caddy", f"root * ROOT\nbasicauth {{\nrowan {PASSWORD_HASH}\n}}\nheader -WWW-Authenticate\nfile_server", ['Basic realm="restricted"']),
])
def test_the_challenge_goes_with_the_answer(reads: Reads, tmp_path: Path, dialect: str, lines: str, challenges: list[str]) -> None:
    """Whatever page the error leads to; what lines say of the field acts on it as each server has it."""
    (tmp_path / "users").write_text(f"rowan:{PASSWORD_HASH}\n")
    text = MAKES[dialect](lines).replace("USERS", str(tmp_path / "users"))
    outcome = decide(reads.read(dialect, text).estate, request_for("http://www.fernhollow.example/a.html"), real_files())
    assert [value for name, value in outcome.fields if name == "www-authenticate"] == challenges
    assert disagreements(dialect, text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", "/a.html", {})], tmp_path / "asked") == (1, [])


def test_another_realm_is_told(reads: Reads, tmp_path: Path) -> None:
    (tmp_path / "users").write_text(f"rowan:{PASSWORD_HASH}\n")
    before = reads.read("nginx", nginx(f"root ROOT; auth_basic Staff; auth_basic_user_file {tmp_path}/users;")).estate
    after = reads.read("caddy", caddy(f"root * ROOT\nbasicauth {{\nrowan {PASSWORD_HASH}\n}}\nfile_server")).estate
    assert any("www-authenticate" in str(difference) for cause in compare_estates(before, after, ()).causes for difference in cause.differences)


@pytest.mark.parametrize("later", ["Order allow,deny\nRequire ip 127.0.0.0/8", "Order deny,allow", "Require ip 127.0.0.0/8", "Deny from all\nSatisfy Any", ""])
def test_a_later_section_says_whether_one_of_both_is_enough(reads: Reads, tmp_path: Path, later: str) -> None:
    """mod_access_compat has nothing that merges: where a section has lines of it, those before count for nothing; methods are refused before all."""
    any_of = "Order allow,deny\nAllow from 198.51.100.0/24\nSatisfy Any\nRequire ip 127.0.0.1\nAllowMethods HEAD"
    lines = f"<Directory ROOT>\n{any_of}\n</Directory>\n<Files *>\n{later}\n</Files>"
    rows = [(method, "www.fernhollow.example", path, {}) for method in ("GET", "HEAD", "POST") for path in ("/a.html", "/nix")]
    assert disagreements("apache", httpd(lines).replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (6, [])


@pytest.mark.parametrize("lines", [
    f"<Location /dir>\n{BASIC}\nRequire user rowan\n</Location>",
    f"ErrorDocument 401 /404.html\n<Location /dir>\n{BASIC}\nRequire valid-user\n</Location>",
    f"ErrorDocument 404 /404.html\n<Location /dir>\n{BASIC}\nRequire valid-user\n</Location>",
    f"DirectoryIndex none.html index.html\n<Files index.html>\n{BASIC}\nRequire valid-user\n</Files>",
    f"FallbackResource /a.html\n<Files a.html>\n{BASIC}\nRequire valid-user\n</Files>",
])
def test_whoever_names_himself_is_named(reads: Reads, tmp_path: Path, lines: str) -> None:
    """httpd knows the name of one that it refuses, too, and forgets it on the way to a page for errors; what it looks up inside asks for credentials or not."""
    path = reads.folder / "users"
    path.write_text(f"rowan:{PASSWORD_HASH}\nsorrel:{PASSWORD_HASH}\n")
    text = httpd(f'Header always set X-Who "%{{REMOTE_USER}}s"\n{lines}').replace("USERS", str(path)).replace("ROOT", str(reads.root))
    says = [{}, *({"Authorization": "Basic " + base64.b64encode(f"{name}:{PASSWORD}".encode()).decode()} for name in ("rowan", "sorrel", "nobody"))]
    rows = [("GET", "www.fernhollow.example", target, fields) for target in ("/dir/", "/dir/none", "/a.html", "/none", "/bare/") for fields in says]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])


def test_lines_of_the_folder_are_for_a_place_in_it(reads: Reads, tmp_path: Path) -> None:
    """How users are known is said for the document root, who may enter for a path: sections are merged, whichever kind they are of."""
    path = reads.folder / "users"
    path.write_text(f"rowan:{PASSWORD_HASH}\n")
    text = httpd(f"<Directory ROOT>\n{BASIC}\n</Directory>\n<Location /dir>\nRequire valid-user\n</Location>").replace("USERS", str(path)).replace("ROOT", str(reads.root))
    assert [reads.decide("apache", text, "/dir/", fields=fields).status for fields in ({}, {"Authorization": "Basic " + base64.b64encode(f"rowan:{PASSWORD}".encode()).decode()})] == [401, 200]
    rows = [("GET", "www.fernhollow.example", target, {}) for target in ("/dir/", "/dir/none", "/a.html")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (3, [])


@pytest.mark.parametrize("more", ["", "<Directory ROOT>\nRequire all granted\n</Directory>", "<Location /dir/x>\nAuthType None\n</Location>", "ProxyPass /dir http://192.0.2.7:81"])
def test_a_kind_of_credentials_that_nobody_is_asked_for(reads: Reads, tmp_path: Path, more: str) -> None:
    """httpd fails where it is said how users are known, and nowhere who of them may enter."""
    text = f"Listen 80\n<VirtualHost *:80>\nServerName www.fernhollow.example\nDocumentRoot ROOT\n<Location /dir>\n{BASIC}\n</Location>\n{more}\n</VirtualHost>\n"
    text = text.replace("USERS", str(reads.folder / "users")).replace("ROOT", str(reads.root))
    rows = [(method, "www.fernhollow.example", target, {}) for method in ("GET", "PUT") for target in ("/dir/", "/dir/x", "/dir", "/a.html")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (8, [])
    assert reads.decide("apache", text, "/dir/").status == (200 if "granted" in more else 500)
