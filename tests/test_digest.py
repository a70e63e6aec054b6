"""httpd, credentials by digest: who is let in is foretold, asked of the server with proofs, and closed where no server asks so."""

from __future__ import annotations

import hashlib
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

HOST = "www.fernhollow.example"
LINES = 'AuthType Digest\nAuthName "tools"\nAuthUserFile USERS\n'
PATHS = ("/a.html", "/dir/", "/dir", "/dir/none", "/")


def _users(reads: Reads) -> str:
    path = reads.folder / "digests"
    path.write_text("".join(f"{name}:{realm}:{hashlib.md5(f'{name}:{realm}:oak'.encode()).hexdigest()}\n" for name, realm in (("rowan", "tools"), ("willow", "tools"), ("hazel", "other"))))
    return str(path)


def _asked(*paths: str) -> list[tuple[str, str, str, dict[str, str]]]:
    says = [{}, *({"Authorization": said} for said in ('Digest username="rowan"', 'Digest username="willow"', 'Digest username="hazel"', 'Digest username="nobody"', "Basic cm93YW46bGFudGVybg==", "Digest"))]
    return [("GET", HOST, path, fields) for path in paths for fields in says]


@pytest.mark.parametrize("lines", [
    f"<Location /dir>\n{LINES}Require valid-user\n</Location>",
    f"<Directory ROOT/dir>\n{LINES}AuthDigestProvider file\nAuthDigestAlgorithm MD5\nAuthDigestDomain /dir/ /bare/\nRequire user rowan\n</Directory>",
    f"<Location />\n{LINES}<RequireAny>\nRequire valid-user\nRequire method GET\n</RequireAny>\n</Location>",
    f"ProxyPass /dir/ http://192.0.2.7:81/\n<Location /dir>\n{LINES}Require valid-user\n</Location>",
    f"ErrorDocument 401 /404.html\n<Location /dir>\n{LINES}Require user willow\n</Location>",
])
def test_who_is_let_in_by_digest(reads: Reads, tmp_path: Path, lines: str) -> None:
    text = httpd(lines).replace("USERS", _users(reads)).replace("ROOT", str(reads.root))
    rows = _asked(*PATHS)
    assert disagreements("apache", text, rows, tmp_path / "asked") == (len(rows), [])


@pytest.mark.parametrize("around", ["", "<Location />\n{}</Location>\n"])
@pytest.mark.parametrize("indexes", ["first.html index.html", "index.html first.html", "first.html"])
def test_an_index_file_that_nobody_is_asked_for(reads: Reads, tmp_path: Path, around: str, indexes: str) -> None:
    """Who has not been asked has nothing to prove a password with: the next index file is sent to him."""
    root = tmp_path / "tools"
    root.mkdir()
    tmp_path.chmod(0o755)
    for name in ("first.html", "index.html"):
        (root / name).write_text(name)
    own = LINES.replace("USERS", _users(reads)) + "Require valid-user\n"
    text = httpd(f"DocumentRoot {root}\nDirectoryIndex {indexes}\n{around.format(own)}<Files first.html>\n{own}</Files>").replace("ROOT", str(root))
    asked = _asked("/", "/first.html", "/index.html")
    assert disagreements("apache", text, asked, tmp_path / "asked") == (len(asked), [])


def test_what_is_asked_for(reads: Reads) -> None:
    text = httpd(f"<Location /dir>\n{LINES}Require user rowan\n</Location>").replace("USERS", _users(reads))
    refused = reads.decide("apache", text, "/dir/")
    assert refused.status == 401
    assert dict(refused.fields)["www-authenticate"] == 'Digest realm="tools", nonce="(a number that the server asks with)", algorithm=MD5, qop="auth"'
    assert [reads.decide("apache", text, "/dir/", fields={"Authorization": f'Digest username="{name}"'}).status for name in ("rowan", "willow", "hazel")] == [200, 401, 401]


def test_the_realm_is_a_part_of_what_is_known(reads: Reads) -> None:
    text = httpd(f"<Location /dir>\n{LINES}Require valid-user\n</Location>").replace("USERS", _users(reads))
    assert [reads.decide("apache", text, "/dir/", fields={"Authorization": f'Digest username="{name}"'}).status for name in ("willow", "hazel")] == [200, 401]


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_no_other_server_asks_so(reads: Reads, target: str) -> None:
    text = httpd(f"<Location /dir>\n{LINES}Require valid-user\n</Location>").replace("USERS", _users(reads)).replace("ROOT", str(reads.root))
    made = translate(reads.write("apache", text), target)
    assert [entry.span.directive for entry in made.ledger if entry.disposition.value == "unsupported"] == ["Require valid-user"]
    live = check_live(made.reading, made.read_back, most=60)
    assert live.rows and not live.surprises
    assert {outcome.status for outcome in (reads.decide("apache", text, "/dir/"),)} == {401}


def test_a_kind_of_digest_that_is_not_read_is_closed(reads: Reads) -> None:
    text = httpd(f"<Location /dir>\n{LINES}AuthDigestProvider dbd\nRequire valid-user\n</Location>").replace("USERS", _users(reads))
    assert reads.decide("apache", text, "/dir/").gave_up
