"""The client's address behind proxies: read, foretold, and written."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads, nginx
from tests.test_apache_reader import httpd
from young_lantern.model import Severity
from young_lantern.translate import translate

TRUSTED = "set_real_ip_from 127.0.0.1; set_real_ip_from 192.0.2.0/24; real_ip_header X-Forwarded-For;"
SENT = "location / { proxy_pass http://192.0.2.50:81; proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for; proxy_set_header X-Client $remote_addr; add_header X-Port $remote_port; }"
DENIED = "location = /denied { deny 203.0.113.7; proxy_pass http://192.0.2.50:81; }"
PROXIED = "ProxyPass / http://192.0.2.50:81/\nHeader always set X-Client expr=%{REMOTE_ADDR}\n<Location /denied>\n<RequireAll>\nRequire all granted\nRequire not ip 203.0.113.7\n</RequireAll>\n</Location>"
CONFIGS = {
    "nearest": ("nginx", nginx(TRUSTED + SENT + DENIED)),
    "walked": ("nginx", nginx(TRUSTED + "real_ip_recursive on;" + SENT + DENIED)),
    "by silence": ("nginx", nginx("set_real_ip_from 127.0.0.0/8;" + SENT)),
    "of nobody": ("nginx", nginx("real_ip_header X-Forwarded-For;" + SENT + DENIED)),
    "internal": ("apache", httpd("RemoteIPHeader X-Forwarded-For\nRemoteIPInternalProxy 127.0.0.0/8 192.0.2\n" + PROXIED)),
    "of everybody": ("apache", httpd("RemoteIPHeader X-Real-IP\n" + PROXIED)),
    "outside": ("apache", httpd("RemoteIPHeader X-Forwarded-For\nRemoteIPTrustedProxy 127.0.0.0/8\nRemoteIPInternalProxy 192.0.2.0/24\n" + PROXIED)),
    "in a file": ("apache", httpd("RemoteIPHeader X-Forwarded-For\nRemoteIPInternalProxyList FOLDER/proxies\n" + PROXIED)),
    "not believed": ("apache", httpd("RemoteIPHeader X-Forwarded-For\nRemoteIPInternalProxy 198.51.100.1\n" + PROXIED)),
}
FIELDS: list[dict[str, str]] = [
    {}, *({"X-Forwarded-For": value} for value in (
        "203.0.113.7", "203.0.113.7, 192.0.2.9", "203.0.113.7,192.0.2.9, 192.0.2.10", "198.51.100.9, 203.0.113.7", "junk", "203.0.113.7, junk, 192.0.2.9", "203.0.113.7:99", "192.0.2.9", "2001:db8::1",
        "10.0.0.5", "10.0.0.5, 203.0.113.7", "172.31.0.1, 192.0.2.9", "172.32.0.1", "fd00::5")),
    {"X-Real-IP": "203.0.113.7", "X-Forwarded-For": "198.51.100.4"},
]


@pytest.mark.parametrize("name", sorted(CONFIGS))
def test_the_server_sees_who_is_foretold(name: str, tmp_path: Path, reads: Reads) -> None:
    dialect, text = CONFIGS[name]
    (tmp_path / "proxies").write_text("# balancers\n127.0.0.1 198.51.100.0/24 # of the other room\n\n192.0.2\n")
    text = text.replace("FOLDER", str(tmp_path))
    rows = [("GET", "www.fernhollow.example", target, fields) for target in ("/", "/denied") for fields in FIELDS]
    asked, wrong = disagreements(dialect, text.replace("ROOT", str(reads.root)), rows, tmp_path / "c")
    assert asked == len(rows)
    assert wrong == []


@pytest.mark.parametrize(
    ("name", "target", "wanted"),
    [
        ("walked", "apache", ["RemoteIPHeader X-Forwarded-For", "RemoteIPInternalProxy 127.0.0.1/32 192.0.2.0/24"]),
        ("internal", "nginx", ["set_real_ip_from 127.0.0.0/8;", "set_real_ip_from 192.0.2.0/24;", "real_ip_header X-Forwarded-For;", "real_ip_recursive on;", "proxy_set_header X-Forwarded-For $remote_addr;"]),
        ("outside", "nginx", ["set_real_ip_from 127.0.0.0/8;", "set_real_ip_from 192.0.2.0/24;"]),
        ("of everybody", "nginx", ["set_real_ip_from 0.0.0.0/0;", "set_real_ip_from ::/0;", "real_ip_header X-Real-IP;"]),
    ],
)
def test_it_is_carried(reads: Reads, name: str, target: str, wanted: list[str]) -> None:
    dialect, text = CONFIGS[name]
    made = translate(reads.write(dialect, text).parent, target)
    written = "\n".join(made.writing.files.values())
    assert [line for line in wanted if line not in written] == []
    # A field that holds no address stays as it is in httpd; nginx sends what it was told in its place, and believes all proxies of private addresses.
    breaking = [cause for cause in made.comparison.causes if cause.severity is Severity.BREAKING and cause.reason.name == "OTHER"]
    told = [cause for cause in breaking if any(value.startswith(("10.", "127.", "::", "fd")) for _, value in cause.example.fields)]
    # nginx has no port of a client whom a proxy names without one, and sends no X-Port then, beside the origin's or without.
    assert [cause.summary for cause in breaking if cause not in told and "unknown becomes none" not in cause.summary and not cause.summary.endswith("(the client's port), of the origin")] == []
    assert bool(told) == (name in ("outside", "of everybody"))


@pytest.mark.parametrize("line", ["RemoteIPTrustedProxyList none-here", "RemoteIPInternalProxy balancer.fernhollow.example"])
def test_proxies_that_are_not_known_are_not_everybody(reads: Reads, line: str) -> None:
    made = translate(reads.write("apache", httpd(f"RemoteIPHeader X-Forwarded-For\n{line}\n{PROXIED}")).parent, "nginx")
    assert "set_real_ip_from" not in "".join(made.writing.files.values())
    assert {entry.disposition.value for entry in made.ledger if "RemoteIP" in entry.span.directive} == {"unsupported"}


def test_whose_word_counts_for_private_addresses_is_said(reads: Reads) -> None:
    made = translate(reads.write("apache", CONFIGS["outside"][1]).parent, "nginx")
    assert "client-private-address" in {item.code.name for item in made.findings}
    assert any("x-client" in cause.summary for cause in made.comparison.causes)
    back = translate(reads.write("nginx", nginx("set_real_ip_from 0.0.0.0/0; real_ip_header X-Real-IP;" + SENT)).parent, "apache")
    assert "RemoteIPInternalProxy 0.0.0.0/1 128.0.0.0/1\n" in "".join(back.writing.files.values())


def test_one_proxy_or_all_of_them_is_said(reads: Reads) -> None:
    """httpd goes on behind a proxy that the field names: the ledger says so, and the comparison shows whom that concerns."""
    made = translate(reads.write("nginx", CONFIGS["nearest"][1]).parent, "apache")
    assert "client-behind-all-proxies" in {item.code.name for item in made.findings}
    assert any("x-client to the origin" in cause.summary for cause in made.comparison.causes)


def test_what_caddy_cannot_say_is_not_silent(reads: Reads) -> None:
    made = translate(reads.write("nginx", CONFIGS["walked"][1]).parent, "caddy")
    assert {entry.disposition.value for entry in made.ledger if "real_ip" in entry.span.directive} == {"unsupported"}
    lost = [cause for cause in made.comparison.causes if cause.severity is Severity.BREAKING and cause.summary.startswith("status: 403 becomes 200")]
    assert any(cause.example.target.startswith("/denied") for cause in lost)


def test_within_a_location_it_is_said_not_to_be_read(reads: Reads) -> None:
    made = translate(reads.write("nginx", nginx("location /a/ { set_real_ip_from 192.0.2.0/24; real_ip_header X-Real-IP; deny 203.0.113.7; root /srv; }")).parent, "apache")
    assert {entry.disposition.value for entry in made.ledger if "real_ip" in entry.span.directive} == {"unsupported"}
