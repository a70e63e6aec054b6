"""What httpd makes of one request after another inside itself: rules and redirects of one section, index files, pages of errors.

Each row is decided by the model and asked of the running server; what its answers are stands in the row, so that both cannot be wrong alike.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.compare import Reason
from young_lantern.lab.live import check_live
from young_lantern.model import Rewrite, Severity
from young_lantern.model.walk import walk
from young_lantern.translate import read, save, translate


def folder(lines: str, beside: str = "", name: str = "ROOT") -> str:
    return httpd(f"DocumentRoot ROOT\n{beside}\n<Directory {name}>\nRequire all granted\n{lines}\n</Directory>")


def closed(beside: str = "") -> str:
    return httpd(f"DocumentRoot ROOT\nErrorDocument 403 /404.html\n<Directory ROOT>\nRequire all denied\n</Directory>\n{beside}")


FRONT = "RewriteCond %{REQUEST_FILENAME} !-f\nRewriteRule ^(.*)$ index.html?q=$1 [QSA]"
BOTH = folder(f"""RewriteEngine On
RewriteCond %{{HTTP_HOST}} ^fernhollow
RewriteRule ^ {SITE}%{{REQUEST_URI}} [R=301,L]
RewriteRule ^secret - [F]
{FRONT}
Redirect 301 /old {SITE}/new
Redirect 301 /secret {SITE}/open
RedirectMatch 301 ^/m/(.*) {SITE}/m2/$1
RedirectMatch 410 ^/gone""")
ANSWERS_FIRST = BOTH.replace("?q=$1 [QSA]", " [L]")
LEADS_OUT = folder("""RewriteEngine On
RewriteRule ^login$ /login.php
RewriteRule ^logout$ logout.php
RewriteRule ^/login - [F]
RewriteRule ^logout - [G]""")
INDEXES = httpd("""DocumentRoot ROOT
DirectoryIndex none.html a.html
DirectoryIndex index.html
<Files a.html>
Require all denied
</Files>
<Directory ROOT/bare>
DirectoryIndex a.html b.html
</Directory>
<Files b.html>
AuthType Basic
AuthName desk
AuthUserFile ROOT/none
Require valid-user
</Files>""")
TYPES = httpd("""DocumentRoot ROOT
Header set Content-Type text/x-set
<Location /dir/>
Header setifempty Content-Type text/x-empty
</Location>
<Location /bare/>
Header unset Content-Type
Header setifempty Content-Type text/x-empty
</Location>""")
APART = httpd("""DocumentRoot ROOT
MergeSlashes Off
ProxyPass /app/ http://192.0.2.3:80/v1/""")
ANEW = folder("""RewriteEngine On
RewriteRule ^docs/(.+)\\.page$ /$1?page=$1 [L]
RewriteRule ^groups/(.+)$ /a.html?q=$1 [B,QSA,L]
RewriteRule ^blanks/(.+)$ /$1 [B,L]
RewriteRule ^go/(.+)$ /x?q=$1 [B,NE,R]
RewriteRule ^twice/(.+)$ /x?q=$1 [B,R]
RewriteRule ^plain/(.+)$ /a.html?q=$1 [B,BNP,L]
RewriteRule ^marks/(.+)$ /a.html?q=$1 [B=&?,L]""", beside="""Header set X-Query "expr=%{QUERY_STRING}"
RedirectMatch ^/m/(.+)/end$ /x/$1""")
FRONT_ALONE = folder("RewriteEngine On\nRewriteRule ^(.*)$ a.html?url=$1 [QSA,L]", "<Directory ROOT/dir>\nRewriteEngine On\nRewriteBase /dir/\nRewriteRule . none.html [L]\n</Directory>\n"
                     "<Directory ROOT/bare>\nRewriteEngine On\nRewriteRule ^ /bare/none.html\n</Directory>")
