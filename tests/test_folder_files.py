"""`.htaccess` files: which of their lines count, by the model and by the running server; where they are looked for; what is told."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.dialects import named
from young_lantern.dialects.apache import overrides
from young_lantern.errors import LanternError
from young_lantern.lab.live import check_live
from young_lantern.source.places import Places
from young_lantern.translate import read, save, translate

SITE = "http://www.fernhollow.example"
FRONT = "RewriteEngine On\nRewriteCond %{REQUEST_FILENAME} !-f\nRewriteRule ^ index.html [L]"
# What AllowOverride says, the files by folder, a target, the status, and where it leads: a file below the root, a Location, an origin's target.
ROWS = [
    ("All", {"": FRONT}, "/no/such", 200, "/index.html"),
    ("FileInfo", {"": FRONT}, "/no/such", 200, "/index.html"),
    ("None", {"": FRONT}, "/no/such", 404, None),
    ("Indexes", {"": FRONT}, "/no/such", 500, None),
    ("All", {"": FRONT, "dir": "RewriteEngine Off"}, "/dir/none", 404, None),
    ("All", {"": "RewriteEngine On", "dir": "RewriteRule ^old$ new [R=301,L]"}, "/dir/old", 301, SITE + "ROOT/dir/new"),
    ("All", {"dir": "Redirect 301 /dir/old /dir/new"}, "/dir/old", 301, SITE + "/dir/new"),
    ("All", {"dir": "Redirect 301 /dir/old /dir/new"}, "/old", 404, None),
    ("All", {"bare": "Options +Indexes"}, "/bare/", 200, "/bare/"),
    ("AuthConfig", {"bare": "Options +Indexes"}, "/bare/", 500, None),
    ("Options=MultiViews", {"bare": "Options +Indexes"}, "/bare/", 500, None),
    ("Options=Indexes", {"bare": "Options +Indexes"}, "/bare/", 200, "/bare/"),
    ("All Nonfatal=All", {"bare": "DocumentRoot /x\nOptions +Indexes"}, "/bare/", 200, "/bare/"),
    ("All", {"bare": "<Files x.txt>\nRequire all denied\n</Files>"}, "/bare/x.txt", 403, None),
    ("All", {"bare": "<If \"%{REQUEST_METHOD} == 'GET'\">\nRequire all denied\n</If>"}, "/bare/x.txt", 403, None),
    ("All", {"bare": "<If \"%{REQUEST_METHOD} == 'GET'\">\nRequire all denied\n</If>"}, "/a.html", 200, "/a.html"),
    ("All", {"bare": "<Files none.txt>\n<If \"%{REQUEST_METHOD} == 'GET'\">\nRequire all denied\n</If>\n</Files>"}, "/bare/x.txt", 200, "/bare/x.txt"),
    ("Limit", {"bare": "Order allow,deny\nDeny from all"}, "/bare/x.txt", 403, None),
    ("AuthConfig", {"bare": "Require all denied"}, "/bare/x.txt", 403, None),
    ("All", {"": "Require all denied", "bare": "Require all granted"}, "/bare/x.txt", 200, "/bare/x.txt"),
    ("All", {"bare": "ServerAlias x"}, "/bare/x.txt", 500, None),
    ("All", {"bare": "Nonsense on"}, "/bare/x.txt", 500, None),
    ("All", {"bare": "<Files x>\n"}, "/bare/x.txt", 500, None),
    ("All", {"bare": "ServerAlias x"}, "/a.html", 200, "/a.html"),
    ("All", {"bare": "<IfModule mod_of_none.c>\nNonsense on\n</IfModule>"}, "/bare/x.txt", 200, "/bare/x.txt"),
    ("All", {"": "ErrorDocument 404 /404.html"}, "/none", 404, "/404.html"),
    ("All", {"dir": "RewriteEngine On\nRewriteRule ^api/(.*)$ http://192.0.2.5/v1/$1 [P]"}, "/dir/api/x", 200, "/v1/x"),
    ("All", {"dir": "RewriteEngine On\nRewriteRule ^(.*)$ http://192.0.2.5/v1/$1 [P]"}, "/dir/", 200, "/v1/index.html"),
    ("All", {"dir": "RewriteEngine On\nRewriteRule ^(.*)$ http://192.0.2.5/v1/$1 [P]"}, "/dir", 301, SITE + "/dir/"),
]


def _config(override: str, more: str = "") -> str:
    return (
        f"Listen 80\nServerName 127.0.0.1\n<Directory ROOT>\nAllowOverride {override}\nRequire all granted\n</Directory>\n{more}\n"
        "<VirtualHost *:80>\nServerName www.fernhollow.example\nDocumentRoot ROOT\n</VirtualHost>\n"
    )


def _put(reads: Reads, files: dict[str, str], name: str = ".htaccess") -> None:
    for folder, text in files.items():
        (reads.root / folder / name).write_text(text)


@pytest.mark.parametrize(("override", "files", "target", "status", "leads"), ROWS)
def test_what_such_a_file_may_say(
    reads: Reads, override: str, files: dict[str, str], target: str, status: int, leads: str | None
) -> None:
    """The model's answer is the expected one, and the server's is the model's."""
    _put(reads, files)
    text = _config(override)
    outcome = reads.decide("apache", text, target)
    found = (
        (outcome.file or "").removeprefix(str(reads.root))
        or (outcome.location or "").replace(str(reads.root), "ROOT")
        or (outcome.origin and outcome.origin.target)
    )
    assert (outcome.status, found or None) == (status, leads), outcome.trace
    rows = [("GET", "www.fernhollow.example", target, {})]
    asked, wrong = disagreements("apache", text.replace("ROOT", str(reads.root)), rows, reads.folder / "asked")
    assert (asked, wrong) == (1, [])


