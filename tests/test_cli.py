"""The command, as a user calls it: what it prints where, its exit status, and that it leaves nothing half done."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from html.parser import HTMLParser
from pathlib import Path

import jsonschema
import pytest

from tests.support.reading import nginx
from young_lantern.report.documents import schema

SIMPLE = nginx("root /srv/nowhere; location /a/ { return 204; }")


def lantern(*words: object, cwd: Path | None = None, path: str | None = None) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "COLUMNS": "120", **({"PATH": path} if path is not None else {})}
    return subprocess.run(
        [sys.executable, "-c", "from young_lantern.cli import main; main()", *map(str, words)],
        capture_output=True,
        text=True,
        cwd=cwd,
        env=environment,
        timeout=300,
        check=False,
    )


@pytest.fixture
def source(tmp_path: Path) -> Path:
    folder = tmp_path / "before"
    folder.mkdir()
    (folder / "nginx.conf").write_text(SIMPLE)
    return folder


def fails(done: subprocess.CompletedProcess[str], words: str) -> None:
    """One clear line on standard error, status 2, nothing on standard output."""
    assert done.returncode == 2, done
    assert done.stdout == ""
    assert done.stderr.startswith("lantern: ") and done.stderr.count("\n") == 1, done.stderr
    assert words in done.stderr


def test_help_and_version() -> None:
    done = lantern()
    assert done.returncode == 0
    assert [name for name in ("survey", "trace", "translate", "compare", "demo") if name not in done.stdout] == []
    assert lantern("--version").stdout.startswith("lantern 0.")
    assert "--files-at" in lantern("trace", "--help").stdout


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["nonesuch"], "No such command"),
        (["survey"], "Missing argument"),
        (["survey", "x", "--nonesuch"], "No such option"),
        (["translate", "x", "--to", "caddy"], "Missing option"),
        (["compare", "x", "y", "--most", "0"], "--most"),
    ],
)
def test_wrong_words(words: list[str], said: str) -> None:
    fails(lantern(*words), said)


# what stands in the source folder, and what is said of it
BAD = [
    ({}, "has no httpd.conf or apache2.conf or conf/httpd.conf or Caddyfile or nginx.conf"),
    ({"nginx.conf": "http {\n  server {\n"}, "nginx.conf:3: unexpected end of file; expected '}'"),
    ({"nginx.conf": "events {}\n"}, "nginx.conf:1: has no http block"),
    ({"nginx.conf": "http {\n include nginx.conf;\n}"}, "nginx.conf:2: the include of nginx.conf leads back to itself"),
    ({"nginx.conf": "a\0b"}, "nginx.conf: is a binary file"),
    ({"Caddyfile": "a {\n"}, "Caddyfile:2: "),
    (
        {"nginx.conf": "http {\n\n include gone.conf;\n}"},
        "nginx.conf:3: included file gone.conf: there is no such file",
    ),
    ({"nginx.conf": ""}, "nginx.conf:1: has no http block"),
    ({"Caddyfile": ""}, "Caddyfile:1: has no site"),
    ({"nginx.conf": 'http { a "b; }'}, "nginx.conf:1: "),
    ({"nginx.conf": "x {" * 100}, "nested deeper"),
    ({"nginx.conf": "http { #" + "x" * 9_000_000 + "\n}"}, "larger than 8 MiB"),
]


@pytest.mark.parametrize(("files", "said"), BAD, ids=[row[1][:40] for row in BAD])
def test_unreadable_sources(tmp_path: Path, files: dict[str, str], said: str) -> None:
    source = tmp_path / "s"
    source.mkdir()
    for name, text in files.items():
        (source / name).write_text(text)
    fails(lantern("survey", source), said)
    fails(lantern("translate", source, "--to", "caddy", "--out", tmp_path / "out"), said)
    assert not (tmp_path / "out").exists()


def test_other_bad_input(source: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    fails(lantern("survey", tmp_path / "none"), "there is no such file or folder")
    fails(
        lantern("survey", source, "--dialect", "nonesuch"),
        "there is no dialect 'nonesuch'; there are apache, caddy, nginx",
    )
    fails(lantern("translate", source, "--to", "nonesuch", "--out", out), "there is no dialect 'nonesuch'")
    (tmp_path / "notes.txt").write_text("nothing\n")
    fails(lantern("survey", tmp_path / "notes.txt"), "not recognised as any dialect")
    full = tmp_path / "full"
    full.mkdir()
    (full / "kept").write_text("kept")
    fails(lantern("translate", source, "--to", "caddy", "--out", full), "is not empty")
    assert [path.name for path in full.iterdir()] == ["kept"]
    fails(lantern("translate", source, "--to", "caddy", "--out", tmp_path / "notes.txt"), "is a file, not a folder")
    fails(lantern("translate", source, "--to", "caddy", "--out", "/proc/nowhere/out"), "cannot be written")
    fails(lantern("trace", source, "ftp://x/"), "http or https")
    fails(lantern("trace", source, "http://x/", "--field", "nocolon"), "NAME:VALUE")
    fails(lantern("trace", source, "http://x/", "--client", "nobody"), "is no address")
    fails(lantern("trace", source, "http://x/", "--files-at", "here"), "ROOT=FOLDER")
    fails(lantern("compare", source, source, "--requests", tmp_path / "none"), "there is no such file")
    assert not out.exists()
    assert not [path for path in tmp_path.iterdir() if path.name.startswith(".lantern")]


def test_survey_shows_names_as_they_are_written(tmp_path: Path) -> None:
    """Brackets of a pattern are no markup for the terminal."""
    name = "~^(?<branch>[a-z]+)\\.preview\\.fernhollow\\.example$"
    (tmp_path / "nginx.conf").write_text(f"events {{}}\nhttp {{\nupstream desk[a] {{ server 192.0.2.1; }}\nserver {{\nlisten 80;\nserver_name \"{name}\";\nlocation / {{ proxy_pass http://desk[a]; }}\n}}\n}}\n")
    shown = lantern("survey", tmp_path).stdout
    assert shown.count(name) >= 2


def test_survey(sample: tuple[Path, Path]) -> None:
    done = lantern("survey", sample[0])
    assert done.returncode == 0 and done.stderr == ""
    for words in (
        "loans.fernhollow.example",
        "0.0.0.0:443",
        "least connections",
        "192.0.2.23:8080 (backup)",
        "/etc/ssl/fernhollow/chain.pem",
        "sites-available/newsletter is there but not enabled",
        "(refused)",
    ):
        assert words in done.stdout
    document = json.loads(lantern("survey", sample[0], "--json").stdout)
    jsonschema.validate(document, schema("survey"))
    assert document["inactive"] == ["sites-available/newsletter"]
    assert {site["key"] for site in document["sites"]} >= {"media.fernhollow.example", "www.fernhollow.example (TLS)"}


def test_trace(sample: tuple[Path, Path]) -> None:
    words = (
        "trace",
        sample[0],
        "https://www.fernhollow.example/catalogue/deep",
        "--files-at",
        f"/srv/fernhollow={sample[1]}",
    )
    done = lantern(*words)
    assert done.returncode == 0
    assert "sites-enabled/www:29" in done.stdout and "file: /srv/fernhollow/www/catalogue/index.html" in done.stdout
    document = json.loads(lantern(*words, "--json").stdout)
    jsonschema.validate(document, schema("trace"))
    assert document["outcome"]["status"] == 200
    posted = json.loads(
        lantern(
            "trace",
            sample[0],
            "https://loans.fernhollow.example/staff/",
            "--method",
            "post",
            "--client",
            "203.0.113.9",
            "--json",
        ).stdout
    )
    assert (posted["request"]["method"], posted["outcome"]["status"]) == ("POST", 403)


def test_translate(sample: tuple[Path, Path], tmp_path: Path) -> None:
    out = tmp_path / "new" / "caddy"
    done = lantern("translate", sample[0], "--to", "caddy", "--out", out, "--report", tmp_path / "r.html", "--json")
    assert done.returncode == 1  # some directives are not carried
    assert done.stderr == f"The new configuration is in {out}.\n"
    document = json.loads(done.stdout)
    jsonschema.validate(document, schema("translation"))
    assert sorted(path.relative_to(out).as_posix() for path in out.rglob("*") if path.is_file()) == document["files"]
    assert "Caddyfile" in document["files"] and document["counts"]["unsupported"] == 4
    again = lantern("translate", sample[0], "--to", "caddy", "--out", out, "--force")
    assert again.returncode == 1 and "not carried" in again.stdout and "sites-enabled/workshops:20" in again.stdout
    assert again.stderr == done.stderr
    _check_page((tmp_path / "r.html").read_text())


@pytest.mark.parametrize(("target", "left", "text"), [("caddy", "sites/old.caddy", "http://old.fernhollow.example {\n}\n"), ("nginx", "sites/old.conf", "server { listen 81; }\n"), ("apache", "sites/old.conf", "Listen 81\n")])
def test_what_was_there_before_and_is_read_with_it_is_told(tmp_path: Path, target: str, left: str, text: str) -> None:
    """The new configuration takes in all files of its folder of sites: one of a site that had another name would go on answering."""
    source, out = tmp_path / "nginx.conf", tmp_path / "new"
    source.write_text("events {}\nhttp { server { listen 80; server_name www.fernhollow.example; return 204; } }\n")
    (out / left).parent.mkdir(parents=True)
    (out / left).write_text(text)
    (out / "notes.txt").write_text("of no dialect\n")
    done = lantern("translate", source, "--to", target, "--out", out, "--force")
    assert f"{out / left} was there before, and is read with it" in done.stderr and "notes.txt" not in done.stderr
    (out / left).write_text("</VirtualHost>\n" if target == "apache" else "no { such")
    broken = lantern("translate", source, "--to", target, "--out", out, "--force")
    assert broken.returncode == 2 and "with what was there before" in broken.stderr and left in broken.stderr


def _check_page(text: str) -> None:
    """Well formed, no script, nothing from outside, every link leads somewhere."""

    class Reader(HTMLParser):
        ids: set[str] = set()
        links: set[str] = set()
        open: list[str] = []

        def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
            values = dict(attrs)
            assert tag not in ("script", "iframe", "img", "link", "object")
            assert not any(name.startswith("on") or name == "src" for name in values)
            self.ids.add(values.get("id") or "")
            if tag == "a":
                self.links.add(values["href"] or "")
            if tag not in ("meta", "br"):
                self.open.append(tag)

        def handle_endtag(self, tag: str) -> None:
            assert self.open.pop() == tag

    reader = Reader()
    reader.feed(text)
    assert reader.open == []
    assert all(link.startswith("#") for link in reader.links)
    assert {link[1:] for link in reader.links} <= reader.ids
    assert "url(" not in text and "@import" not in text
    for words in (
        "limit_req zone=reservations",
        "try_files {path} /catalogue/index.html",
        "not carried",
        "sites-enabled/loans:23",
    ):
        assert words in text


def test_pages_quote_what_they_show(tmp_path: Path) -> None:
    from young_lantern.report.page import page
    from young_lantern.translate import translate

    (tmp_path / "nginx.conf").write_text(nginx("return 200 '<script>alert(1)</script>';"))
    assert "<script>alert" not in page(translate(tmp_path, "caddy"))


def test_compare(source: Path, tmp_path: Path) -> None:
    other = tmp_path / "after"
    other.mkdir()
    (other / "nginx.conf").write_text(SIMPLE.replace("204", "205"))
    same, differs = lantern("compare", source, source), lantern("compare", source, other)
    assert (same.returncode, differs.returncode) == (0, 1)
    assert "0 breaking and 0 minor" in same.stdout
    assert "status: 204 becomes 205" in differs.stdout and "nginx.conf:7 -> nginx.conf:7" in differs.stdout
    requests = tmp_path / "r.jsonl"
    requests.write_text('{"url": "http://www.fernhollow.example/a/x"}\n{"url": "http://www.fernhollow.example/b"}\n')
    document = json.loads(lantern("compare", source, other, "--requests", requests, "--json").stdout)
    jsonschema.validate(document, schema("comparison"))
    assert [[item["what"] for item in pair["differences"]] for pair in document["pairs"]] == [["status"], []]
    assert [pair["after"]["status"] for pair in document["pairs"]] == [205, 200]


def test_compare_says_which_lines_nobody_reads(tmp_path: Path) -> None:
    """Two configurations that decide alike are not the same for that: a line that is not read may make any difference."""
    made = "events {}\nhttp {\n  server { listen 80; server_name www.fernhollow.example; mirror /copy;%s }\n}\n"
    for name, more in (("one", ""), ("same", ""), ("other", "\n    image_filter test;")):
        (tmp_path / name).mkdir()
        (tmp_path / name / "nginx.conf").write_text(made % more)
    same, differs = lantern("compare", tmp_path / "one", tmp_path / "same"), lantern("compare", tmp_path / "one", tmp_path / "other")
    assert (same.returncode, differs.returncode) == (0, 1)
    assert "both have them alike: 1 line" in same.stdout
    assert "of the second configuration" in differs.stdout and "nginx.conf:4  image_filter test" in differs.stdout
    document = json.loads(lantern("compare", tmp_path / "other", tmp_path / "one", "--json").stdout)
    jsonschema.validate(document, schema("comparison"))
    assert [row["at"]["line"] for row in document["unread"]["before"]] == [4]
    assert (document["unread"]["after"], document["unread"]["both"]) == ([], 1)


def test_compare_live(source: Path, tmp_path: Path) -> None:
    out = tmp_path / "caddy"
    lantern("translate", source, "--to", "caddy", "--out", out)
    done = lantern("compare", source, out, "--live", "--most", "80", "--json")
    live = json.loads(done.stdout)["live"]
    assert live["servers"][0].startswith("nginx/") and live["servers"][1].startswith("caddy/")
    assert live["asked"] == 80 and live["surprises"] == []
    assert "Asking both servers" in done.stderr


def test_a_missing_server_is_named_with_its_package(
    source: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from young_lantern.errors import ServerMissing
    from young_lantern.lab import servers

    monkeypatch.setattr(servers, "_PLACES", str(tmp_path))
    with pytest.raises(ServerMissing, match="caddy is not installed; on Debian the package caddy brings it"):
        servers.find("caddy")


def test_the_demo_says_which_server_is_missing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from young_lantern.cli import story
    from young_lantern.lab import servers

    monkeypatch.setattr(servers, "_PLACES", str(tmp_path))
    assert story.tell(tmp_path / "out", force=False, model_only=False, as_json=False) == 0
    said = capsys.readouterr().out
    assert "By the model alone: the servers were not asked: nginx is not installed; on Debian the package" in said


def test_demo_without_and_with_servers(tmp_path: Path) -> None:
    """By the model alone it says so; with the servers, both agree with what was foretold. Both leave the same four things."""
    model = lantern("demo", "--out", tmp_path / "model", "--model-only")
    assert model.returncode == 0 and "By the model alone" in model.stdout
    done = lantern("demo", cwd=tmp_path)
    assert done.returncode == 0, done.stdout + done.stderr
    assert "0 otherwise" in done.stdout and len(done.stdout.splitlines()) < 40
    for folder in ("model", "fernhollow-moved"):
        assert sorted(path.name for path in (tmp_path / folder).iterdir()) == [
            "after",
            "before",
            "report.html",
            "translation.json",
        ]
        jsonschema.validate(json.loads((tmp_path / folder / "translation.json").read_text()), schema("translation"))
    fails(lantern("demo", cwd=tmp_path), "is not empty")


def test_support() -> None:
    """A directive in words, all of them as JSON, and a misspelt one with the likely one."""
    done = lantern("support", "proxy_pass")
    assert done.returncode == 0 and "proxy_pass  (nginx: if, limit_except, location)" in done.stdout
    assert "to caddy   kept" in done.stdout
    whole = lantern("support", "--dialect", "caddy")
    assert "caddy -> nginx:" in whole.stdout and "reverse_proxy" in whole.stdout
    rows = json.loads(lantern("support", "--json").stdout)
    jsonschema.validate(rows, schema("support"))
    assert {row["dialect"] for row in rows} == {"nginx", "apache", "caddy", "tomcat"}
    assert all(row["dialect"] not in row["to"] and row["to"] for row in rows)
    found = [row["to"] for row in rows if (row["directive"], row["context"]) == ("access_log", "server")]
    assert found == [{"apache": "changed", "caddy": "changed"}]
    fails(lantern("support", "proxy_pas"), "did you mean proxy_pass?")


def test_translate_to_nginx(tmp_path: Path) -> None:
    """A Caddyfile with a defect of its own becomes nginx files, with what is to be done by hand; exit status 1."""
    (tmp_path / "Caddyfile").write_text("www.fernhollow.example {\n\troot * /srv/www\n\tfile_server\n}\n")
    done = lantern("translate", tmp_path, "--to", "nginx", "--out", tmp_path / "new", "--json")
    assert done.returncode == 1
    jsonschema.validate(json.loads(done.stdout), schema("translation"))
    assert {path.relative_to(tmp_path / "new").as_posix() for path in (tmp_path / "new").rglob("*.*")} >= {
        "nginx.conf",
        "mime.types",
        "sites/www.fernhollow.example.conf",
    }
    assert "certificate-to-issue" in done.stdout


def test_causes_alike_on_several_hosts_are_shown_once(tmp_path: Path) -> None:
    """The first in full, the others by their hosts and lines; the document has them all."""
    hosts = ("www", "shop", "loans")
    sites = "\n".join(
        f"server {{ listen 80; server_name {host}.fernhollow.example; location /gone {{ return 301 https://{host}.fernhollow.example/$said; }} }}" for host in hosts
    )
    main = tmp_path / "nginx.conf"
    main.write_text(f"events {{}}\nhttp {{\nmap $status $said {{ 200 well; default badly; }}\n{sites}\n}}\n")
    shown = " ".join(lantern("translate", main, "--to", "caddy", "--out", tmp_path / "new").stdout.split())
    assert shown.count("status: 301 becomes 501") == 1
    assert "2 causes more like it: http://shop.fernhollow.example (nginx.conf:5), http://loans.fernhollow.example (nginx.conf:6); --json lists them" in shown
    causes = json.loads(lantern("compare", main, tmp_path / "new", "--json").stdout)["causes"]
    moved = [cause for cause in causes if [(item["before"], item["after"]) for item in cause["differences"]] == [("301", "501")]]
    assert len({cause["places"][0]["after"]["file"] for cause in moved}) == len(moved) == len(hosts)
