"""Whom an address lets in without saying who he is, where a file test follows: one answer of both, with the servers as judges."""

from __future__ import annotations

from pathlib import Path

from tests.support.reading import Reads, nginx
from young_lantern.behaviour import Request, decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import read, save, translate

ANY = """root ROOT;
location @app { proxy_pass http://192.0.2.3:80; proxy_set_header Host $host; }
location / { try_files $uri @app; }
location /dir { satisfy any; allow 192.0.2.0/24; deny all; auth_basic "Staff"; auth_basic_user_file FILE; try_files $uri @app; }"""


def test_known_addresses_and_passwords_before_a_fallback(reads: Reads, tmp_path: Path) -> None:
    (tmp_path / "users").write_text("desk:{PLAIN}lantern\n")
    text = nginx(ANY.replace("FILE", str(tmp_path / "users")))
    made = translate(reads.write("nginx", text), "apache")
    assert not [str(entry.span) for entry in made.ledger if entry.disposition.value == "unsupported"]
    written = "".join(made.writing.files.values())
    assert "<RequireAny>" in written and "Require ip 192.0.2.0/24" in written and written.count("Require valid-user") == 1
    for client, status in (("192.0.2.7", 200), ("198.51.100.7", 401)):
        asked = request_for("http://www.fernhollow.example/dir/x", client=client)
        assert [decide(estate, asked, real_files()).status for estate in (made.reading.estate, made.read_back.estate)] == [status, status]
    save(made.writing.files, tmp_path / "new")
    assert not check_live(made.reading, read(tmp_path / "new", "apache"), most=250).surprises


def test_pages_of_one_place_stay_in_it(reads: Reads, tmp_path: Path) -> None:
    """Caddy has one table of errors for a site: an error elsewhere must not be answered by a place's page, nor by the files beside it."""
    text = nginx("""root ROOT;
    location /thumb/ { proxy_pass http://192.0.2.3:80; proxy_intercept_errors on; error_page 404 = @none; }
    location @none { root ROOT/dir; try_files /index.html =404; }
    location /bare/ { error_page 404 /404.html; error_page 403 /a.html; }
    location ~ /\\. { return 404; }""")
    made = translate(reads.write("nginx", text), "caddy")
    assert not [item for item in made.findings if item.code.name == "error-page-partly"]
    assert made.writing.files["sites/www.fernhollow.example.caddy"].count("vars errors_of") == 5
    for path, status, file in (("/.x", 404, None), ("/none", 404, None), ("/bare/none", 404, "/404.html"), ("/style.css", 200, "/style.css")):
        found = [decide(estate, request_for(f"http://www.fernhollow.example{path}"), real_files()) for estate in (made.reading.estate, made.read_back.estate)]
        assert [(outcome.status, (outcome.file or "").removeprefix(str(reads.root)) or None) for outcome in found] == [(status, file), (status, file)]
    intercepted = request_for("http://www.fernhollow.example/thumb/x", fields={"Lantern-Answer": "404"})
    assert [decide(estate, intercepted, real_files()).file for estate in (made.reading.estate, made.read_back.estate)] == [f"{reads.root}/dir/index.html"] * 2
    save(made.writing.files, tmp_path / "new")
    more = [Request("GET", "http", "www.fernhollow.example", 80, path) for path in ("/.x", "/bare/none", "/none")]
    assert not check_live(made.reading, read(tmp_path / "new", "caddy"), requests=more, most=300).surprises


def test_two_slashes_name_the_same_file(reads: Reads) -> None:
    """`$uri/index.html` of `/` has two, and the file is there all the same."""
    text = nginx("root ROOT; location @app { proxy_pass http://192.0.2.3:80; } location / { try_files $uri/index.html $uri @app; }")
    assert decide(reads.read("nginx", text).estate, request_for("http://www.fernhollow.example/"), real_files()).file == f"{reads.root}/index.html"
    for target in ("apache", "caddy"):
        made = translate(reads.write("nginx", text), target)
        assert not [cause for cause in made.comparison.causes if cause.example.target == "/" and any(item.what == "answered by" for item in cause.differences)]


def test_a_page_that_is_missing_where_missing_files_have_a_page(reads: Reads, tmp_path: Path) -> None:
    """A rule's 404 on the way to a page is an error of its own in httpd; when its page is missing, too, the first error is what goes out (2.4.71, probed)."""
    text = nginx(
        "root ROOT; location / { try_files $uri =404; } location /shop/ { proxy_pass http://192.0.2.9:80/; proxy_intercept_errors on; error_page 503 =200 /sorry.html; }",
        "error_page 404 /404.html;",
    )
    made = translate(reads.write("nginx", text), "apache")
    asked = request_for("http://www.fernhollow.example/shop/x", fields={"Lantern-Answer": "503"})
    for there, status in ((True, 404), (False, 503)):
        if not there:
            (reads.root / "404.html").unlink()
        outcome = decide(made.read_back.estate, asked, real_files())
        assert (outcome.status, bool(outcome.file)) == (status, there)
        requests = [Request("GET", "http", "www.fernhollow.example", 80, "/shop/x", (("Lantern-Answer", "503"),))]
        assert not check_live(made.reading, made.read_back, requests=requests, most=250).surprises