CHAIN = folder("""RewriteEngine On
RewriteRule ^y /dir/index.html [C]
RewriteRule ^ - [R=404]
RewriteRule ^z /dir/index.html [S=1]
RewriteRule ^index - [F]
RewriteRule ^/dir - [G]
RewriteRule ^w - [R=404]""")
ALIASED = httpd("""DocumentRoot ROOT
Alias /al ROOT/dir
Alias /app APP
<Directory ROOT/dir>
RewriteEngine On
RewriteRule ^none$ index.html
</Directory>
<Directory APP>
Require all granted
RewriteEngine On
RewriteRule ^none$ page.html
</Directory>
<Location /al>
Header set Content-Type text/x-alias
</Location>
<Location /dir>
Header set Content-Type text/x-folder
</Location>
<Location /app>
Header set Content-Type text/x-app
</Location>""")
IN_FULL = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^/(.*)$ ROOT/$1
<Directory ROOT/dir>
RewriteEngine On
RewriteRule ^none$ index.html
</Directory>""")
STAR_TYPE = "<Directory ROOT/*>\nHeader always set Content-Type text/x-star\n</Directory>"
STAR_INDEX = httpd(f"""DocumentRoot ROOT
DirectoryIndex index.html
RewriteEngine On
RewriteRule ^/bare/index.html$ /a.html
{STAR_TYPE}""")
STAR_PAGE = httpd(f"""DocumentRoot ROOT
ErrorDocument 405 /404.html
{STAR_TYPE}
<Directory ROOT>
AllowMethods POST
</Directory>""")
BLANKS = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^/a/(.+)$ /x?page=$1 [R,NE,L]
RewriteRule ^/b/(.+)$ /$1 [R,NE,L]
RewriteRule ^(?=/c)(/.*)$ $1 [R=301,L,B]
RewriteRule ^/missing /x [R,L]
ErrorDocument 404 /missing
Header always set Content-Type text/x-error "expr=%{REQUEST_STATUS} in {'404', '403'}"
Header always set Content-Type text/x-redirect "expr=%{REQUEST_STATUS} -lt 400\"""")
PASSED = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^/(a|b) /new [PT]
RewriteRule ^/c /other [PT]
ProxyPass /new http://192.0.2.3:80/
<If "%{REQUEST_URI} =~ m#^/[ac]#">
Redirect 302 /moved
</If>""")
BY_TURNS = httpd("""DocumentRoot ROOT
DirectoryIndex none.html
<Directory ROOT/dir>
DirectorySlash Off
</Directory>
<If "-R '127.0.0.0/8'">
DirectoryIndex index.html
</If>""")
TYPE_ASKED = httpd("""DocumentRoot ROOT
Header setifempty Content-Type text/x-empty
Header setifempty Content-Type text/x-late
Header set Content-Type text/x-asked "expr=%{CONTENT_TYPE} == 'text/x-empty'\"""")
EXPIRES = "ExpiresActive On\nExpiresDefault \"access plus 1 hour\"\n" + folder(f"""ExpiresActive On
ExpiresDefault A60
RewriteEngine On
RewriteRule ^old /new [R=301,L]
Redirect /rd {SITE}/x""")
SAME = httpd("""DocumentRoot ROOT
ErrorDocument 403 /bare/x.txt
RewriteEngine On
RewriteRule ^/bare /a.html
<Files a.html>
Require all denied
</Files>""")
QUERIES = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^/a/(.+)$ /x?page=$1 [R,L,QSA]
RewriteRule ^/b/(.+)$ /x/$1 [R,L]
Header always set Content-Type "expr=q/%{QUERY_STRING}\"""")
STAR = httpd("""DocumentRoot ROOT
<Directory ROOT/*>
Redirect 410 /
</Directory>""")
STAR_LINKS = STAR.replace("<Directory ROOT/*>", "<Directory ROOT>\nOptions SymLinksIfOwnerMatch\n</Directory>\n<Directory ROOT/*>")
# Name, configuration, target, status, and where it leads: a Location, a file below the root, an origin's target, or a media type.
ENCODED = httpd("""DocumentRoot ROOT
RewriteEngine On
RewriteRule ^/more$ /x?k=v [R=301,QSA,L]
RewriteRule ^/as-it-is$ /x?k=v [R=301,QSA,NE,L]
RewriteRule ^/none$ /x [R=301,L]
RewriteRule ^/blank$ /x?k=a\\%20b [R=301,L]
RewriteRule ^/open$ /x?%{QUERY_STRING}& [R=301,NE,L]""")
KEPT = httpd("""DocumentRoot ROOT
ErrorDocument 404 /dir/index.html
<DirectoryMatch "/s[a-z]b">
Header set Cache-Control kept
Require all granted
</DirectoryMatch>
<DirectoryMatch "/bare/">
Header set Cache-Control slash
</DirectoryMatch>
<Location /dir/sub>
Header set X-Section 1
</Location>
<Directory ROOT>
Require all granted
</Directory>""")
ONCE = folder("RewriteEngine On\nRewriteCond %{ENV:REDIRECT_STATUS} ^$\nRewriteRule ^(.*)$ $1 [B]", name="ROOT/dir")
ONCE_BARE = ONCE.replace("ROOT/dir", "ROOT/bare")
HANDED = folder("RewriteEngine On\nRewriteRule ^ /a.html [L]", "<Directory ROOT/bare>\nRewriteEngine On\nFallbackResource /index.html\n</Directory>\n")
PROXIED = folder("DirectoryIndex a.html index.html\nRewriteEngine On\nRewriteRule ^(.*)$ x.html?u=$1\nRewriteCond %{HTTP_HOST} ^www\nRewriteRule ^(.*)$ http://192.0.2.9:81/p/$1 [P]",
                 "<FilesMatch ^x>\nDirectoryIndex index.html\n</FilesMatch>")
