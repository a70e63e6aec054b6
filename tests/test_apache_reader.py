"""What httpd's reader makes of single configurations; the weight lies in the case folders and in test_conformance.py."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from young_lantern.behaviour import Request, decide, real_files, request_for
from young_lantern.demo import FILES_AT, unpack
from young_lantern.dialects import named
from young_lantern.errors import SourceUnreadable
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

SITE = "http://www.fernhollow.example"


def httpd(host: str, main: str = "") -> str:
    """A whole httpd.conf around the directives of one virtual host; everything below the root is open."""
    return (
        f"Listen 80\nServerName 127.0.0.1\n{main}\n<Directory ROOT>\nRequire all granted\n</Directory>\n"
        f"<VirtualHost *:80>\nServerName www.fernhollow.example\nDocumentRoot ROOT\n{host}\n</VirtualHost>\n"
    )


FALLBACK = "<Directory ROOT>\nRewriteEngine On\nRewriteCond %{REQUEST_FILENAME} !-f\nRewriteCond %{REQUEST_FILENAME} !-d\nRewriteRule . /index.html [L]\n</Directory>"

PROXIED = "ProxyPass / http://192.0.2.1:81/\n<Location /a>\nRewriteEngine On"


@pytest.mark.parametrize(
    ("host", "target", "status", "more"),
    [
        ("Redirect permanent /old /new", "/old/x?q=1", 301, SITE + "/new/x?q=1"),
        ("Redirect /old http://a.example/n?k=v", "/old?q=1", 302, "http://a.example/n?k=v"),
        ("Redirect gone /old", "/older", 404, None),
        ("Redirect gone /old", "/old/", 410, None),
        ("RedirectMatch 308 ^/(a|b)/(.*)$ /$2/$1", "/b/c%20d", 308, SITE + "/c%20d/b"),
        ("RewriteEngine On\nRewriteRule ^/t/(.*) /u/$1 [R=303,QSA,L]", "/t/x?q=1", 303, SITE + "/u/x?q=1"),
        ("RewriteEngine On\nRewriteRule ^/t /u?a=b [R,QSD]", "/t?q=1", 302, SITE + "/u?a=b"),
        ("RewriteEngine On\nRewriteCond %{HTTPS} on\nRewriteRule ^ - [F]", "/", 200, None),
        ("RewriteEngine On\nRewriteRule ^(/s.*) /$1\nRewriteRule ^//s - [G]\nRewriteRule ^/s - [F]", "/s", 403, None),
        ("RewriteEngine On\nRewriteRule ^/u(.*) //s$1\nRewriteRule ^//s - [G]\nRewriteRule ^/s - [F]", "/u", 410, None),
        ("RewriteEngine On\nRewriteRule ^(/r.*) /$1 [R,L]", "/r", 302, SITE + "//r"),
        ("RewriteEngine On\nRewriteCond %{REQUEST_METHOD} ^GET$\nRewriteRule ^/a - [G]", "/a.html", 410, None),
        ("RewriteRule ^ - [F]", "/", 200, None),
        ("RewriteEngine On\nRewriteRule ^/a.html - [END]\nRewriteRule ^ - [F]", "/a.html", 200, None),
        (FALLBACK, "/no/such", 200, None),
        (FALLBACK, "/dir", 301, "http://www.fernhollow.example/dir/"),
        ("<Location /a.html>\nRequire all denied\n</Location>", "/a.html", 403, None),
        ("<Location /d*>\nRequire all denied\n</Location>", "/dir", 403, None),
        ("<Location /d*>\nRequire all denied\n</Location>", "/dir/", 200, None),
        ("<Location /*/index.html>\nRequire all denied\n</Location>", "/dir/index.html", 403, None),
        ("<Location /a.html>\nRequire ip 192.0.2\n</Location>", "/a.html", 200, None),
        ("<Files *.html>\nRequire all denied\n</Files>", "/dir/", 403, None),
        (
            "<Location />\nRequire all denied\n</Location>\n<Location /dir>\nRequire all granted\n</Location>",
            "/dir/",
            200,
            None,
        ),
        ("<Directory ROOT>\nOrder allow,deny\nAllow from all\nDeny from 192.0.2.10\n</Directory>", "/", 403, None),
        ("Options Indexes", "/bare/", 200, None),
        ("ProxyPass /a http://192.0.2.1:81/a\n<Proxy *>\nRequire all denied\n</Proxy>", "/a", 403, None),
        ("DirectoryIndex disabled", "/", 403, None),
        ("", "/a%2Fb", 404, None),
        ("", "/a.html/x", 404, None),
        ("FallbackResource /index.html", "/no/such", 200, None),
        (f"{PROXIED}\nRewriteCond %{{REQUEST_URI}} \\.php$\nRewriteRule . - [G]\n</Location>", "/a/x.php", 410, None),
        (f"{PROXIED}\nRewriteRule ^ https://loans.example%{{REQUEST_URI}} [R=301,L]\n</Location>", "/a/x", 301, "https://loans.example/a/x"),
        (f"{PROXIED}\nRewriteRule ^ - [F]\n</Location>\n<Location /a/b>\nRewriteRule ^ - [G]\n</Location>", "/a/b", 410, None),
    ],
)
def test_answers(reads: Reads, host: str, target: str, status: int, more: str | None) -> None:
    outcome = reads.decide("apache", httpd(host), target)
    assert (outcome.status, outcome.location) == (status, more), outcome.trace


@pytest.mark.parametrize(
    ("line", "code"),
    [
        ("Redirekt / /x", "directive-unknown"),
        ("Redirect /x", "value-unread"),
        ("RewriteEngine On\nRewriteCond %{TIME_HOUR} >10\nRewriteRule ^ - [F]", "variable-unread"),
        ("RewriteEngine On\nRewriteRule ^/(a - [F]", "pattern-unread"),
        ("ProxyPass /a/ http://192.0.2.1:81", "value-unread"),
        ("Header set X-A %{X}x", "variable-unread"),
        ("Header set X-A 1 \"expr=file('/x') == ''\"", "value-unread"),
        ("SetEnvIf Remote_Host x seen=1", "value-unread"),
        ("Header set X-A 1 env=UNIQUE_ID", "value-unread"),
        ("<If \"%{TIME_HOUR} == '3'\">\nHeader set X-A 1\n</If>", "value-unread"),
        ("ExpiresActive On\nExpiresDefault M60", "value-unread"),
        ("LimitRequestBody lots", "value-unread"),
    ],
)
def test_what_is_not_read_is_said(reads: Reads, line: str, code: str) -> None:
    reading = reads.read("apache", httpd(line))
    assert code in {item.code.name for item in reading.findings}
    assert all(claim.disposition is not None or claim.claimed for claim in reading.claims)


@pytest.mark.parametrize(
    "host",
    [
        "<Location />\nAuthType Basic\nRequire valid-user\n</Location>",
        "<FilesMatch html>\nSetHandler proxy:scgi://192.0.2.1:9000\n</FilesMatch>",
        "RewriteEngine On\nRewriteRule ^/a - [H=x]",
        "ScriptAlias / /usr/lib/cgi-bin/",
        "SSLVerifyClient require",
        *(f"<If \"%{{TIME_HOUR}} == '3'\">\n{lines}\n</If>" for lines in (
            "Require all denied", "<RequireAll>\nRequire all denied\n</RequireAll>", "<Limit GET>\nRequire all denied\n</Limit>", "SSLRequireSSL", "AllowMethods POST",
            "RewriteEngine On\nRewriteRule ^ - [F]", "Redirect 410 /", "<If \"%{HTTP:X-A} == ''\">\nRequire all denied\n</If>")),
        "ProxyPass / http://192.0.2.1:81/\n<Location />\nSetHandler server-info\n</Location>",
        "RewriteEngine On\nRewriteRule ^/(a.*) /${moved:$1}",
        "ProxyPass / http://192.0.2.1:81/\n<Location />\nRewriteEngine On\nRewriteRule secret - [F]\n</Location>",
    ],
)
def test_a_protection_or_handler_that_is_not_read_is_not_open(reads: Reads, host: str) -> None:
    """Nobody knows here what the answer is: none is foretold, and the new configuration gives none."""
    text = httpd(host)
    assert reads.decide("apache", text, "/a.html").gave_up
    files = translate(reads.write("apache", text).parent, "caddy").writing.files
    assert "error 501" in "".join(files.values())


def test_what_stands_in_a_section_that_is_not_read_is_not_carried(reads: Reads) -> None:
    made = translate(reads.write("apache", httpd("<If \"%{TIME_HOUR} == '3'\">\nHeader set X-A 1\n<Limit GET>\nRequire all denied\n</Limit>\n</If>")).parent, "nginx")
    told = {entry.span.directive: entry.disposition.value for entry in made.ledger}
    assert [told[line] for line in ("Header set X-A 1", "<Limit GET>", "Require all denied")] == ["unsupported"] * 3


def test_unset_in_the_table_apart_leaves_an_origins_field(reads: Reads) -> None:
    """`always unset` does not touch what an origin sent, so that the new configuration must not either; the other table does."""
    host = "ProxyPass / http://192.0.2.1:81/\nHeader %s X-Powered-By"
    written = [
        "".join(translate(reads.write("apache", httpd(host % word)).parent, "caddy").writing.files.values())
        for word in ("always unset", "unset")
    ]
    assert ["-X-Powered-By" in text for text in written] == [False, True]


def test_lines_in_force(tmp_path: Path) -> None:
    """Modules, definitions, versions, macros and includes say which lines count; ServerRoot may lie elsewhere in a copy."""
    (tmp_path / "conf").mkdir()
    (tmp_path / "conf.d").mkdir()
    (tmp_path / "conf" / "httpd.conf").write_text(
        'ServerRoot "/etc/httpd"\nLoadModule alias_module modules/mod_alias.so\nLoadModule macro_module modules/mod_macro.so\n'
        "Define PORT 8081\nListen ${PORT}\nListen ${OTHER}\nIncludeOptional conf.d/*.conf\nInclude /etc/httpd/conf.d/a.conf\n"
        "<IfModule !mod_headers.c>\nRedirect /no-headers /x\n</IfModule>\n<IfModule rewrite_module>\nRewriteEngine On\n</IfModule>\n"
        "<IfDefine PORT>\nRedirect /defined /x\n</IfDefine>\n<IfVersion < 2.4>\nRedirect /old-version /x\n</IfVersion>\n"
        "<Macro Moved $from $to>\nRedirect $from $to\n</Macro>\nUse Moved /m1 /n1\nUse Moved /m2 /n2\nHeader set X-A 1\n"
    )
    (tmp_path / "conf.d" / "a.conf").write_text("Redirect /included /x\n")
    reading = named("apache").read(tmp_path / "conf" / "httpd.conf")
    assert [str(listener.port) for listener in reading.estate.listeners] == ["8081", "${OTHER}"]
    text = str(reading.estate.sites[0].program)
    for path in ("/no-headers", "/defined", "/included", "/m1", "/m2"):
        assert path in text
    assert "/old-version" not in text
    assert [item.span.directive for item in reading.findings if item.code.name == "module-missing" and item.span] == [
        "Header set X-A 1"
    ]
    named_files = set(reading.texts)
    assert named_files == {"conf/httpd.conf", "conf.d/a.conf"}


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("<Directory /x>\n", "httpd.conf:1: unexpected end of file; expected </Directory> for line 1"),
        ("<Directory /x>\n</Location>\n", "httpd.conf:2: unexpected </Location>; expected </Directory> for line 1"),
        ("</Directory>\n", "httpd.conf:1: unexpected </Directory>"),
        ("<Directory /x\n", "httpd.conf:1: <Directory opens no section; expected <Name …>"),
        ("Include missing.conf\n", "httpd.conf:1: included file missing.conf: there is no such file"),
        ("Include no-*.conf\n", "httpd.conf:1: no file matches no-*.conf"),
        ("Include httpd.conf\n", "httpd.conf:1: the include of httpd.conf leads back to itself"),
        ("Use Nothing\n", "httpd.conf:1: there is no macro Nothing"),
        ("Listen 80\0\n", "is a binary file"),
    ],
)
def test_bad_input(tmp_path: Path, text: str, message: str) -> None:
    (tmp_path / "httpd.conf").write_text(text)
    with pytest.raises(SourceUnreadable, match=".") as caught:
        named("apache").read(tmp_path / "httpd.conf")
    assert message in str(caught.value)


def test_ports_and_names(reads: Reads) -> None:
    """A port that nothing listens on, and a name of two hosts: the first one has it."""
    reading = reads.read(
        "apache",
        httpd("")
        + "<VirtualHost *:8080>\nServerName x.example\n</VirtualHost>\n<VirtualHost *:80>\nServerName www.fernhollow.example\nRedirect / /x\n</VirtualHost>\n",
    )
    assert {"port-not-open", "name-claimed-twice"} <= {item.code.name for item in reading.findings}
    assert [row.site for row in reading.estate.listeners[0].rows] == ["www.fernhollow.example"]


def test_the_sample_estate_moves(tmp_path: Path) -> None:
    """Fernhollow as httpd serves it: carried to Caddy, both servers asked, nothing that was not foretold."""
    source, files = unpack(tmp_path, "apache")
    translation = translate(source, "caddy")
    assert not [entry for entry in translation.ledger if entry.finding and entry.finding.code.name == "not-written"]
    live = check_live(translation.reading, translation.read_back, files=((FILES_AT, files),), most=600)
    assert not live.surprises
    assert live.same > 200


def test_a_query_with_blanks_is_refused(reads: Reads) -> None:
    """A capture may bring them into a rewritten query; B escapes them, a flag allows them."""
    for flags, status in (("L", 403), ("B,L", 200), ("UnsafeAllow3F,L", 200)):
        host = f"RewriteEngine On\nRewriteRule ^/t/(.*)$ /a.html?x=$1 [{flags}]"
        assert reads.decide("apache", httpd(host), "/t/a%20b").status == status, flags
        assert reads.decide("apache", httpd(host), "/t/ab").status == 200


def test_a_value_by_expression(reads: Reads) -> None:
    host = "RequestHeader set X-P expr=%{REQUEST_SCHEME}-%{HTTP_HOST}\nProxyPass / http://192.0.2.1:81/"
    outcome = reads.decide("apache", httpd(host))
    assert outcome.origin is not None and ("x-p", "http-www.fernhollow.example") in outcome.origin.fields


def test_expiry_is_merged_from_folder_to_folder(reads: Reads) -> None:
    """A folder below need not switch it on again."""
    host = "<Directory ROOT>\nExpiresActive On\nExpiresDefault A60\n</Directory>\n<Directory ROOT/dir>\nExpiresDefault A90\n</Directory>"
    assert dict(reads.decide("apache", httpd(host), "/a.html").fields)["cache-control"] == "max-age=60"
    assert dict(reads.decide("apache", httpd(host), "/dir/").fields)["cache-control"] == "max-age=90"


def test_a_redirect_of_a_section_comes_before_what_is_rewritten_there(reads: Reads) -> None:
    """A path that is rewritten is only asked for when the fixups are over; an answer of the rules themselves ends them."""
    host = "<Location /old>\nRedirect 302 /old http://a.example/new\n</Location>\n" + FALLBACK
    outcome = reads.decide("apache", httpd(host), "/old/x")
    assert (outcome.status, outcome.location) == (302, "http://a.example/new/x")
    assert reads.decide("apache", httpd(host), "/none").status == 200


MOVED = "# pages that moved\nladder /tools/ladders\ndrill  /tools/drills  since spring\nladder /never\n"


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_rules_that_ask_a_map_of_texts(reads: Reads, tmp_path: Path, target: str) -> None:
    """The first line with the key counts, and its second word; what the map does not have is the default."""
    (tmp_path / "moved.txt").write_text(MOVED)
    reading = reads.read("apache", f"""Listen 8000