def test_the_table_of_what_is_permitted_is_the_servers(tmp_path: Path) -> None:
    """`apache2 -L` lists, for each directive, what AllowOverride must say; directives of modules that are not in its stock are left out."""
    modules = sorted(Path("/usr/lib/apache2/modules").glob("mod_*.so"))
    unwanted = ("mpm_", "dbd", "ldap", "lua", "bucketeer", "ident", "md", "reflector", "speling")
    lines = [f'ServerName localhost\nErrorLog "{tmp_path}/error.log"\nDefaultRuntimeDir "{tmp_path}"']
    for path in modules:
        name = path.stem.removeprefix("mod_")
        if not name.startswith(unwanted) and not any(part in name for part in ("dbd", "ldap")):
            lines.append(f"LoadModule {name}_module {path}")
    lines.append("LoadModule mpm_event_module /usr/lib/apache2/modules/mod_mpm_event.so")
    main = tmp_path / "all.conf"
    main.write_text("\n".join(lines) + "\n")
    listed = subprocess.run(["apache2", "-L", "-f", str(main)], capture_output=True, text=True, check=False).stdout
    said: dict[str, set[str]] = {}
    name = ""
    for line in listed.splitlines():
        if not line.startswith("\t"):
            name = line.split(" ")[0].lower()
        elif found := re.search(r"when AllowOverride (?:includes (.*)|isn't None)", line):
            said.setdefault(name, set()).update(re.split(r" or |, ", found[1].lower()) if found[1] else {overrides.ANY})
    assert len(said) > 200
    known = {name: set(classes) for name, classes in overrides.CLASSES.items()}
    assert {name: classes for name, classes in said.items() if known.get(name) != classes} == {}


def test_other_names_and_other_places(reads: Reads, tmp_path: Path) -> None:
    """AccessFileName; a copy of a whole machine; a folder that is named."""
    _put(reads, {"": "Redirect 410 /a.html"}, ".rules")
    assert reads.decide("apache", _config("All", "AccessFileName .rules"), "/a.html").status == 410
    assert reads.decide("apache", _config("All"), "/a.html").status == 200

    copy = tmp_path / "copy"
    (copy / "etc/apache2").mkdir(parents=True)
    (copy / "srv/www").mkdir(parents=True)
    (copy / "srv/www/.htaccess").write_text("Redirect 410 /a.html")
    text = _config("All").replace("ROOT", "/srv/www")
    (copy / "etc/apache2/apache2.conf").write_text(text)
    request = request_for(SITE + "/a.html")
    assert decide(read(copy / "etc/apache2").estate, request, real_files()).status == 410

    alone = tmp_path / "alone"
    alone.mkdir()
    (alone / "httpd.conf").write_text(text)
    named_so = read(alone, files=(("/srv/www", copy / "srv/www"),))
    assert decide(named_so.estate, request, real_files()).status == 410
    assert Places((("/srv", copy / "srv"),)).find("/srv/www/none") is None


