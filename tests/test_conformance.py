"""Generated configurations and requests: what decide() foretells, the real server answers.

How many:  1,000 for each dialect (600 for Tomcat), 50 of them with seeds that the content of the package chooses, so that every change of it meets configurations
           never asked before while the same content gives the same answer; and some translated. `--conformance N` asks N of each, and
           `--fresh N` takes so many with seeds of the moment; a failure names its seed.
"""

from __future__ import annotations

import hashlib
import random
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

import young_lantern
from tests.support.conformance import disagreements, write_beside, write_root
from tests.support.generate_apache import ApacheSource
from tests.support.generate_caddy import CaddySource
from tests.support.generate_nginx import FILES, NginxSource
from tests.support.generate_tomcat import TomcatSource, batch
from tests.support.tomcat import STOCK
from young_lantern.dialects import named
from young_lantern.errors import ServerFailed
from young_lantern.lab.live import check_live
from young_lantern.translate import translate

SOURCES = {"nginx": NginxSource, "caddy": CaddySource, "apache": ApacheSource}
USUAL, OF_THE_CONTENT = 1000, 50
# Shares of them, so that several processes work on one dialect; in each, servers start and stop side by side.
SHARES, AT_ONCE = 4, 4
# Tomcat takes its time to start, so that many configurations run in one, each as a service of its own.
IN_ONE, OF_TOMCAT = 25, 600
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


def seeds(request: pytest.FixtureRequest, usual: int) -> list[int]:
    count = request.config.getoption("--conformance") or usual
    fresh = min(request.config.getoption("--fresh"), count)
    chosen = min(OF_THE_CONTENT, count // 20)
    moment, content = random.SystemRandom(), random.Random(content_of_the_package())
    return [
        *range(count - fresh - chosen), *(content.randrange(10**6, 10**9) for _ in range(chosen)), *(moment.randrange(10**6, 10**9) for _ in range(fresh)),
    ]


def content_of_the_package() -> str:
    root = Path(young_lantern.__file__).parent
    digest = hashlib.sha256()
    for path in sorted(root.rglob("*.py")):
        digest.update(path.relative_to(root).as_posix().encode() + path.read_bytes())
    return digest.hexdigest()


@pytest.mark.parametrize("share", range(SHARES))
@pytest.mark.parametrize("dialect", sorted(SOURCES))
def test_the_model_foretells_the_server(
    dialect: str, share: int, served: Callable[[int], Path], tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    """No disagreement in status, location, file, content, fields, or what the origin gets."""
    mine = seeds(request, USUAL)[share::SHARES]

    def ask(seed: int) -> tuple[int, list[str]]:
        source = SOURCES[dialect](seed, str(served(seed)))
        write_beside(source, served(seed))
        try:
            return disagreements(dialect, source.text, source.requests(30), tmp_path / str(seed))
        except (OSError, ServerFailed):
            # Something else of this machine may have taken a port meanwhile; a configuration that does not start does not at the second time, either.
            return disagreements(dialect, source.text, source.requests(30), tmp_path / f"{seed}-again")

    with ThreadPoolExecutor(AT_ONCE) as pool:
        answers = list(pool.map(ask, mine))
    asked = sum(count for count, _ in answers)
    found = [f"seed {seed}: {line}" for seed, (_, wrong) in zip(mine, answers, strict=True) for line in wrong]
    print(f"\n{dialect}: {len(mine)} configurations, {asked} requests, {len(found)} disagreements")
    assert not found, "\n".join(found[:20])
    assert asked > 25 * len(mine)


@pytest.mark.parametrize("share", range(SHARES))
def test_the_model_foretells_tomcat(share: int, tmp_path: Path, request: pytest.FixtureRequest) -> None:
    """As above, for Tomcat."""
    mine = seeds(request, OF_TOMCAT)[share::SHARES]
    groups = [mine[start:start + IN_ONE] for start in range(0, len(mine), IN_ONE)]
    tmp_path.chmod(0o755)

    def ask(group: list[int]) -> tuple[int, list[str]]:
        sources = [TomcatSource(seed) for seed in group]
        text, beside = batch(sources)
        rows: list[tuple[str, str, str, dict[str, str]]] = []
        ports: list[int] = []
        for number, source in enumerate(sources):
            asked = source.requests(30)
            rows += asked
            ports += [8001 + number] * len(asked)
        try:
            return disagreements("tomcat", text, rows, tmp_path / str(group[0]), {"conf/web.xml": STOCK, **beside}, ports)
        except (OSError, ServerFailed):
            return disagreements("tomcat", text, rows, tmp_path / f"{group[0]}-again", {"conf/web.xml": STOCK, **beside}, ports)

    answers = [ask(group) for group in groups]
    asked = sum(count for count, _ in answers)
    found = [f"seeds {group}: {line}" for group, (_, wrong) in zip(groups, answers, strict=True) for line in wrong]
    print(f"\ntomcat: {len(mine)} configurations, {asked} requests, {len(found)} disagreements")
    assert not found, "\n".join(found[:20])
    assert asked > 24 * len(mine)


@pytest.mark.parametrize("target", ["nginx", "apache", "caddy"])
def test_what_tomcat_did_is_kept_or_told(target: str, tmp_path: Path, request: pytest.FixtureRequest) -> None:
    """Generated configurations of Tomcat's, translated: both servers agree, or the model had foretold that they would not."""
    found: list[str] = []
    asked = 0
    tmp_path.chmod(0o755)
    for seed in seeds(request, 4):
        source = TomcatSource(seed)
        text, beside = batch([source])
        folder = tmp_path / str(seed)
        for name, content in {"conf/server.xml": text.replace("8001", "80"), "conf/web.xml": STOCK, **beside}.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_text(content)
        translation = translate(folder, target)
        assert not [entry.span for entry in translation.ledger if entry.finding and entry.finding.code.name == "not-written"], seed
        live = check_live(translation.reading, translation.read_back, most=60)
        asked += len(live.rows)
        found += [f"seed {seed}: {row.request}: {row.between} {row.defects}" for row in live.surprises]
    print(f"\ntomcat to {target}: {asked} requests to both, {len(found)} surprises")
    assert not found, "\n".join(found[:20])


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