<VirtualHost *:8000>
ServerName www.fernhollow.example
DocumentRoot ROOT
<Directory ROOT>
Require all granted
</Directory>
RewriteEngine On
RewriteMap moved "txt:{tmp_path}/moved.txt"
RewriteCond ${{moved:$1}} !=""
RewriteRule ^/old/(.*)$ ${{moved:$1}} [R=301,L]
RewriteRule ^/go/([a-z]+)$ ${{moved:$1|/a.html}} [R,L]
RewriteCond ${{moved:$1|none}} =none
RewriteRule ^/gone/(.*)$ - [G]
</VirtualHost>
""")
    made = translate(reading.main, target)
    assert {entry.disposition.value for entry in made.ledger if "Rewrite" in entry.span.directive} == {"kept", "implied"}
    save(made.writing.files, tmp_path / "new")
    live = check_live(reading, read(tmp_path / "new"), most=600)
    assert not live.surprises
    places = {row.answers[1].field("location") for row in live.rows if row.request.target in ("/old/ladder", "/go/drill", "/go/x") and row.request.method == "GET" and not row.request.fields}
    assert {(place or "").rpartition(":")[2].partition("/")[2] for place in places} == {"tools/ladders", "tools/drills", "a.html"}


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("RewriteMap m prg:/usr/bin/true", "m is prg:…"),
        ("RewriteMap m txt:/nowhere/of/ours.txt", "--files-at /nowhere/of=FOLDER"),
        ("RewriteMap other txt:ROOT/index.html", "m is not"),
        ("RewriteMap m txt:MAP", "a default behind |, or a condition"),
    ],
)
def test_rules_that_ask_what_is_not_known_stay_closed(reads: Reads, tmp_path: Path, line: str, said: str) -> None:
    (tmp_path / "map.txt").write_text(MOVED)
    reading = reads.read("apache", f"Listen 80\nServerName www.fernhollow.example\nRewriteEngine On\n{line.replace('MAP', str(tmp_path / 'map.txt'))}\nRewriteRule ^/old/(.*)$ ${{m:$1}} [R,L]\n")
    assert any(said in fact for finding in reading.findings for _, fact in finding.facts)
    assert decide(reading.estate, request_for("http://www.fernhollow.example/old/ladder"), real_files()).gave_up


def test_keys_that_a_group_does_not_take_are_not_in_the_pattern(reads: Reads, tmp_path: Path) -> None:
    """Caddy asks for keys by the pattern itself, where one more would open a path that no rule was for."""
    (tmp_path / "map.txt").write_text("LADDER /never\ndrill /tools/drills\n")
    reading = reads.read("apache", f"Listen 80\n<VirtualHost *:80>\nServerName www.fernhollow.example\nRewriteEngine On\nRewriteMap moved txt:{tmp_path}/map.txt\n"
                                   "RewriteCond ${moved:$1} .\nRewriteRule ^/old/([a-z]+)$ ${moved:$1} [R,L]\n</VirtualHost>\n")
    text = "\n".join(translate(reading.main, "caddy").writing.files.values())
    assert "^/old/(drill)$" in text
    assert "LADDER|" not in text


@pytest.mark.parametrize("target", ["/raw/", "/dir/"])
def test_what_a_map_says_on_the_server(reads: Reads, tmp_path: Path, target: str) -> None:
    """A line that begins with a blank has no key; a folder's rule puts nothing before what the map says; a percent sign stays one with NE only."""
    (tmp_path / "moved.txt").write_text("ladder /tools/ladders\n  lead /tools/lead\nspace /a%20b\nurl https://www.fernhollow.example/new/\n")
    text = f"""Listen 8000
<VirtualHost *:8000>
ServerName www.fernhollow.example
DocumentRoot ROOT
RewriteMap moved txt:{tmp_path}/moved.txt
RewriteEngine On
RewriteRule ^/raw/(.+)$ ${{moved:$1|/none}} [R=301,L,NE]
<Directory ROOT>
Require all granted
RewriteEngine On
RewriteRule ^dir/(.+)$ ${{moved:$1|/none}} [R=301,L,NE]
</Directory>
</VirtualHost>
"""
    reading = reads.read("apache", text)
    asked = [Request("GET", "http", "www.fernhollow.example", 8000, target + key) for key in ("ladder", "lead", "space", "url", "x")]
    live = check_live(reading, reading, requests=asked, most=400)
    assert not live.surprises
    found = {row.request.target.removeprefix(target): row.answers[0].field("location") or "" for row in live.rows if row.request in [replace(item, client="127.0.0.1") for item in asked]}
    assert found["lead"].endswith("/none") and found["space"].endswith("/a%20b") and found["url"] == "https://www.fernhollow.example/new/"
    closed = reads.read("apache", text.replace(",NE]", "]"))
    assert any("escaped" in fact for finding in closed.findings for _, fact in finding.facts)


