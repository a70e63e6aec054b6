"""What a site calls itself in redirects: httpd's `UseCanonicalName` and `ServerName` with scheme and port, nginx's `server_name_in_redirect` and `port_in_redirect`."""

from __future__ import annotations

from pathlib import Path

import pytest

import young_lantern
from tests.support.conformance import disagreements
from young_lantern.behaviour.differences import Severity

OFF, NAME, PHYSICAL = "", "UseCanonicalName On\n", "UseCanonicalPhysicalPort On\n"


def located(tmp_path: Path, text: str, url: str, name: str = "httpd.conf") -> str | None:
    (tmp_path / name).write_text(text)
    return young_lantern.trace(young_lantern.read(tmp_path / name), url).location


# ServerName, lines, and the Location that httpd 2.4.71 answered to a client which named the host a2.example:8080 on that port.
@pytest.mark.parametrize(("named", "lines", "location"), [
    ("a.example", OFF, "http://a2.example:8080/new"),
    ("a.example:90", OFF, "http://a2.example:8080/new"),
    ("https://a.example", OFF, "https://a2.example:8080/new"),
    ("a.example", PHYSICAL, "http://a2.example:8080/new"),
    ("a.example", NAME, "http://a.example/new"),
    ("a.example:90", NAME, "http://a.example:90/new"),
    ("a.example", NAME + PHYSICAL, "http://a.example:8080/new"),
    ("a.example:90", NAME + PHYSICAL, "http://a.example:90/new"),
    ("https://a.example", NAME, "https://a.example/new"),
    ("https://a.example:9443", NAME, "https://a.example:9443/new"),
])
@pytest.mark.parametrize("line", ["Redirect /r /new", "RewriteEngine On\nRewriteRule ^/r$ /new [R,L]", "RewriteEngine On\nRewriteRule ^/r$ http://%{SERVER_NAME}/new [R,L]"])
def test_httpd_at_another_port(tmp_path: Path, named: str, lines: str, location: str, line: str) -> None:
    text = f"Listen 8080\n<VirtualHost *:8080>\nServerName {named}\nServerAlias a2.example\n{lines}{line}\n</VirtualHost>\n"
    if "SERVER_NAME" in line:
        location = f"http://{location.split('/')[2].split(':')[0]}/new"
    assert located(tmp_path, text, "http://a2.example:8080/r") == location


@pytest.mark.parametrize("name", ["www.fernhollow.example", "www.fernhollow.example:9000", "https://www.fernhollow.example", "https://www.fernhollow.example:9443", "http://www.fernhollow.example:80"])
@pytest.mark.parametrize("lines", [OFF, NAME])
def test_httpd_is_asked(tmp_path: Path, name: str, lines: str) -> None:
    """Redirects, added slashes, variables and conditions, by a name that is an alias."""
    tmp_path.chmod(0o755)
    (tmp_path / "dir").mkdir()
    text = f"""Listen 80
ServerName 127.0.0.1
<Directory {tmp_path}>
Require all granted
</Directory>
<VirtualHost *:80>
ServerName {name}
ServerAlias loans.fernhollow.example
DocumentRoot {tmp_path}
{lines}Redirect /r /new
RewriteEngine On
RewriteRule ^/w /new [R,L]
RewriteCond %{{HTTPS}}%{{REQUEST_SCHEME}} (.*)
RewriteRule ^/c /%1 [R,L]
RewriteRule ^/s http://%{{SERVER_NAME}}:%{{SERVER_PORT}}/ [R,L]
<If "%{{REQUEST_SCHEME}} == 'https'">
Header set X-Front secure
</If>
</VirtualHost>
"""
    asked = [("GET", "loans.fernhollow.example", path, {}) for path in ("/r/x", "/w", "/c", "/s", "/dir", "/none")]
    assert disagreements("apache", text, asked, tmp_path) == (6, [])


def test_what_nobody_here_knows_is_told(tmp_path: Path) -> None:
    for lines in ("ServerName a.example\nUseCanonicalName DNS", "UseCanonicalName On", "ServerName a.example\n<Location />\nUseCanonicalName On\n</Location>"):
        (tmp_path / "httpd.conf").write_text(f"Listen 80\n<VirtualHost *:80>\n{lines}\nRedirect /r /new\n</VirtualHost>\n")
        found = young_lantern.read(tmp_path / "httpd.conf").findings
        assert [item.code.name for item in found if item.code.name == "value-unread"] == ["value-unread"], lines


NGINX = "events {}\nhttp {\nserver { listen 127.0.0.1:80; server_name www.fernhollow.example loans.fernhollow.example; root ROOT; LINES\nlocation /r { return 301 /new; }\nlocation /w { rewrite ^ /new redirect; }\nlocation /p { PLACE return 302 /np; } }\n}\n"


