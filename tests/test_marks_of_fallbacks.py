"""nginx: the fallback of `try_files`, completed, is parted at its first question mark, which variables may bring; and what gives one variable its value, `set` or a pattern."""

from __future__ import annotations

from pathlib import Path

from tests.support.conformance import disagreements

PLACES = r"""location /a/ { try_files $uri /x$request_uri; }
location /b/ { try_files $uri /x$request_uri?k=v; }
location /c/ { try_files $uri /x$uri?k=v; }
location /d/ { try_files $uri /x$uri?$args; }
location ~ ^/e/(.*)$ { try_files $uri /x/$1; }
location /f/ { try_files $uri /x?u=$uri; }
location /g/ { try_files $uri /x$arg_p; }
location /x { return 302 http://h/?uri=$uri&args=$args; }
location /p { if ($query_string ~ "id=(\d+)") { set $id $1; return 301 /item/$id; } return 404; }
location ~ ^/item/(?<id>\d+)$ { return 200 "item $id"; }
location ~ ^/j/(?<id>\d+)$ { set $id "x$id"; return 302 /r/$id; }
location ~ ^/k/(?<id>\d+)$ { set $id y; if ($uri ~ (?<id>9)) { return 302 /s/$id; } return 302 /r/$id; }
"""
TARGETS = ("/a/n /a/n?q=1 /a/n?q=1?z /a/%20n?q=%20 /a/n? /b/n /b/n?q=1 /b/n? /c/n /c/n?q=1 /c/n%3Fz?q=1 /d/n%3Fz?q=1 /e/n%3Fz /e/n%3Fz?q=1 /f/n%3Fz /g/n?p=/y?z /g/n?p=%3F"
           " /p?id=0 /p/?id=0 /p/?id=12&b=3 /item/7 /j/4 /k/4 /k/9").split()


def test_the_model_foretells_nginx(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    text = f"events {{}}\nhttp {{ server {{ listen 80; server_name www.fernhollow.example;\nroot {tmp_path};\n{PLACES}}} }}\n"
    rows = [("GET", "www.fernhollow.example", target, {}) for target in TARGETS]
    assert disagreements("nginx", text, rows, tmp_path / "asked") == (len(rows), [])
