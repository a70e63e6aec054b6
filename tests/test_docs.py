"""What the documents and the tables claim, held against the code."""

from __future__ import annotations

import ast
import importlib
import json
import re
import subprocess
import sys
from pathlib import Path

import pytest

import young_lantern
from young_lantern.codes import CODES
from young_lantern.dialects import dialects
from young_lantern.dialects.caddy import catalogue as caddy
from young_lantern.dialects.caddy.reader.routes import READS
from young_lantern.dialects.nginx import catalogue as nginx
from young_lantern.report.documents import schema
from young_lantern.report.handbook import findings_page

TOP = Path(__file__).parent.parent
SOURCE = TOP / "src" / "young_lantern"
MODULES = sorted(SOURCE.rglob("*.py"))


def imports(path: Path) -> set[str]:
    """The modules of the package that a file imports, as dotted names below it."""
    package = path.relative_to(SOURCE).with_suffix("").parts[:-1]
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.level:
            base = package[: len(package) - node.level + 1]
            found |= {
                ".".join((*base, *(node.module or "").split("."), name.name)).replace("..", ".").strip(".")
                for name in node.names
            }
    return found


def test_tests_that_documents_name_are_there() -> None:
    named = {name for page in (*TOP.glob("docs/*.md"), TOP / "README.md") for name in re.findall(r"tests/test_\w+\.py", page.read_text())}
    assert len(named) > 20 and [name for name in sorted(named) if not (TOP / name).is_file()] == []


def test_findings_page_is_current() -> None:
    assert (TOP / "docs" / "findings.md").read_text() == findings_page()


@pytest.mark.parametrize("name", sorted(CODES))
def test_every_code_is_used_and_complete(name: str) -> None:
    code = CODES[name]
    assert re.fullmatch(r"[a-z0-9]+(-[a-z0-9]+)*", name)
    constant = next(key for key, value in vars(importlib.import_module("young_lantern.codes")).items() if value is code)
    assert any(re.search(rf"\b{constant}\b", path.read_text()) for path in MODULES if path.name != "codes.py"), (
        f"{constant} is used nowhere"
    )
    assert code.says and code.why and code.do


def test_layers() -> None:
    """The model imports nothing else of the package; the core needs no lab, report or cli; dialects meet in the model only."""
    core = (
        "source",
        "model",
        "dialects",
        "patterns",
        "behaviour",
        "fitting",
        "translate.py",
        "ledger.py",
        "health.py",
        "codes.py",
    )
    names = sorted(dialects())
    for path in MODULES:
        part = path.relative_to(SOURCE).parts[0]
        used = imports(path)
        if part == "model":
            assert all(name.startswith("model") for name in used), path
        if part in core:
            assert not [name for name in used if name.split(".")[0] in ("lab", "report", "cli", "demo")], path
        if part == "dialects" and len(path.relative_to(SOURCE).parts) > 2:
            own = path.relative_to(SOURCE).parts[1]
            assert not [
                name for name in used for other in names if other != own and name.startswith(f"dialects.{other}")
            ], path
        if part != "cli":
            assert not re.search(r"^\s*print\(|import typer|import argparse", path.read_text(), re.MULTILINE), path


def test_dialect_words_stay_in_their_place() -> None:
    """The model and the evaluator carry no directive of any server in their names."""
    for name in ("proxy_pass", "try_files", "handle_path", "file_server"):
        for part in ("model", "behaviour", "fitting"):
            for path in (SOURCE / part).rglob("*.py"):
                code = re.sub(r'""".*?"""|#.*', "", path.read_text(), flags=re.DOTALL)
                assert name not in code, path


@pytest.mark.parametrize("path", MODULES, ids=lambda path: path.relative_to(SOURCE).as_posix())
def test_every_module_says_what_it_is(path: Path) -> None:
    assert ast.get_docstring(ast.parse(path.read_text()))


def test_dialect_packages_look_alike() -> None:
    for name in dialects():
        files = {path.name for path in (SOURCE / "dialects" / name).iterdir()}
        assert {"__init__.py", "syntax.py", "catalogue.py", "values.py", "defaults.py", "moving.py", "reader"} <= files


def test_catalogues() -> None:
    """Each row has a topic or a disposition with its reason; each Caddy directive that is read has its place in the order."""
    for row in (*nginx.ROWS, *caddy.ROWS):
        assert bool(row.topic) != bool(row.disposition), row.name
        assert row.topic or row.why, row.name
    topics = {path.stem for path in (SOURCE / "dialects" / "nginx" / "reader").glob("*.py")} | {"structure"}
    assert {row.topic for row in nginx.ROWS if row.topic} <= topics
    assert {name for name in READS if name not in caddy.POSITION} == {"log"}
    assert {row.name for row in caddy.ROWS if row.topic and caddy.SITE in row.within} - set(READS) == {
        "tls",
        "bind",
        "handle_errors",
        "import",
        "map",
    }
    assert len({row.name for row in nginx.ROWS}) > 300


def test_schemas_are_schemas() -> None:
    import jsonschema

    for name in ("survey", "trace", "comparison", "translation", "support"):
        jsonschema.Draft202012Validator.check_schema(schema(name))
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate({"document": name}, schema(name))


def test_readme_names_what_there_is() -> None:
    text = (TOP / "README.md").read_text()
    for link in re.findall(r"\]\(([^)h][^)]*)\)", text):
        assert (TOP / link).exists(), link
    assert "sh tests/run" in text and (TOP / "tests" / "run").exists()
    assert "tests/run" in (TOP / ".ci" / "run").read_text()
    commands = re.findall(r"^lantern (\w+)", text, re.MULTILINE)
    assert {"survey", "trace", "translate", "compare"} <= set(commands)


def test_examples(sample: tuple[Path, Path], tmp_path: Path) -> None:
    other = tmp_path / "nginx.conf"
    other.write_text("events {}\nhttp { server { listen 80; server_name www.fernhollow.example; return 204; } }\n")
    same = subprocess.run(
        [sys.executable, TOP / "examples" / "check_before_deploy.py", other, other],
        capture_output=True,
        text=True,
        check=False,
    )
    assert same.returncode == 0 and "0 causes" in same.stdout
    differs = subprocess.run(
        [sys.executable, TOP / "examples" / "check_before_deploy.py", sample[0], other],
        capture_output=True,
        text=True,
        check=False,
    )
    assert differs.returncode == 1 and "breaking: GET" in differs.stdout
    listed = subprocess.run(
        [sys.executable, TOP / "examples" / "what_needs_a_person.py", sample[0]],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert "sites-enabled/loans:23,limit_req zone=reservations burst=10 nodelay,unsupported" in listed


def test_the_public_surface(sample: tuple[Path, Path]) -> None:
    """One page of names, all of them working from a path."""
    assert len(young_lantern.__all__) == 14
    reading = young_lantern.read(sample[0])
    assert young_lantern.trace(reading, "http://fernhollow.example/x").location == "https://www.fernhollow.example/x"
    assert json.dumps(young_lantern.survey(reading))
    assert young_lantern.compare(reading, reading).causes == ()
    translation = young_lantern.translate(sample[0], to="caddy", placeholder="{$NAME}")
    assert "{$WORKSHOPS_ORIGIN}" in "".join(translation.writing.files.values())
    with pytest.raises(young_lantern.LanternError):
        young_lantern.read(sample[0] / "none")