ROWS = [
    ("an origin that rules name is asked about the index file, by the path that came and the sections for that", PROXIED, "/bare/", 200, "/p/x.html?u=bare/a.html"),
    ("whether that is there or not", PROXIED, "/dir/", 200, "/p/x.html?u=dir/a.html"),
    ("an index file whose name a rule encodes is found, and what the rule made of it is decoded", ONCE, "/dir/", 200, "ROOT/dir/index.html"),
    ("one that is not there is not", ONCE_BARE, "/bare/", 403, None),
    ("what rules make of what is fallen back to is asked for in its place, and goes on without end here", HANDED, "/bare/none", 500, None),
    ("and so it is where that was fallen back to for an index file", HANDED, "/bare/", 500, None),
    ("a page has the settings of folders that the first request walked to, though its own path is another", KEPT, "/dir/sub/none", 404, "kept"),
    ("a pattern with a final slash is for the folder with one", KEPT, "/bare/", 403, None),
    ("and not for the folder without", KEPT, "/bare", 301, SITE + "/bare/"),
    ("a rule's query shows in the redirect beside it", BOTH, "/old/x?u=1", 301, SITE + "/new/x?q=old/x&u=1"),
    ("and in one by pattern", BOTH, "/m/y", 301, SITE + "/m2/y?q=m/y"),
    ("and where a folder gets its slash", BOTH, "/dir", 301, SITE + "/dir/?q=dir"),
    ("not for a file, which the rule is not for", BOTH.replace("/old ", "/a.html "), "/a.html", 301, SITE + "/new"),
    ("what a rule answers comes first", BOTH, "/secret", 403, None),
    ("an error is one without a query", BOTH, "/gone/x", 410, None),
    ("a front controller comes behind the redirects", ANSWERS_FIRST, "/old/x", 301, SITE + "/new/x"),
    ("where a rule answers, too", ANSWERS_FIRST, "/secret/x", 403, None),
    ("and for all else", ANSWERS_FIRST, "/none", 200, "ROOT/index.html"),
    ("a path out of the folder is matched as a whole", LEADS_OUT, "/login", 403, None),
    ("one within is not", LEADS_OUT, "/logout", 410, None),
    ("index files of one section add up", INDEXES, "/dir/", 200, "ROOT/dir/index.html"),
    ("the last that is refused counts", INDEXES, "/bare/", 401, None),
    ("the page of an error in the same folder is let in", closed(), "/a.html", 403, "ROOT/404.html"),
    ("for what is not there, too", closed(), "/none/x", 403, "ROOT/404.html"),
    ("from another folder it is not", closed(), "/bare/x.txt", 403, None),
    ("nor where a section is for it", closed("<Files 404.html>\nHeader set X-Page 1\n</Files>"), "/a.html", 403, None),
    ("set beforehand, a type is not set if empty", TYPES, "/dir/index.html", 200, "text/x-set"),
    ("taken away beforehand, it is", TYPES, "/bare/x.txt", 200, "text/x-empty"),
    ("slashes of a place are one, and none is left over", APART, "/app///x//y", 200, "/v1/x//y"),
    ("a redirect's query is encoded once more", ENCODED, "/more?q=a%20b", 301, SITE + "/x?k=v&q=a%2520b"),
    ("but for NE", ENCODED, "/as-it-is?q=a%20b", 301, SITE + "/x?k=v&q=a%20b"),
    ("and where it is the client's as it came", ENCODED, "/none?q=a%20b", 301, SITE + "/x?q=a%20b"),
    ("written escapes are, too", ENCODED, "/blank", 301, SITE + "/x?k=a%2520b"),
    ("an empty argument at the end is gone", ENCODED, "/open?q=1", 301, SITE + "/x?q=1"),
    ("a folder's rule has its path decoded once more", ANEW, "/docs/%2561.html.page", 200, "ROOT/a.html"),
    ("a slash that comes out of it is refused", ANEW, "/docs/x%252fy.page", 404, None),
    ("and what is no escape", ANEW, "/docs/x%25zz.page", 400, None),
    ("a fragment ends it", ANEW, "/docs/a.html%23x.page", 200, "ROOT/a.html"),
    ("a blank is a plus sign by B, which is no blank in a path", ANEW, "/blanks/a%20b.html", 404, None),
    ("B encodes all but letters, digits and _", ANEW, "/go/a%20b%26c/d-e.f_g", 302, SITE + "/x?q=a+b%26c%2fd%2de%2ef_g"),
    ("and a redirect once more", ANEW, "/twice/a%26b", 302, SITE + "/x?q=a%2526b"),
    ("a query by B", ANEW, "/groups/a%20b%26c/d?k=v", 200, "ROOT/a.html"),
    ("without plus signs", ANEW, "/plain/a%20b", 200, "ROOT/a.html"),
    ("of some signs only, so that a blank is refused", ANEW, "/marks/a%20b", 403, None),
    ("of some signs only", ANEW, "/marks/a%26b%3fc", 200, "ROOT/a.html"),
    ("RedirectMatch encodes a group up to a mark", ANEW, "/m/a%20b%3fc%26/end", 302, SITE + "/x/a%20b?c&"),
    ("and then takes no query", ANEW, "/m/a%3fb/end?k=v", 302, SITE + "/x/a?b"),
    ("up to a fragment", ANEW, "/m/a%23b%25/end", 302, SITE + "/x/a#b%"),
    ("a rule that says the same file rewrites nothing", FRONT_ALONE, "/none?k=v", 200, "ROOT/a.html"),
    ("nor for the file itself", FRONT_ALONE, "/a.html", 200, "ROOT/a.html"),
    ("with what is behind a file in the path", FRONT_ALONE, "/a.html/more", 404, None),
    ("which need not be there", FRONT_ALONE, "/dir/x", 404, None),
    ("a path from the root on goes round", FRONT_ALONE, "/bare/x", 500, None),
    ("a folder's pattern is for files", STAR, "/a.html", 410, None),
    ("but not where links are looked at", STAR_LINKS, "/a.html", 200, "ROOT/a.html"),
    ("a chain goes on with the whole path", CHAIN, "/y", 404, None),
    ("what is skipped is, too", CHAIN, "/z", 410, None),
    ("a status that is no redirect ends the rules", CHAIN, "/w", 404, None),
    ("an alias into the document root is left for the folder's own path", ALIASED, "/al/none", 200, "text/x-folder"),
    ("one to elsewhere is not", ALIASED, "/app/none", 200, "text/x-app"),
    ("a file that is named in full has rules of its folder", IN_FULL, "/dir/none", 200, "ROOT/dir/index.html"),
    ("a pattern for a folder's files does not hold for its index file", STAR_INDEX, "/", 200, "text/html"),
    ("but for one elsewhere that a rule leads to", STAR_INDEX, "/bare/", 200, "text/x-star"),
    ("nor for an error's page in the same folder", STAR_PAGE, "/", 405, "text/html"),
    ("but for one in another", STAR_PAGE, "/dir/index.html", 405, "text/x-star"),
    ("a redirect's query with a blank is refused", BLANKS, "/a/x%20y", 403, None),
    ("its path is not", BLANKS, "/b/x%20y", 302, SITE + "/x y"),
    ("a redirect to what does not begin with a slash gets one", BLANKS, "/c/x", 301, SITE + "/%252fc%252fx"),
    ("a rule's redirect on the way to an error's page has its own status", BLANKS, "/none", 302, "text/x-redirect"),
    ("a section's redirect by the path as it came is behind proxies of the new one", PASSED, "/a/x", 200, "/"),
    ("and before all else", PASSED, "/c", 302, SITE + "/moved"),
    ("which is for what it speaks of", PASSED, "/b", 200, "/"),
    ("sections of which both hold say all they say", BY_TURNS, "/dir", 403, None),
    ("lines after setifempty ask for the type that it set", TYPE_ASKED, "/a.html", 200, "text/x-asked"),
    ("a folder's redirect by a rule is good for as long as it says", EXPIRES, "/old", 301, "max-age=60"),
    ("and one without", EXPIRES, "/rd", 302, "max-age=60"),
    ("fields say the query that a redirect by a rule has made", QUERIES, "/a/y?q=a%20b", 302, "q/page=y&q=a%20b"),
    ("or left", QUERIES, "/b/y?q=a%20b", 302, "q/q=a%20b"),
    ("a page that rules bring back to the same file is let in", SAME, "/a.html", 403, "ROOT/a.html"),
    ("before it, too", APART, "//app/x", 200, "/v1/x"),
]