@pytest.mark.parametrize(("rule", "status"), [("^/home$ /", 403), ("^/(home)?$ /$2", 403), ("^/home$ / [PT]", 200), ("^/home$ /index.html", 200)])
def test_a_slash_alone_is_the_root_of_the_file_system(reads: Reads, rule: str, status: int) -> None:
    """At server level, without PT; translations leave the accident out, and tell it."""
    text = httpd(f"DirectoryIndex index.html\nRewriteEngine On\nRewriteRule {rule}", "<Directory />\nRequire all denied\n</Directory>")
    assert reads.decide("apache", text, "/home").status == status
    made = translate(reads.write("apache", text), "nginx", dialect="apache")
    assert not check_live(made.reading, made.read_back, most=150).surprises
    assert any(cause.before.status == 403 and (cause.after.status or 0) < 400 for cause in made.comparison.causes) is (status == 403)


@pytest.mark.parametrize("to", ["nginx", "caddy"])
def test_rules_of_a_location_for_what_is_proxied(reads: Reads, to: str) -> None:
    """They are asked there, too; those of the last section that fits are the ones (2.4.71). A pattern sees the origin's URL, which is not read."""
    host = (
        f"{PROXIED}\nRewriteCond %{{HTTP_USER_AGENT}} bad\nRewriteRule .* - [F]\n</Location>\n<Location /a/moved>\nRewriteEngine On\nRewriteRule ^ /new/ [R,L]\n</Location>\n"
        "<Location /off>\nRewriteRule . - [F]\n</Location>\n<Location /odd>\nRewriteEngine On\nRewriteRule ^x - [F]\n</Location>"
    )
    made = translate(reads.write("apache", httpd(host)), to, dialect="apache")
    live = check_live(made.reading, made.read_back, most=200)
    assert not live.surprises
    assert {403, 302, 200} <= {row.answers[0].status for row in live.rows}