def test_folders_that_are_not_here_are_told(reads: Reads) -> None:
    source = reads.write("apache", _config("All").replace("ROOT", "/srv/nowhere"))
    translation = translate(source.parent, "caddy")
    told = [entry for entry in translation.ledger if entry.span.directive == "AllowOverride All"]
    assert [entry.disposition.value for entry in told] == ["unsupported"] and ".htaccess" in told[0].reason
    assert [item.code.name for item in translation.findings if "nowhere" in item.message] == ["htaccess-not-seen"]
    silent = translate(reads.write("apache", _config("None").replace("ROOT", "/srv/nowhere")).parent, "caddy")
    assert not [item for item in silent.findings if item.code.name == "htaccess-not-seen"]


def test_lines_are_accounted_for(reads: Reads) -> None:
    """Each line has its entry, under the file's own name; a refused one says what it costs."""
    _put(reads, {"": "Header set X-A 1\nErrorDocument 404 /404.html", "bare": "ServerAlias x\nHeader set X-B 1"})
    translation = translate(reads.write("apache", _config("All")).parent, "nginx")
    found = {
        (Path(entry.span.file).name, entry.span.directive): entry.disposition.value
        for entry in translation.ledger
        if entry.span.file.endswith(".htaccess")
    }
    assert found == {
        (".htaccess", "Header set X-A 1"): "kept",
        (".htaccess", "ErrorDocument 404 /404.html"): "kept",
        (".htaccess", "ServerAlias x"): "unsupported",
        (".htaccess", "Header set X-B 1"): "implied",
    }
    assert "return 500;" in "".join(translation.writing.files.values())


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_a_front_controller_becomes_what_one_would_write(reads: Reads, tmp_path: Path, target: str) -> None:
    _put(reads, {"": FRONT})
    source = reads.write(
        "apache",
        _config("All").replace("Listen 80\n", "Listen 80\n<FilesMatch ^\\.ht>\nRequire all denied\n</FilesMatch>\n"),
    )
    translation = translate(source.parent, target)
    text = "\n".join(translation.writing.files.values())
    wanted = {"nginx": "try_files $uri /index.html;", "caddy": "try_files {path} /index.html"}[target]
    assert wanted in text and "470" not in text, text
    save(translation.writing.files, tmp_path / "out")
    after = read(tmp_path / "out", target)
    live = check_live(read(source.parent), after, most=120)
    assert not live.surprises and len(live.rows) == 120


def test_a_copy_never_asks_what_the_file_names(reads: Reads) -> None:
    """The origins in such files are moved like all others; the files themselves are left alone."""
    text = "RewriteEngine On\nRewriteRule ^ http://192.0.2.5/ [P]\n"
    _put(reads, {"dir": text})
    reading = reads.read("apache", _config("All"))
    from young_lantern.lab.ports import free_port
    from young_lantern.source.plan import Plan

    plan = Plan(reads.folder / "moved", free_port)
    named("apache").move(reading, plan)  # type: ignore[misc]
    moved = Path(plan.path(str(reads.root))) / "dir/.htaccess"
    assert "192.0.2.5" in plan.origins.__str__() and "192.0.2.5" not in moved.read_text()
    assert (reads.root / "dir/.htaccess").read_text() == text


def test_a_folder_named_wrongly_is_said(reads: Reads) -> None:
    from young_lantern.cli.choices import places

    with pytest.raises(LanternError, match="no such folder"):
        places([f"/srv/www={reads.root}/none"])


@pytest.mark.parametrize("line", ["Header set X-A 1", "RewriteEngine On", "<IfModule none.c>\nOptions None\n</IfModule>", "<Files x>\n</Files>", "# a comment"])
def test_files_that_nothing_is_said_of(reads: Reads, tmp_path: Path, line: str) -> None:
    """Without any AllowOverride they are read, and whatever stands in them is an error: the manual says that they are not."""
    (reads.root / "dir" / ".htaccess").write_text(f"{line}\n")
    text = httpd("")
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/dir/", "/dir/index.html", "/a.html")]
    estate = reads.read("apache", text).estate
    statuses = [decide(estate, request_for(f"http://www.fernhollow.example{path}"), real_files()).status for _, _, path, _ in rows]
    assert statuses == ([200, 200, 200] if line.startswith("#") else [500, 500, 200])
    assert disagreements("apache", text.replace("ROOT", str(reads.root)), rows, tmp_path / "copy") == (3, [])