@pytest.mark.parametrize(("text", "target", "status", "leads"), [row[1:] for row in ROWS], ids=[row[0] for row in ROWS])
def test_one_request_after_another(reads: Reads, tmp_path: Path, text: str, target: str, status: int, leads: str | None) -> None:
    (reads.root / "bare/a.html").write_text("a\n")
    (reads.root / "bare/b.html").write_text("b\n")
    text = text.replace("APP", str(reads.root.parent / "app"))
    (reads.root.parent / "app").mkdir()
    (reads.root.parent / "app/page.html").write_text("page\n")
    outcome = decide(reads.read("apache", text).estate, request_for(SITE + target), real_files())
    found = {outcome.location, outcome.file, outcome.origin.target if outcome.origin else None, *(outcome.media_types or ()), *(value for name, value in outcome.fields if name in ("content-type", "cache-control"))}
    assert outcome.status == status
    assert leads.replace("ROOT", str(reads.root)) in found if leads else not (outcome.location or outcome.file or outcome.origin)
    asked, wrong = disagreements("apache", text.replace("ROOT", str(reads.root)), [("GET", "www.fernhollow.example", target, {})], tmp_path / "asked")
    assert asked == 1 and not wrong


def test_redirects_beside_rules_stay_what_they_were(reads: Reads, tmp_path: Path) -> None:
    """In both other dialects, and the servers agree."""
    for target in ("nginx", "caddy"):
        made = translate(reads.write("apache", BOTH), target)
        assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
        asked = [request_for(SITE + path) for path in ("/old/x?u=1", "/m/y", "/secret", "/gone/x", "/none")]
        before, after = ([decide(estate, one, real_files()).location for one in asked] for estate in (made.reading.estate, made.read_back.estate))
        # Caddy escapes a slash that it puts into a query, which is told.
        assert [location and location.replace("%2F", "/") for location in after] == before
        save(made.writing.files, tmp_path / target)
        assert not check_live(made.reading, read(tmp_path / target, target), requests=asked, most=300).surprises


