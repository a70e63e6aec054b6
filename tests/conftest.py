"""The update switch for case folders, and what most tests share."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.support.reading import Reads


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--update-cases",
        action="store_true",
        help="write what is into the case folders; read the diff as a reviewer would",
    )
    parser.addoption(
        "--conformance",
        type=int,
        default=0,
        help="generated configurations for each dialect, instead of the usual number",
    )
    parser.addoption("--fresh", type=int, default=0, help="of these so many with seeds never used before")


class _AtOnce:
    """Says what failed when it fails: a run that is cut off says nothing at its end."""

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        if report.failed:
            print(f"\nFAILED {report.nodeid}\n{report.longreprtext[-2000:]}", flush=True)


def pytest_configure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        config.pluginmanager.register(_AtOnce())


@pytest.fixture
def reads(tmp_path: Path) -> Reads:
    """Writes configurations into a folder of its own and reads them."""
    return Reads(tmp_path)


@pytest.fixture(scope="session")
def sample(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """The sample estate, unpacked: the folder with nginx.conf, and the folder with the served files."""
    from young_lantern.demo import unpack

    return unpack(tmp_path_factory.mktemp("fernhollow"))
