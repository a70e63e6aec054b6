"""Which site answers: ports that virtual hosts name or do not, stars in names of hosts; and what redirects name; asked of the running servers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for

HOSTS = ("www.fernhollow.example", "loans.fernhollow.example", "desk.fernhollow.example", "other.example")


def virtual_hosts(*places: str) -> str:
    blocks = (f"<VirtualHost {place}>\nServerName {name}\nRedirect 302 / http://{number}.example/\n</VirtualHost>" for number, (place, name) in enumerate(zip(places, HOSTS, strict=False), 1))
    return httpd("").split("<VirtualHost")[0] + "\n".join(blocks)


# Places of virtual hosts -> which of them answers each host.
PLACES = {
    ("*:80", "*"): "1111", ("*", "*:80"): "2222", ("*", "*:80", "*:*"): "2222", ("*:80", "*", "*:80"): "1131", ("_default_:80", "*:80", "_default_"): "1211", ("*:81", "*:80", "*"): "2222",
    ("*", "*:*"): "1211", ("*:81", "*"): "2222",
}  # fmt: skip


@pytest.mark.parametrize("places", PLACES)
def test_who_names_the_port_keeps_out_who_does_not(reads: Reads, tmp_path: Path, places: tuple[str, ...]) -> None:
    text = virtual_hosts(*places)
    reading = reads.read("apache", text)
    locations = [decide(reading.estate, request_for(f"http://{host}/"), real_files()).location or "" for host in HOSTS]
    assert "".join(location[7:8] for location in locations) == PLACES[places]
    assert disagreements("apache", text, [("GET", host, "/", {}) for host in HOSTS], tmp_path / "asked") == (len(HOSTS), [])
    told = [finding.span.line for finding in reading.findings if finding.code.name == "port-named-elsewhere" and finding.span is not None]
    assert len(told) == (sum(place in ("*", "*:*", "_default_") for place in places) if any(place.endswith(":80") for place in places) else 0)


@pytest.mark.parametrize(("places", "answers"), [(("127.0.0.1",), "1111"), (("127.0.0.1", "127.0.0.1:80"), "2222"), (("127.0.0.1:80", "127.0.0.1"), "1111"), (("*:80", "127.0.0.1"), "2222"), (("192.0.2.7", "*:80"), "2222")])
def test_an_address_without_a_port_is_for_any(reads: Reads, tmp_path: Path, places: tuple[str, ...], answers: str) -> None:
    """The last number of an address is no port."""
    text = virtual_hosts(*places).replace("Listen 80", "Listen 127.0.0.1:80", 1)
    reading = reads.read("apache", text)
    assert "port-not-open" not in [finding.code.name for finding in reading.findings]
    locations = [decide(reading.estate, request_for(f"http://{host}/"), real_files()).location or "" for host in HOSTS]
    assert "".join(location[7:8] for location in locations) == answers
    assert disagreements("apache", text, [("GET", host, "/", {}) for host in HOSTS], tmp_path / "asked") == (len(HOSTS), [])
    told = [finding.span for finding in reading.findings if finding.code.name == "port-named-elsewhere"]
    assert len(told) == ("127.0.0.1" in places and "127.0.0.1:80" in places)


@pytest.mark.parametrize("star", ["*.*.fernhollow.example", "www.*.example", "*.fernhollow.*", "*", "a.*"])
def test_a_star_that_is_not_the_first_label_of_several_is_told(reads: Reads, star: str) -> None:
    """Caddy takes each for one label: `http://*` is no site for all hosts."""
    address = reads.read("caddy", f"http://{star} {{\nrespond a\n}}\nhttp:// {{\nrespond b\n}}\n")
    assert "value-unread" in [finding.code.name for finding in address.findings]
    matcher = reads.read("caddy", f"http:// {{\n@named host {star}\nrespond @named a\nrespond b\n}}\n")
    assert "condition-unread" in [finding.code.name for finding in matcher.findings]
    assert decide(matcher.estate, request_for("http://www.fernhollow.example/"), real_files()).gave_up


def test_a_virtual_host_without_a_name_has_the_main_servers(tmp_path: Path) -> None:
    """So that it answers before one that is called so behind it."""
    hosts = "".join(f"<VirtualHost *:80>\n{name}\nRedirect {status} /\n</VirtualHost>\n" for name, status in (
        ("ServerName first.example", 410), ("ServerAlias other.example", 403), ("ServerName main.fernhollow.example", 404)))
    rows = [("GET", f"{name}.example", "/x", {}) for name in ("main.fernhollow", "other", "first", "unknown")]
    assert disagreements("apache", f"Listen 80\nServerName main.fernhollow.example\n{hosts}", rows, tmp_path) == (4, [])