def test_a_page_that_is_let_in_is_told_where_it_is_lost(reads: Reads) -> None:
    """nginx asks who comes for the page as well, and has its own words then."""
    made = translate(reads.write("apache", closed()), "nginx")
    assert any(cause.before.file and not cause.after.file and cause.before.status == cause.after.status == 403 for cause in made.comparison.causes)


def test_captures_by_name_are_variables(reads: Reads, tmp_path: Path) -> None:
    """nginx escapes what a rewrite brings into a query by its number, and nothing that has a name."""
    text = nginx("""location /a/ { rewrite ^/a/(?<rest>.*)$ http://www.fernhollow.example/n?q=$rest permanent; }
    location /b/ { rewrite ^/b/(.*)$ http://www.fernhollow.example/n?q=$1 permanent; }""")
    assert reads.decide("nginx", text, "/a/%252f").location == f"{SITE}/n?q=%2f"
    assert reads.decide("nginx", text, "/b/%252f").location == f"{SITE}/n?q=%252f"
    rows = [("GET", "www.fernhollow.example", f"/{place}/{rest}", {}) for place in "ab" for rest in ("%252f", "x%20y", "x%26y", "%C3%A9")]
    assert disagreements("nginx", text, rows, tmp_path / "asked") == (len(rows), [])


def test_a_query_alone_leaves_the_path_as_it_came(reads: Reads) -> None:
    """So that a redirect in nginx may ask its own pattern once more."""
    made = translate(reads.write("apache", BOTH), "nginx")
    assert any(isinstance(step, Rewrite) and step.edit is None for site in made.reading.estate.sites for step in walk(site.program))
    written = "".join(made.writing.files.values())
    assert "rewrite ^/old(/.*)?$ http://www.fernhollow.example/new$1 permanent;" in written and "return 501" not in written


