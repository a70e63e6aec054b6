"""Configurations as Debian's packages lay them out, with a site of ours in them: read from a copy, translated, and asked live."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from tests.support.reading import Reads
from young_lantern.behaviour import Request, decide, real_files
from young_lantern.errors import SourceUnreadable
from young_lantern.lab.live import check_live
from young_lantern.translate import read, translate

HTTPD_SITE = """
<VirtualHost *:80>
	ServerName www.fernhollow.example
	DocumentRoot FILES/app
	Header always set Strict-Transport-Security "max-age=31536000" env=HTTPS
	Header always set X-Content-Type-Options nosniff
	Header set X-Frame-Options SAMEORIGIN
	ProxyPreserveHost On
	ProxyPass /api/ws ws://192.0.2.1:8181/ws
	ProxyPass /api/ http://192.0.2.1:8181/v1/
	ProxyPassReverse /api/ http://192.0.2.1:8181/v1/
	Alias /static FILES/static
	<Directory FILES>
		Require all granted
	</Directory>
	<Directory FILES/app>
		FallbackResource /index.html
	</Directory>
	<Location /static>
		ExpiresActive On
		ExpiresDefault "access plus 7 days"
	</Location>
	<FilesMatch "\\.(js|css)$">
		Header set Cache-Control "public, max-age=3600"
	</FilesMatch>
