"""httpd: a line that asks for an answer's type sees what the lines before it have made of it, and no more."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.conformance import disagreements
from tests.support.reading import Reads
from tests.test_apache_reader import httpd
from young_lantern.model import Severity
from young_lantern.translate import translate

AGE = 'Header set Cache-Control "no-cache" "expr=%{CONTENT_TYPE} =~ m#^text/css#"\n'
TYPE = 'Header set Content-Type "text/css" "expr=-z %{CONTENT_TYPE}"\n'


@pytest.mark.parametrize("lines", [AGE + TYPE, TYPE + AGE, AGE + 'ExpiresActive On\nExpiresByType text/css "access plus 1 minute"\n' + TYPE, TYPE])
def test_the_order_of_the_lines_counts(tmp_path: Path, lines: str) -> None:
    tmp_path.chmod(0o755)
    (tmp_path / "tools").mkdir()
    (tmp_path / "tools" / "saw").write_text("saw")
    text = httpd(lines, "TypesConfig /dev/null").replace("ROOT", str(tmp_path / "tools"))
    rows = [("GET", "www.fernhollow.example", path, {}) for path in ("/saw", "/none")]
    assert disagreements("apache", text, rows, tmp_path / "asked") == (2, [])


def test_a_default_type_comes_before_what_asks_for_it(reads: Reads) -> None:
    """nginx knows the type of a file whose name says nothing of it when ages are looked up."""
    nginx = "events {}\nhttp {\nmap $sent_http_content_type $age { default off; text/css -1; }\ntypes { text/html html; } default_type text/css;\nserver { listen 80; root /srv/tools; expires $age; }\n}\n"
    made = translate(reads.write("nginx", nginx), "apache")
    text = "".join(made.writing.files.values())
    assert text.index("Header set Content-Type") < text.index("Header set Cache-Control")
    assert not [item for cause in made.comparison.of(Severity.BREAKING) for item in cause.differences if item.what == "field cache-control"]