def test_a_type_that_comes_out_empty_is_none(reads: Reads, tmp_path: Path) -> None:
    """Caddy's handlers ask by Go's Header.Get, for which a value of nothing is none."""
    text = caddy("header Content-Type {header.X-Kind}\nhandle /text {\nrespond text\n}\nhandle {\nroot * ROOT\nfile_server\n}")
    assert reads.decide("caddy", text, "/a.html").media_types == ("text/html; charset=utf-8",)
    assert reads.decide("caddy", text, "/a.html", fields={"X-Kind": "text/x-kind"}).media_types == ("text/x-kind",)
    rows: list[tuple[str, str, str, dict[str, str]]] = [("GET", "www.fernhollow.example", path, fields) for path in ("/a.html", "/text") for fields in ({}, {"X-Kind": "text/x-kind"})]
    assert disagreements("caddy", text.replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])


def test_a_redirect_to_another_host_needs_no_password(reads: Reads, tmp_path: Path) -> None:
    """httpd asks for the password first, nginx redirects first: that says no more than the request did, and is told; a redirect with a path of its own comes behind the password."""
    (tmp_path / "users").write_text("desk:{PLAIN}lantern\n")
    closed = f"AuthType Basic\nAuthName desk\nAuthUserFile {tmp_path}/users\nRequire valid-user\nRewriteEngine On\n"
    for rule, status in (("^ https://www.fernhollow.example%{REQUEST_URI} [R=301,L]", 301), ("^ https://www.fernhollow.example/the/key [R=301,L]", 401)):
        made = translate(reads.write("apache", httpd(f"<Directory ROOT>\n{closed}RewriteRule {rule}\n</Directory>")), "nginx")
        asked = request_for(f"{SITE}/staff/x")
        assert [decide(estate, asked, real_files()).status for estate in (made.reading.estate, made.read_back.estate)] == [401, status]
        told = [cause for cause in made.comparison.causes if cause.reason is Reason.UNASKED]
        assert [cause.severity for cause in told] == [Severity.BREAKING] * (status == 301)


def test_a_query_that_is_encoded_twice_is_told_and_not_made(reads: Reads, tmp_path: Path) -> None:
    """From httpd it is lost, which is told by a query with an escape; to httpd NE keeps it from coming about, and the target as it was received stays what it was."""
    made = translate(reads.write("apache", ENCODED), "nginx")
    assert [cause.example.target for cause in made.comparison.causes if cause.reason is Reason.ENCODED_QUERY] == ["/more?fern=%20"]
    back = translate(reads.write("nginx", nginx("location = /more { return 301 /x?k=v&$args; } location = /in { return 302 /login?next=$request_uri; }")), "apache")
    for target in ("/more?q=a%20b", "/in?q=a%20b"):
        asked = request_for(SITE + target)
        before, after = (decide(estate, asked, real_files()).location for estate in (back.reading.estate, back.read_back.estate))
        assert before is not None and before.removeprefix(SITE) == (after or "").removeprefix(SITE)
    save(back.writing.files, tmp_path / "new")
    assert not check_live(back.reading, read(tmp_path / "new", "apache"), requests=[request_for(SITE + "/more?q=a%20b"), request_for(SITE + "/in?q=a%20b")], most=200).surprises


def test_one_page_for_all_without_a_condition(reads: Reads, tmp_path: Path) -> None:
    """The shortest way to an application that answers for a whole folder is no round without an end."""
    for target in ("nginx", "caddy"):
        made = translate(reads.write("apache", folder("RewriteEngine On\nRewriteRule ^(.*)$ a.html [QSA,L]")), target)
        assert "500" not in "".join(text for name, text in made.writing.files.items() if "sites/" in name)
        for path in ("/", "/none/x", "/a.html"):
            before, after = (decide(estate, request_for(SITE + path), real_files()) for estate in (made.reading.estate, made.read_back.estate))
            assert before.status == after.status == 200 and before.file == after.file == str(reads.root / "a.html")
        save(made.writing.files, tmp_path / target)
        assert not check_live(made.reading, read(tmp_path / target, target), most=300).surprises