@pytest.mark.parametrize(("lines", "place"), [
    ("server_name_in_redirect on;", ""), ("server_name_in_redirect on;", "server_name_in_redirect off;"), ("port_in_redirect off;", ""), ("server_name_in_redirect on; port_in_redirect off;", "absolute_redirect off;"),
    ("", "server_name_in_redirect on; port_in_redirect off;"),
])
def test_nginx_is_asked(tmp_path: Path, lines: str, place: str) -> None:
    tmp_path.chmod(0o755)
    (tmp_path / "dir").mkdir()
    text = NGINX.replace("ROOT", str(tmp_path)).replace("LINES", lines).replace("PLACE", place)
    asked = [("GET", "loans.fernhollow.example", path, {}) for path in ("/r/x", "/w", "/p", "/dir")]
    assert disagreements("nginx", text, asked, tmp_path) == (4, [])


@pytest.mark.parametrize("lines", ["", "proxy_redirect off;", "proxy_redirect http://192.0.2.9:81/ /z/;", "proxy_redirect ~^http://[^/]+/(.*)$ /p/$1;", "proxy_redirect / /q/;", "absolute_redirect off;", "server_name_in_redirect off;"])
@pytest.mark.parametrize("around", ["", "server_name_in_redirect on;"])
def test_redirects_of_an_origin_that_become_paths_have_it_in_front_as_well(tmp_path: Path, around: str, lines: str) -> None:
    place = "location %s {{ proxy_pass http://192.0.2.9:81%s; {lines} }}\n"
    text = (f"events {{}}\nhttp {{\nserver {{ listen 80; server_name www.fernhollow.example loans.fernhollow.example; {around}\n"
            + (place % ("/app/", "/")).format(lines=lines) + (place % ("/v", "")).format(lines=lines) + "}\n}\n")
    asked = [("GET", "loans.fernhollow.example", path, {"Lantern-Answer": answer}) for path in ("/app/x", "/v/x") for answer in ("302 self", "302 /rel", "302 rel")]
    assert disagreements("nginx", text, asked, tmp_path) == (len(asked), [])


# Names, lines, and the front that nginx 1.22.1 sent on port 8081.
@pytest.mark.parametrize(("names", "lines", "front"), [
    ("a.example a2.example", "server_name_in_redirect on;", "http://a.example:8081"),
    ("*.a2.example a2.example", "server_name_in_redirect on;", "http://*.a2.example:8081"),
    ("a2.example", "port_in_redirect off;", "http://a2.example"),
    ("A.Example a2.example", "server_name_in_redirect on; port_in_redirect off;", "http://a.example"),
])
def test_nginx_at_another_port(tmp_path: Path, names: str, lines: str, front: str) -> None:
    text = f"events {{}}\nhttp {{\nserver {{ listen 8081; server_name {names}; {lines} location /r {{ return 301 /new; }} }}\n}}\n"
    assert located(tmp_path, text, "http://a2.example:8081/r", "nginx.conf") == f"{front}/new"


def translated(tmp_path: Path, name: str, text: str, target: str) -> tuple[str, list[str]]:
    (tmp_path / name).write_text(text)
    made = young_lantern.translate(tmp_path / name, to=target)
    return "\n".join(made.writing.files.values()), [item.what for cause in made.comparison.of(Severity.BREAKING) for item in cause.differences]


def test_names_move_along(tmp_path: Path) -> None:
    """Redirects as whole URLs; the slash of folders by the target's own setting, where it has one."""
    httpd = "Listen 80\n<VirtualHost *:80>\nServerName a.example\nServerAlias a2.example\nDocumentRoot /srv/a\nUseCanonicalName On\nRedirect /r /new\n</VirtualHost>\n"
    files, breaking = translated(tmp_path, "httpd.conf", httpd, "nginx")
    assert "server_name_in_redirect on;" in files and "://a.example/new" in files
    assert not [what for what in breaking if "location" in what]
    nginx = "events {}\nhttp {\nserver { listen 80; server_name a.example a2.example; root /srv/a; server_name_in_redirect on; location /r { return 301 /new; } }\n}\n"
    files, breaking = translated(tmp_path, "nginx.conf", nginx, "apache")
    assert "UseCanonicalName On" in files and "://a.example/new" in files
    assert not [what for what in breaking if "location" in what]


def test_https_that_a_proxy_speaks(tmp_path: Path) -> None:
    httpd = "Listen 80\n<VirtualHost *:80>\nServerName https://a.example\nDocumentRoot /srv/a\nRedirect /r /new\nProxyPass /app/ http://127.0.0.1:9000/\nProxyPassReverse /app/ http://127.0.0.1:9000/\n</VirtualHost>\n"
    files, _ = translated(tmp_path, "httpd.conf", httpd, "nginx")
    assert "https://$http_host/new" in files and "https://$http_host/app/" in files and "absolute_redirect off;" in files


def test_a_site_on_several_ports_is_no_matter_of_names(tmp_path: Path) -> None:
    """Nothing to tell where the client's own words are sent back, whatever ports there are."""
    for lines in ("ServerName a.example", "ServerName a.example:80", "UseCanonicalName Off\nServerName a.example"):
        (tmp_path / "httpd.conf").write_text(f"Listen 80\nListen 443\nListen 8080\n{lines}\nRedirect /r /new\n")
        reading = young_lantern.read(tmp_path / "httpd.conf")
        assert not reading.findings
        assert young_lantern.trace(reading, "http://a.example:8080/r").location == "http://a.example:8080/new"
