"""httpd, `-F` for another file than the request's: whether it is there, and open to whoever asks; folders where that is not all there is to know."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import SITE, Reads
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.dialects import named
from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.translate import translate

MODULES = "".join(f"LoadModule {name}_module modules/mod_{name}.so\n" for name in ("mpm_event", "authz_core", "auth_basic", "authn_core", "authn_file", "authz_user", "rewrite", "dir", "mime", "allowmethods", "alias"))
ASKED = ("/cache/a.html", "/cache/none.html", "/cache", "/cache/", "/cache/sub", "/cache/.htx", "/cache/a.html/x", "/cache/a.bak", "/files/secret.txt", "/files/ok.txt", "/files/sub/secret.txt", "/loc/a.html", "/cache/old/b.html")
FILES = ("index.html", "cache/a.html", "cache/sub/b.html", "cache/.htx", "cache/a.bak", "cache/old/b.html", "files/secret.txt", "files/ok.txt", "files/sub/secret.txt", "loc/a.html", "t/x", "deny/a.html", "rw/a.html", "users/a.html")
SECTIONS = """<FilesMatch "^\\.ht">
Require all denied
</FilesMatch>
<FilesMatch "\\.(bak|old)$">
Require all denied
</FilesMatch>
<Directory "ROOT/files">
<Files secret.txt>
Require all denied
</Files>
</Directory>
<Location "/loc">
Require all denied
</Location>
"""


def httpd(root: Path, server: str = "", folder: str = "", sections: str = SECTIONS) -> str:
    for name in FILES:
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_text(f"{name}\n")
    return f"""Listen 80\n{MODULES}<VirtualHost *:80>
ServerName www.fernhollow.example
DocumentRoot {root}
<Directory "/">
Require all denied
</Directory>
<Directory "{root}">
Require all granted
Options FollowSymLinks
</Directory>
{sections.replace("ROOT", str(root))}{f'RewriteEngine On{chr(10)}{server}' if server else ''}
{f'<Directory "{root}/t">{chr(10)}RewriteEngine On{chr(10)}{folder}</Directory>' if folder else ''}
</VirtualHost>
"""


def rules(of_folder: bool) -> str:
    return "".join(f'RewriteCond "%{{DOCUMENT_ROOT}}{path}" -F\nRewriteRule "^{"" if of_folder else "/t/"}{number}$" - [R=410,L]\n' for number, path in enumerate(ASKED))


@pytest.mark.parametrize("of_folder", [False, True])
def test_the_model_foretells_httpd(of_folder: bool, tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    text = httpd(tmp_path / "root", **{"folder" if of_folder else "server": rules(of_folder)})
    # Below the document root lies the folder of these very rules: what is asked of the whole is left open.
    rows = [("GET", "www.fernhollow.example", f"/t/{number}", {}) for number, path in enumerate(ASKED) if not (of_folder and path == "/cache")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])


CACHED = 'RewriteCond "%{DOCUMENT_ROOT}/cache/$1.html" -F\nRewriteRule "^/?(?:t/)?page/(\\w+)$" "/cache/$1.html" [L]\n'
WHOLE = 'RewriteCond "%{DOCUMENT_ROOT}%{REQUEST_URI}" !-F\nRewriteRule "^/" "/index.html" [L]\n'


@pytest.mark.parametrize(("rules", "paths"), [
    (CACHED, {"/page/a": "cache/a.html", "/page/b": None, "/cache/a.html": "cache/a.html"}),
    (WHOLE, {"/cache/a.html": "cache/a.html", "/cache/nothing": "index.html", "/files/ok.txt": "files/ok.txt", "/cache": "index.html"}),
])
@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_it_is_carried(reads: Reads, rules: str, paths: dict[str, str | None], target: str) -> None:
    """As a test for the file, which it comes to where all is open."""
    root = reads.folder / "served"
    plain = SECTIONS.partition("<Location")[0] if rules is CACHED else ""
    made = translate(reads.write("apache", httpd(root, rules, sections=plain)), target, dialect="apache")
    assert [entry.span.directive for entry in made.ledger if entry.disposition is Disposition.UNSUPPORTED] == []
    for path, file in paths.items():
        for estate in (made.reading.estate, made.read_back.estate):
            assert decide(estate, request_for(SITE + path), real_files(Path)).file == (f"{root}/{file}" if file else None), path
    live = check_live(made.reading, made.read_back, requests=[request_for(SITE + path) for path in paths], most=100)
    assert [(str(row.request), row.between, row.defects) for row in live.surprises] == []  # type: ignore[attr-defined]


@pytest.mark.parametrize(("sections", "condition"), [
    ('<Directory "ROOT/cache">\nRequire all denied\n</Directory>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<Directory "ROOT/cache/sub">\nRequire ip 192.0.2.0/24\n</Directory>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<Directory "ROOT/cache">\nAllowMethods POST\n</Directory>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<Directory "ROOT/cache">\nOptions None\n</Directory>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<Directory "ROOT/cache">\nRewriteEngine On\nRewriteRule ^a - [F]\n</Directory>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<Directory "ROOT/*/sub">\nRequire all denied\n</Directory>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<FilesMatch "a.*z">\nRequire all denied\n</FilesMatch>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<FilesMatch "a">\nRequire ip 192.0.2.1\n</FilesMatch>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ('<If "%{QUERY_STRING} == \'x\'">\nRequire all denied\n</If>\n', "%{DOCUMENT_ROOT}/cache/$1"),
    ("", "/srv/elsewhere/$1"), ("", "%{DOCUMENT_ROOT}/cache/%{QUERY_STRING}"), ("", "%{DOCUMENT_ROOT}/../$1"),
])
def test_what_is_more_than_that_is_told(reads: Reads, sections: str, condition: str) -> None:
    text = httpd(reads.folder / "served", f'RewriteCond "{condition}" -F\nRewriteRule ^/x/(.*)$ /index.html [L]\n', sections=sections)
    reading = named("apache").read(reads.write("apache", text))
    assert [finding.span.directive for finding in reading.findings if finding.code.name == "condition-unread" and finding.span] == [f'RewriteCond "{condition}" -F']
    assert decide(reading.estate, request_for(f"{SITE}/x/a.html"), real_files(Path)).gave_up
