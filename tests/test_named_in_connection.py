"""Fields that a client names in Connection: who passes them on to the origin, and what of the server's own is lost with them."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements

FIELDS = {"X-Hop": "a", "X-Stays": "b", "Cookie": "c=1", "X-Forwarded-For": "198.51.100.9"}
NAMED = ("close, X-Hop", "x-hop,X-Forwarded-For", "Cookie, x-rule, X-Own, Host", '"X-Hop"', "keep-alive")
CONFIGS = {
    "nginx": "events {}\nhttp {\nserver { listen 80; location / { proxy_pass http://192.0.2.7:81; proxy_set_header X-Own 1; proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for; } }\n}\n",
    "apache": "Listen 80\nServerName 127.0.0.1\nRequestHeader set X-Rule 1\nProxyPass / http://192.0.2.7:81/\n",
    "caddy": "{\n\tauto_https off\n}\nhttp:// {\n\trequest_header X-Rule 1\n\treverse_proxy 192.0.2.7:81 {\n\t\theader_up X-Own 1\n\t}\n}\n",
}


@pytest.mark.parametrize("dialect", CONFIGS)
def test_each_server_is_asked(tmp_path: Path, dialect: str) -> None:
    asked = [("GET", "www.fernhollow.example", "/x", {**FIELDS, "Connection": named}) for named in NAMED]
    assert disagreements(dialect, CONFIGS[dialect], asked, tmp_path) == (len(asked), [])