def test_what_the_server_itself_says_of_a_path_that_it_refuses(reads: Reads, tmp_path: Path) -> None:
    """A path with an encoded slash is refused before any section is looked for: the server's lines hold, those with a condition, too."""
    text = httpd("""SetEnvIf Request_Method GET asked=1
<Location /a>
Header always set X-Section 1
ErrorDocument 404 section
</Location>
Header always set X-Plain 1
Header always set X-Method 1 "expr=%{REQUEST_METHOD} == 'GET'"
Header always set X-Variable 1 env=asked
Header always set X-Not 1 env=!asked
ExpiresActive On
ExpiresDefault A60
ErrorDocument 404 http://www.fernhollow.example/sorry""")
    outcome = decide(reads.read("apache", text).estate, request_for(SITE + "/a%2Fb"), real_files())
    assert {name for name, _ in outcome.fields} == {"x-plain", "x-method", "x-variable", "cache-control", "expires"}
    asked, wrong = disagreements("apache", text, [(method, "www.fernhollow.example", "/a%2Fb", {}) for method in ("GET", "POST")], tmp_path / "asked")
    assert asked == 2 and not wrong


@pytest.mark.parametrize("flag", ["[N=3]", "[N]", "[N=3,L]"])
def test_rules_that_begin_anew_do_so_for_index_files_too(reads: Reads, tmp_path: Path, flag: str) -> None:
    text = httpd(f"RewriteEngine On\nRewriteRule ^/n/(.*)$ /$1 {flag}\nRedirectMatch 410 ^/gone").replace("ROOT", str(reads.root))
    rows = [(method, "www.fernhollow.example", path, {}) for method in ("GET", "DELETE") for path in ("/n/dir/", "/n/n/dir/", "/n/bare/", "/n/a.html", "/n/nix")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("lines", ["Redirect seeother /a/ /moved?k=v\nRedirect /b/c http://elsewhere.fernhollow.example/n", "Redirect gone /gone/x\nRedirect /old/ /new/", "ProxyPass /a/ http://192.0.2.9:81/v/\nRedirect /b/ /n/"])
@pytest.mark.parametrize("said", ["MergeSlashes Off", "MergeSlashes On"])
def test_slashes_in_front_of_what_is_left_over(reads: Reads, tmp_path: Path, said: str, lines: str) -> None:
    paths = ("/a/x", "/a//x", "//a/x", "/a", "/a//", "/b/c//d", "/b//c/d", "/b/c", "/old//x", "//old", "/gone//x/y")
    rows = [("GET", "www.fernhollow.example", path, {}) for path in paths]
    assert disagreements("apache", httpd(f"{said}\n{lines}").replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (len(rows), [])


SHORT = folder("RewriteEngine On\nRewriteRule ^(.*)\\.html$ /$1 [R=301,L]")
SHORT_SERVER = httpd("DocumentRoot ROOT\nRewriteEngine On\nRewriteCond %{REQUEST_URI} !^/bare/\nRewriteRule ^/(.*\\.html)?$ https://www.fernhollow.example/$1 [R=301,L]\n<Directory ROOT>\nRequire all granted\n</Directory>")


NO_NAMES = httpd("DocumentRoot ROOT\nDirectoryIndex index.html index.htm\nRewriteEngine On\nRewriteRule ^/a\\.html$ / [R=301,L]\nRewriteRule ^(.*)/index\\.html?$ $1/ [R=301,L]\n<Directory ROOT>\nRequire all granted\n</Directory>")


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize("text", [SHORT, SHORT_SERVER, NO_NAMES])
def test_an_index_file_is_led_nowhere_by_a_rule_for_pages(reads: Reads, tmp_path: Path, text: str, target: str) -> None:
    """httpd skips redirects where it looks for the file itself; the folder is answered with it as before, and no redirect leads to itself."""
    made = translate(reads.write("apache", text), target)
    for reading in (made.reading, made.read_back):
        assert [decide(reading.estate, request_for(SITE + path), real_files()).status for path in ("/dir/", "/a.html", "/dir/index.html", "/style.css")] == [200, 301, 301, 200]
    assert not [cause.summary for cause in made.comparison.causes if "200 becomes 301" in cause.summary]
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", target), most=100).surprises


def test_a_rule_that_the_folder_itself_is_led_away_by_asks_nothing_more(reads: Reads) -> None:
    made = translate(reads.write("apache", httpd("DocumentRoot ROOT\nRewriteEngine On\nRewriteCond %{REQUEST_URI} !^/status$\nRewriteRule ^/old/(.*)$ https://www.fernhollow.example/$1 [R=301,L]")), "nginx")
    assert "index file" not in "".join(made.writing.files.values())