</VirtualHost>
"""
NGINX_SITE = """
upstream api { server 192.0.2.1:8181; keepalive 16; }
map $http_upgrade $connection_upgrade { default upgrade; '' close; }
server {
	listen 80 default_server;
	server_name www.fernhollow.example;
	root FILES/app;
	include snippets/fernhollow-fields.conf;
	location / { try_files $uri $uri/ /index.html; }
	location ~* \\.(?:js|css|svg)$ { expires 30d; add_header Cache-Control "public, immutable"; }
	location /static/ { alias FILES/static/; }
	location /api/ { proxy_pass http://api/v1/; include proxy_params; }
	location /ws { proxy_pass http://api; proxy_http_version 1.1; proxy_set_header Upgrade $http_upgrade; proxy_set_header Connection $connection_upgrade; }
	location ~ /\\.(?!well-known) { deny all; }
}
"""
HTTPD_SHOP = """
<FilesMatch ".+\\.ph(?:ar|p|tml)$">
	SetHandler "proxy:unix:/run/php/php-fpm.sock|fcgi://localhost"
</FilesMatch>
<FilesMatch "^\\.ph(?:ar|p|ps|tml)$">
	Require all denied
</FilesMatch>
SetEnvIfNoCase ^Authorization$ "(.+)" HTTP_AUTHORIZATION=$1
<VirtualHost *:80>
	ServerName www.fernhollow.example
	DocumentRoot FILES/shop
	DirectoryIndex index.php index.html
	<Directory FILES/shop>
		AllowOverride All
		Require all granted
	</Directory>
</VirtualHost>
"""
HTACCESS = """
RewriteEngine On
RewriteBase /
RewriteRule ^index\\.php$ - [L]
RewriteCond %{REQUEST_FILENAME} !-f
RewriteCond %{REQUEST_FILENAME} !-d
RewriteRule . /index.php [L]
"""
NGINX_SHOP = """
server {
	listen 80;
	server_name www.fernhollow.example;
	root FILES/shop;
	index index.php index.html;
	client_max_body_size 64M;
	location / { try_files $uri $uri/ /index.php?$args; }
	location ~ \\.php$ { include snippets/fastcgi-php.conf; fastcgi_pass unix:/run/php/php-fpm.sock; }
	location ~ /\\.ht { deny all; }
}
"""
FIELDS = "add_header X-Content-Type-Options nosniff always;\n"
MODULES = ("proxy", "proxy_http", "proxy_wstunnel", "headers", "expires", "rewrite")


def _files(folder: Path) -> Path:
    for name in ("app/index.html", "app/main.js", "static/logo.svg", "static/a.css", "static/plain", "shop/index.php", "shop/basket/add.php", "shop/readme.html"):
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(name)
    return folder


@pytest.fixture
def httpd_copy(tmp_path: Path) -> Path:
    copy = tmp_path / "apache2"
    shutil.copytree("/etc/apache2", copy, symlinks=True)
    for module in MODULES:
        link = copy / "mods-enabled" / f"{module}.load"
        if not link.is_symlink():
            link.symlink_to(f"../mods-available/{module}.load")
    for site in (copy / "sites-enabled").iterdir():
        site.unlink()
    (copy / "sites-enabled" / "fernhollow.conf").write_text(HTTPD_SITE.replace("FILES", str(_files(tmp_path / "www"))))
    return copy


@pytest.fixture
def nginx_copy(tmp_path: Path) -> Path:
    copy = tmp_path / "nginx"
    shutil.copytree("/etc/nginx", copy, symlinks=True)
    for site in (copy / "sites-enabled").iterdir():
        site.unlink()
    (copy / "sites-available" / "fernhollow").write_text(NGINX_SITE.replace("FILES", str(_files(tmp_path / "www"))))
    (copy / "sites-enabled" / "fernhollow").symlink_to("../sites-available/fernhollow")
    (copy / "snippets" / "fernhollow-fields.conf").write_text(FIELDS)
    return copy


def _lives(source: Path, target: str) -> dict[str, str]:
    made = translate(source, target)
    live = check_live(made.reading, made.read_back, most=150)
    assert len(live.rows) == 150
    assert [f"{row.request}: {row.between} {row.defects}" for row in live.surprises] == []
    return {name: text for name, text in made.writing.files.items() if name.startswith("sites/")}


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_httpd_as_packaged(httpd_copy: Path, target: str) -> None:
    sites = "".join(_lives(httpd_copy, target).values())
    assert "types {" not in sites and "470" not in sites and ".var" not in sites
    # What holds for a path is said once, and nothing is asked that the path has said already.
    assert sites.count("604800" if target == "caddy" else "7d") <= 3
    if target == "nginx":
        assert "expires $expires_by_path;" in sites and "proxy_set_header Upgrade $http_upgrade;" in sites


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_nginx_as_packaged(nginx_copy: Path, target: str) -> None:
    sites = "".join(_lives(nginx_copy, target).values())
    assert "application/octet-stream" in sites


def _posts(source: Path, target: str) -> list[tuple[int | None, bool]]:
    """What becomes of a form that is sent to a program, a page of its own, and the front page: status, and whether the program is asked."""
    made = translate(source, target)
    facts = real_files(Path)
    rows = [Request("POST", "http", "www.fernhollow.example", 80, path) for path in ("/basket/add.php", "/basket/3", "/")]
    return [(outcome.status, outcome.origin is not None) for row in rows for outcome in [decide(made.read_back.estate, row, facts)]]


@pytest.mark.parametrize("target", ["nginx", "caddy"])
def test_httpd_with_an_application(httpd_copy: Path, tmp_path: Path, target: str) -> None:
    (httpd_copy / "sites-enabled" / "fernhollow.conf").write_text(HTTPD_SHOP.replace("FILES", str(tmp_path / "www")))
    (tmp_path / "www" / "shop" / ".htaccess").write_text(HTACCESS)
    (httpd_copy / "mods-enabled" / "proxy_fcgi.load").symlink_to("../mods-available/proxy_fcgi.load")
    assert _posts(httpd_copy, target) == [(200, True)] * 3
    assert "nokeepalive" not in "".join(_lives(httpd_copy, target).values())


@pytest.mark.parametrize("target", ["apache", "caddy"])
def test_nginx_with_an_application(nginx_copy: Path, tmp_path: Path, target: str) -> None:
    (nginx_copy / "sites-available" / "fernhollow").write_text(NGINX_SHOP.replace("FILES", str(tmp_path / "www")))
    assert _posts(nginx_copy, target) == [(200, True)] * 3
    _lives(nginx_copy, target)


def test_plain_http_on_the_port_of_tls_is_told(httpd_copy: Path) -> None:
    """ports.conf opens 443 as soon as mod_ssl is loaded, with or without a host for it; Caddy takes no such address."""
    for module in ("ssl", "socache_shmcb"):
        (httpd_copy / "mods-enabled" / f"{module}.load").symlink_to(f"../mods-available/{module}.load")
    made = translate(httpd_copy, "caddy")
    assert "unsupported" in [entry.disposition.value for entry in made.ledger if entry.span.directive == "Listen 443"]
    assert "443" not in "".join(made.writing.files.values())


def test_a_copy_is_read_from_where_it_is(nginx_copy: Path) -> None:
    """Its includes name the folder that it was copied from, and this machine has one of that name, too."""
    assert "include /etc/nginx/sites-enabled" in (nginx_copy / "nginx.conf").read_text()
    reading = read(nginx_copy)
    assert "sites-enabled/fernhollow" in reading.texts
    assert not [name for name in reading.texts if name.startswith("/")]
    assert not [finding for finding in reading.findings if finding.code.name == "include-from-elsewhere"]


@pytest.mark.parametrize(
    ("dialect", "main", "included"),
    [
        ("apache", "Listen 80\nServerName 127.0.0.1\nIncludeOptional ELSEWHERE/*.conf\n", "<VirtualHost *:80>\nServerName www.fernhollow.example\nRedirect 410 /\n</VirtualHost>\n"),
        ("nginx", "events {}\nhttp { include ELSEWHERE/*.conf; }\n", "server { listen 80; server_name www.fernhollow.example; return 410; }\n"),
        ("caddy", "import ELSEWHERE/*.conf\n", "http://www.fernhollow.example {\n\trespond 410\n}\n"),
    ],
)
def test_sites_that_lie_elsewhere_are_moved_as_well(reads: Reads, tmp_path: Path, dialect: str, main: str, included: str) -> None:
    """A live copy that included them where they are would open their own ports."""
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    (elsewhere / "fernhollow.conf").write_text(included)
    reading = reads.read(dialect, main.replace("ELSEWHERE", str(elsewhere)))
    live = check_live(reading, reading, most=10)
    assert live.rows and not live.surprises


def test_what_is_read_from_this_machine_all_the_same_is_told(reads: Reads) -> None:
    reading = reads.read("nginx", "events {}\nhttp { include /etc/nginx/mime.types; server { listen 80; } }\n")
    assert [finding.code.name for finding in reading.findings if finding.span and finding.span.line == 2] == ["include-from-elsewhere"]


def test_an_import_of_a_copied_folder(tmp_path: Path) -> None:
    (tmp_path / "sites").mkdir()
    (tmp_path / "sites" / "fernhollow.caddy").write_text("http://www.fernhollow.example {\n\trespond fine\n}\n")
    (tmp_path / "Caddyfile").write_text("import /etc/caddy/sites/*\n")
    reading = read(tmp_path)
    assert list(reading.texts) == ["Caddyfile", "sites/fernhollow.caddy"]
    live = check_live(reading, reading, most=10)
    assert live.rows and not live.surprises


@pytest.mark.parametrize("whole_machine", [False, True])
def test_what_lies_elsewhere_is_found_where_the_engineer_says_or_in_a_copy_of_the_whole_machine(tmp_path: Path, whole_machine: bool) -> None:
    """What a client of a certificate authority writes is included by its whole name; the copy that runs on loopback has to find it, too."""
    home = tmp_path / ("machine/etc/nginx" if whole_machine else "copied")
    beside = tmp_path / ("machine/etc/fernhollow-tls" if whole_machine else "tls")
    home.mkdir(parents=True)
    beside.mkdir(parents=True)
    (beside / "options.conf").write_text("ssl_protocols TLSv1.3;\n")
    (home / "nginx.conf").write_text(
        "events {}\nhttp {\n  include /etc/fernhollow-tls/*.conf;\n  include /etc/fernhollow-tls/options.conf;\n"
        "  server { listen 80; server_name www.fernhollow.example; return 410; }\n}\n")
    files = () if whole_machine else (("/etc/fernhollow-tls", beside),)
    if not whole_machine:
        with pytest.raises(SourceUnreadable, match=r"there is no such file; .*--files-at /etc/fernhollow-tls=FOLDER") as caught:
            read(home)
        assert (caught.value.file, caught.value.line) == ("nginx.conf", 4)
    reading = read(home, files=files)
    assert "/etc/fernhollow-tls/options.conf" in reading.texts
    assert not [finding for finding in reading.findings if finding.code.name == "include-from-elsewhere"]
    live = check_live(reading, reading, most=5)
    assert live.rows and not live.surprises