_LEVELS = """Listen 80
ServerName 127.0.0.1
RewriteEngine On
{main}
RewriteRule ^/both$ /a.html [L]
RewriteRule ^/above$ /a.html [L]
<Directory ROOT>
Require all granted
Options FollowSymLinks
RewriteEngine On
{folder}
RewriteRule ^(dir/)?gone - [G]
RewriteRule ^gone - [G]
</Directory>
<Directory ROOT/dir>
RewriteEngine On
{inner}
RewriteRule ^gone - [F]
</Directory>
<VirtualHost *:80>
ServerName www.fernhollow.example
DocumentRoot ROOT
RewriteEngine On
{host}
RewriteRule ^/both$ /style.css [L]
</VirtualHost>
<VirtualHost *:80>
ServerName plain.fernhollow.example
DocumentRoot ROOT
</VirtualHost>
"""
# Lines at each level; what /both and /above lead to, the statuses of /dir/gone, and of /dir without its slash.
_INHERITED = [
    ({}, "style.css", None, 403),
    ({"host": "RewriteOptions Inherit", "inner": "RewriteOptions Inherit"}, "style.css", "a.html", 403),
    ({"host": "RewriteOptions InheritBefore", "inner": "RewriteOptions inheritbefore"}, "a.html", "a.html", 410),
    ({"main": "RewriteOptions InheritDown", "folder": "RewriteOptions InheritDownBefore"}, "style.css", "a.html", 410),
    ({"main": "RewriteOptions InheritDownBefore", "host": "RewriteOptions IgnoreInherit", "folder": "RewriteOptions InheritDownBefore", "inner": "RewriteOptions IgnoreInherit"}, "style.css", None, 403),
]  # fmt: skip


