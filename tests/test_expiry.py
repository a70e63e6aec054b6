"""httpd: where expiry is on is said by the last section that holds; what is foretold, the server answers, and translations keep it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

ON, OFF = "ExpiresActive On\nExpiresDefault A600", "ExpiresActive Off"
BY_TYPE = 'ExpiresByType text/html "access plus 1 hour"'

SAID = [
    f"{ON}\n<FilesMatch \\.html$>\n{OFF}\n</FilesMatch>",
    f"<Directory ROOT>\n{ON}\n<Files index.html>\n{OFF}\n</Files>\n</Directory>",
    f"<Directory ROOT>\n{ON}\n</Directory>\n<Location /dir>\n{OFF}\n</Location>",
    f"<Directory ROOT>\n{ON}\n</Directory>\n<Location /dir>\n{OFF}\n</Location>\n<Location /dir/x>\nExpiresActive On\n</Location>",
    f"{OFF}\nExpiresDefault A600\n<Location /dir>\nExpiresActive On\n</Location>",
    f"ExpiresDefault A600\n{BY_TYPE}\n<LocationMatch ^/(dir|a)>\nExpiresActive On\n</LocationMatch>",
    f"{ON}\n{BY_TYPE}\n<Files a.html>\n{OFF}\n</Files>",
    f"<Files a.html>\n{OFF}\n</Files>\n{ON}\n<Location /a.html>\nExpiresActive On\nExpiresDefault A5\n</Location>",
    f"<Directory ROOT/dir>\nExpiresDefault A5\n</Directory>\n<Location />\nExpiresActive On\n</Location>\n{OFF}",
    f"{ON}\n<If \"%{{QUERY_STRING}} == 'a=b'\">\n{OFF}\n</If>",
    f"<Location />\n{ON}\n</Location>\n<Location /old>\n{OFF}\n</Location>\nRedirect /old http://elsewhere.fernhollow.example/\nRedirect /older http://elsewhere.fernhollow.example/",
]
ROWS = [("GET", "www.fernhollow.example", path + query, {}) for path in ("/a.html", "/dir/", "/dir", "/dir/x", "/", "/dir/index.html", "/old", "/older/x") for query in ("", "?a=b")]


@pytest.mark.parametrize("lines", SAID)
def test_the_last_section_that_holds_turns_it_on_or_off(reads: Reads, tmp_path: Path, lines: str) -> None:
    assert disagreements("apache", httpd(lines).replace("ROOT", str(reads.root)), ROWS, tmp_path / "asked") == (len(ROWS), [])


@pytest.mark.parametrize("target", ["nginx", "caddy"])
@pytest.mark.parametrize("lines", SAID[:3])
def test_a_translation_keeps_where_it_is_off(reads: Reads, lines: str, target: str) -> None:
    translation = translate(reads.write("apache", httpd(lines).replace("ROOT", str(reads.root))), target)
    live = check_live(translation.reading, translation.read_back, most=60)
    assert live.rows and not live.surprises
    assert not [entry for entry in translation.ledger if entry.span.directive.lower() == "expiresactive" and entry.finding]


@pytest.mark.parametrize("way", ["RewriteEngine On\nRewriteRule ^/404 /other [R=307]", "Redirect /404.html /other", "RewriteEngine On\nRewriteRule ^/404 - [R=200]",
                                 "<Directory ROOT>\nRewriteEngine On\nRewriteRule ^404 /other [R]\n</Directory>"])
def test_a_redirect_on_the_way_to_the_page_of_an_error(reads: Reads, tmp_path: Path, way: str) -> None:
    lines = f"{ON}\nErrorDocument 403 /404.html\n<Location /dir>\nRequire all denied\n</Location>\n{way}"
    rows = [(method, "www.fernhollow.example", "/dir/x", {}) for method in ("GET", "HEAD", "POST")]
    assert disagreements("apache", httpd(lines).replace("ROOT", str(reads.root)), rows, tmp_path / "asked") == (3, [])
