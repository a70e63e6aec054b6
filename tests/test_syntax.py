"""Text -> tree -> text is identity, in every dialect; what is no configuration is one clear error with its line."""

from __future__ import annotations

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from tests.support.generate_apache import ApacheSource
from tests.support.generate_caddy import CaddySource
from tests.support.generate_nginx import NginxSource
from tests.test_conformance import content_of_the_package
from young_lantern.dialects.apache import syntax as apache
from young_lantern.dialects.caddy import syntax as caddy
from young_lantern.dialects.nginx import syntax as nginx
from young_lantern.errors import SourceUnreadable

NGINX_TEXTS = [
    "",
    "\n",
    "# only a comment",
    "events {}\nhttp { }\n",
    "a b  c;d e;",
    "a \"b c\" 'd;e' f\\;g;",
    "a\t{\r\n b;\r\n}\r\n",
    "a { b { c { d; } } } # end",
    'location ~ "^/x{2}$" { return 200 "a;b{c}"; }',
    "listen ${PORT};",
    "proxy_pass http://{{ app_host }}:80;",
    'x "{{ a }}";  # tail\n\n',
    "a b#c;",
]
CADDY_TEXTS = [
    "",
    "\n",
    "# only a comment\n",
    "a.example\nrespond hi\n",
    'a.example, b.example {\n\trespond "a b" 200\n}\n',
    "{\n\tadmin off\n}\n:80 {\n}\n",
    "(s) {\n\theader X 1\n}\na {\n\timport s\n}\n",
    'a {\n  respond `raw "text"` # why\n\n  @m path /x*\n}\n',
    "a {\n\trespond {$NAME:def} {{ x }}\n}\n",
    "a {\n\treverse_proxy b \\\n\t\tc\n}\n",
    "a,\nb {\n}\n",
    "a {\r\n\trespond hi\r\n}\r\n",
    "a {\n\tpath_regexp x ^/a{2}\\.png$\n}\n",
]


APACHE_TEXTS = [
    "",
    "\n",
    "# only a comment",
    "Listen 80\nServerName x",
    "<Directory /srv>\n  Require all granted\n</Directory>\n# end\n",
    "<IfModule !mod_x.c>\n<Location />\n</Location>\n</IfModule>\n",
    'Header set X-A "a \\"b\\" c"\r\nAlias /x /y\r\n',
    "RewriteCond %{HTTP_HOST} ^a [NC,\\\n  OR]\nRewriteRule ^ \\\n  /x [L]\n",
    "<VirtualHost *:80 [2001:db8::1]:80 >\n</virtualhost>",
    "ProxyPass / http://${ORIGIN}/  \n\n",
]


@pytest.mark.parametrize("text", APACHE_TEXTS + [ApacheSource(seed, "/srv").text for seed in range(5)])
def test_apache_prints_back(text: str) -> None:
    assert apache.print_file(apache.parse(text, "x")) == text


@pytest.mark.parametrize("text", NGINX_TEXTS + [NginxSource(seed, "/srv").text for seed in range(5)])
def test_nginx_prints_back(text: str) -> None:
    assert nginx.print_file(nginx.parse(text, "x")) == text


@pytest.mark.parametrize("text", CADDY_TEXTS + [CaddySource(number, "/srv").text for number in range(5)])
def test_caddy_prints_back(text: str) -> None:
    assert caddy.print_file(caddy.parse(text, "x")) == text


@pytest.mark.parametrize("module", [nginx, caddy, apache], ids=["nginx", "caddy", "apache"])
# Other examples with each content of the package, so that one content has one result.
@seed(int(content_of_the_package()[:12], 16))
@settings(max_examples=300, database=None, deadline=None)
@given(
    text=st.text(alphabet=st.sampled_from("ab{};#\"'`\\ \n\t$/~@*().<>") | st.characters(codec="utf-8"), max_size=60)
)
def test_any_text_prints_back_or_is_refused(module, text: str) -> None:  # type: ignore[no-untyped-def]
    """Any text gives a tree that prints back, or one error with a line."""
    try:
        file = module.parse(text, "x")
    except SourceUnreadable as error:
        assert error.line and 1 <= error.line <= text.count("\n") + 1
    else:
        assert module.print_file(file) == text


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("http {\n  server {\n", 3, "expected '}'"),
        ("a;\n}\n", 2, "unexpected '}'"),
        ("a b\n", 1, "expected ';' or '{' after 'a'"),
        ("a;\n;\n", 2, "unexpected ';'"),
        ('a "b\n', 1, "end of file inside a word"),
        ("a {\n b }\n", 2, "expected ';' after 'b'"),
        ('a "b"c;', 1, "after a closing quote"),
        ("{% if x %}\na;", 1, "template statement"),
        ("a {{ b;\n", 1, "without its }}"),
        ("a {" * 70, 1, "nested deeper"),
    ],
)
def test_nginx_errors_name_the_line(text: str, line: int, words: str) -> None:
    with pytest.raises(SourceUnreadable, match="x:") as caught:
        nginx.parse(text, "x")
    assert caught.value.line == line
    assert words in str(caught.value)


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("a {\n\trespond hi\n", 3, "expected '}'"),
        ("}\n", 1, "unexpected '}'"),
        ('a {\n\trespond "hi\n}\n', 2, "inside a quoted word"),
        ("a {\n" * 70, 61, "nested deeper"),
    ],
)
def test_caddy_errors_name_the_line(text: str, line: int, words: str) -> None:
    with pytest.raises(SourceUnreadable, match="x:") as caught:
        caddy.parse(text, "x")
    assert caught.value.line == line
    assert words in str(caught.value)


def test_positions_and_comments() -> None:
    """A directive knows its line, column, last line and the comments directly above it."""
    file = nginx.parse("a;\n\n# far\n\n# near\n# nearer\n  b c {\n  d;\n}\n", "x")
    b = file.directives[1]
    assert (b.span.line, b.span.column, b.span.end_line, b.span.directive) == (7, 3, 9, "b c")
    assert b.comments == ("near", "nearer")
    assert [directive.name for directive in file.walk()] == ["a", "b", "d"]
    assert caddy.parse("# why\na {\n}\n", "x").directives[0].comments == ("why",)