@pytest.mark.parametrize(("lines", "both", "above", "status"), _INHERITED)
def test_rules_that_are_inherited(reads: Reads, tmp_path: Path, lines: dict[str, str], both: str, above: str | None, status: int) -> None:
    """Own rules take the place of those above unless RewriteOptions says otherwise; httpd does the same."""
    text = _LEVELS.format_map({"main": "", "folder": "", "inner": "", "host": ""} | lines)
    estate = reads.read("apache", text).estate
    outcomes = [decide(estate, request_for(SITE + path), real_files()) for path in ("/both", "/above", "/dir/gone")]
    assert [Path(outcome.file).name if outcome.file else None for outcome in outcomes[:2]] == [both, above]
    assert outcomes[2].status == status
    hosts = ("www.fernhollow.example", "plain.fernhollow.example")
    rows = [("GET", host, path, {}) for host in hosts for path in ("/both", "/above", "/gone", "/dir/gone", "/dir/")]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "copy") == (len(rows), [])


def test_a_base_alone_takes_the_rules_of_the_folder_above(reads: Reads) -> None:
    """Any line of the module's makes a configuration of the folder's own; what rules see with AllowNoSlash is not read."""
    text = "<Directory ROOT>\nOptions FollowSymLinks\nRewriteEngine On\nRewriteRule x.txt - [F]\n</Directory>\n<Directory ROOT/bare>\n{}\n</Directory>"
    assert reads.decide("apache", httpd(text.format("")), "/bare/x.txt").status == 403
    assert reads.decide("apache", httpd(text.format("RewriteBase /bare")), "/bare/x.txt").status == 200
    unread = reads.read("apache", httpd(text.format("RewriteOptions AllowNoSlash"))).findings
    assert [item.code.name for item in unread] == ["value-unread"]


