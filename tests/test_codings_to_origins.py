"""Whether origins are asked for packed answers: Caddy's proxy asks for gzip by itself where nothing else is asked for."""

from __future__ import annotations

import pytest

from tests.support.reading import Reads, caddy, nginx
from tests.test_apache_reader import httpd
from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.lab.live import check_live
from young_lantern.translate import translate


@pytest.mark.parametrize(
    ("dialect", "text", "off"),
    [
        ("nginx", nginx("location / { proxy_pass http://192.0.2.1:81; proxy_set_header Accept-Encoding ''; }"), True),
        ("nginx", nginx("location / { proxy_pass http://192.0.2.1:81; }"), False),
        ("apache", httpd("RequestHeader unset Accept-Encoding\nProxyPass / http://192.0.2.1:81/"), True),
        ("apache", httpd("ProxyPass / http://192.0.2.1:81/"), False),
    ],
)
def test_what_was_not_asked_for(reads: Reads, dialect: str, text: str, off: bool) -> None:
    made = translate(reads.write(dialect, text), "caddy", dialect=dialect)
    assert ("compression off" in "".join(made.writing.files.values())) is off
    assert ("origin-asked-for-gzip" in {item.code.name for item in made.findings}) is not off
    live = check_live(made.reading, made.read_back, requests=[request_for("http://www.fernhollow.example/x", fields={"Accept-Encoding": "br"})], most=60)
    assert not live.surprises


@pytest.mark.parametrize(("transport", "sent"), [("", "gzip"), ("transport http {\ncompression off\n}", "")])
def test_caddys_own(reads: Reads, transport: str, sent: str) -> None:
    """By the model and by the server."""
    reading = reads.read("caddy", caddy(f"reverse_proxy 192.0.2.1:81 {{\nheader_up -Accept-Encoding\n{transport}\n}}"))
    request = request_for("http://www.fernhollow.example/x", fields={"Accept-Encoding": "br"})
    origin = decide(reading.estate, request, real_files()).origin
    assert origin is not None and dict(origin.fields)["accept-encoding"] == sent
    assert not check_live(reading, reading, requests=[request], most=40).surprises
