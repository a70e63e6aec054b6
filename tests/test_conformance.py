"""Generated configurations and requests: what decide() foretells, the real server answers.

How many:  `--conformance N` for each dialect; by default 300 for nginx, 150 for Caddy and httpd, and some translated.
           Of these `--fresh N` (usually none, so that the same commit gives the same answer) have seeds never used before; a failure names its seed.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.support.conformance import disagreements, write_beside, write_root
from tests.support.generate_apache import ApacheSource
from tests.support.generate_caddy import CaddySource
from tests.support.generate_nginx import FILES, NginxSource
from young_lantern.dialects import named
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

SOURCES = {"nginx": (NginxSource, 300), "caddy": (CaddySource, 150), "apache": (ApacheSource, 150)}
# Both servers run for each of these, so that they are fewer.
TRANSLATED = {
    ("nginx", "caddy"): (NginxSource, 24),
    ("apache", "caddy"): (ApacheSource, 8),
    ("caddy", "nginx"): (CaddySource, 20),
    ("apache", "nginx"): (ApacheSource, 8),
    ("nginx", "apache"): (NginxSource, 20),
    ("caddy", "apache"): (CaddySource, 16),
}


@pytest.fixture
def served(tmp_path: Path) -> Callable[[int], Path]:
    """A document root for each seed, since a configuration may come with files of its own in it."""

    def root(seed: int) -> Path:
        made = tmp_path / f"root-{seed}"
        if not made.exists():
            write_root(made, [name for name in FILES if name != "b"])
        return made

    return root


def seeds(request: pytest.FixtureRequest, usual: int) -> Iterator[int]:
    count = request.config.getoption("--conformance") or usual
    fresh = min(request.config.getoption("--fresh"), count)
    yield from range(count - fresh)
    yield from (random.SystemRandom().randrange(10**6, 10**9) for _ in range(fresh))


@pytest.mark.parametrize("dialect", sorted(SOURCES))
def test_the_model_foretells_the_server(
    dialect: str, served: Callable[[int], Path], tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    """No disagreement in status, location, file, content, fields, or what the origin gets."""
    make, usual = SOURCES[dialect]
    found: list[str] = []
    asked = configurations = 0
    for seed in seeds(request, usual):
        source = make(seed, str(served(seed)))
        write_beside(source, served(seed))
        count, wrong = disagreements(dialect, source.text, source.requests(30), tmp_path / str(seed))
        asked, configurations = asked + count, configurations + 1
        found += [f"seed {seed}: {line}" for line in wrong]
    print(f"\n{dialect}: {configurations} configurations, {asked} requests, {len(found)} disagreements")
    assert not found, "\n".join(found[:20])
    assert asked > 25 * configurations


@pytest.mark.parametrize(("dialect", "target"), sorted(TRANSLATED))
def test_a_translation_keeps_or_tells(
    dialect: str, target: str, served: Callable[[int], Path], tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    """Generated configurations, translated: both servers agree, or the model had foretold that they would not."""
    make, usual = TRANSLATED[dialect, target]
    found: list[str] = []
    asked = 0
    for seed in seeds(request, usual):
        folder = tmp_path / str(seed)
        folder.mkdir()
        source = make(seed, str(served(seed)))
        write_beside(source, served(seed))
        (folder / named(dialect).main_file).write_text(source.text)
        translation = translate(folder, target)
        assert not [
            entry.span for entry in translation.ledger if entry.finding and entry.finding.code.name == "not-written"
        ], seed
        live = check_live(translation.reading, translation.read_back, most=60)
        asked += len(live.rows)
        found += [f"seed {seed}: {row.request}: {row.between} {row.defects}" for row in live.surprises]
    print(f"\n{dialect} to {target}: {asked} requests to both, {len(found)} surprises")
    assert not found, "\n".join(found[:20])