_NAMES = [r"^\.|\.(bak|sql|ini)$", r"(^#.*#|\.(bak|conf)|~)$", r"^\.ht", r"(?i)\.(bak|INC)$|^x", r"^(?:a|style)\.(html|css)$", r"a(^b|c)d|\.bak$", r"[^a|b]$|c"]


@pytest.mark.parametrize("pattern", _NAMES)
def test_names_by_alternatives(reads: Reads, tmp_path: Path, pattern: str) -> None:
    """Each alternative has its own signs for the start and the end of a name; what is refused by them is refused by httpd and in the others."""
    for name in (".secret", "x.bak", "a~", "#a#", "up.Inc", "xylo", "acd", "dir/.x"):
        (reads.root / name).write_text("x\n")
    text = httpd(f'<FilesMatch "{pattern}">\nRequire all denied\n</FilesMatch>')
    paths = ["/.secret", "/x.bak", "/a~", "/%23a%23", "/up.Inc", "/xylo", "/acd", "/dir/.x", "/.none/x", "/x.bak/y", "/a.html", "/style.css", "/none", "/dir/", "/a.html/.x", "/.htx"]
    rows = [("GET", "www.fernhollow.example", path, {}) for path in paths]
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "copy") == (len(rows), [])
    before = reads.read("apache", text).estate
    refused = [path for path in paths if decide(before, request_for(SITE + path), real_files()).status == 403]
    assert refused
    for target in ("nginx", "caddy"):
        made = translate(reads.write("apache", text), target)
        assert [path for path in refused if decide(made.read_back.estate, request_for(SITE + path), real_files()).status == 200] == []


@pytest.mark.parametrize("line", ['Options ""', 'AllowMethods ""', 'Options "" +Indexes'])
def test_an_empty_word_brings_nobody_down(reads: Reads, line: str) -> None:
    assert reads.read("apache", httpd(f"<Directory ROOT>\n{line}\n</Directory>")).estate.sites


@pytest.mark.parametrize("first", ["RewriteRule ^/a/(.*)$ /b/$1?page=$1", "RewriteRule ^/a/(.*)$ /b/$1?page=$1 [QSA]", "RewriteRule ^/d/(.*)$ /b/$1?%{QUERY_STRING}", "RewriteRule ^/a/(.*)$ /b/$1?"])
@pytest.mark.parametrize("flags", ["R,L", "R,NE,L", "QSA,R,L"])
def test_a_redirect_encodes_a_query_that_an_earlier_rule_made(reads: Reads, tmp_path: Path, first: str, flags: str) -> None:
    """What the client sent goes on as it came; what is another query is percent-encoded, percent signs and all."""
    text = httpd(f"RewriteEngine On\n{first}\nRewriteRule ^/b/(.*)$ /z/$1 [{flags}]").replace("ROOT", str(reads.root))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/a/x%2520y", "/a/x?q=%41%20", "/b/x?q=%41%20b", "/a/", "/d/x?q=1%20", "/b/y")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("asked", ["ip", "not ip", "method"])
def test_a_line_that_asks_for_nothing_lets_nobody_in(reads: Reads, asked: str) -> None:
    """The server does not start with it; it is told, and nothing is opened by it."""
    text = httpd(f"<Location />\n<RequireAll>\nRequire all granted\nRequire {asked}\n</RequireAll>\n</Location>")
    reading = reads.read("apache", text)
    assert f"Require {asked}" in [finding.span.directive for finding in reading.findings if finding.span]
    assert reads.decide("apache", text, "/a.html").gave_up
    for target in ("nginx", "caddy"):
        assert "501" in "".join(translate(reads.write("apache", text), target).writing.files.values())


@pytest.mark.parametrize("line", ["SSLCertificateFile", "SSLCertificateKeyFile"])
def test_a_line_for_a_file_that_names_none_is_told(reads: Reads, line: str) -> None:
    files = {"SSLCertificateFile": "/etc/ssl/a.pem", "SSLCertificateKeyFile": "/etc/ssl/a.key"} | {line: ""}
    reading = reads.read("apache", httpd("SSLEngine on\n" + "\n".join(f"{name} {file}" for name, file in files.items())))
    assert [(finding.code.name, finding.span.directive) for finding in reading.findings if finding.span is not None and "SSL" in finding.span.directive] == [("value-unread", line)]
