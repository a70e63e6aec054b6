"""Every case folder: what was read decides as stated, what was written is as stated, and the real servers agree."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.support.cases import Case, folders, ledger_text, told
from young_lantern.behaviour import Request
from young_lantern.behaviour.differences import differences
from young_lantern.lab.live import check_live
from young_lantern.translate import Translation

ALL = [
    pytest.param((folder, target), id=f"{folder.parent.name}/{folder.name}-{target}")
    for folder in folders()
    for target in Case(folder).targets()
]


@pytest.fixture(scope="module", params=ALL)
def moved(request: pytest.FixtureRequest) -> tuple[Case, str, Translation]:
    """A case, where it is moved to, and what came of it: once for all that is asked of it."""
    folder, target = request.param
    return (case := Case(folder)), target, case.translation(target)


def test_case(moved: tuple[Case, str, Translation], request: pytest.FixtureRequest) -> None:
    """The outcome of each request, the new files and the ledger are those in the folder."""
    case, target, translation = moved
    if request.config.getoption("--update-cases"):
        _update(case, target, translation)
    for asked, stated, _ in case.rows():
        assert told(case.outcome(translation, asked)) == stated, asked
    expected = case.folder / "expected" / target
    assert translation.writing.files == {
        path.relative_to(expected).as_posix(): path.read_text() for path in expected.rglob("*") if path.is_file()
    }
    assert ledger_text(translation) == (case.folder / f"ledger-{target}.txt").read_text()


def test_the_same_afterwards(moved: tuple[Case, str, Translation]) -> None:
    """Each request gets the same afterwards, but for what its row says; and the comparison has told of that."""
    case, target, translation = moved
    kinds = {item.what for cause in translation.comparison.causes for item in cause.differences}
    for asked, _, differs in case.rows():
        found = differing(case, translation, asked)
        assert found == differs.get(target, []), asked
        assert set(found) <= kinds, asked


def differing(case: Case, translation: Translation, asked: Request) -> list[str]:
    outcomes = case.outcome(translation, asked), case.outcome(translation, asked, after=True)
    return [item.what for item in differences(*outcomes, asked)]


def test_case_live(moved: tuple[Case, str, Translation], tmp_path: Path) -> None:
    """Both real servers give the stated answers, from moved copies over the files that the case names."""
    case, _, translation = moved
    for name in case.files:
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(f"{name}\n")
    live = check_live(
        translation.reading,
        translation.read_back,
        files=(("/srv/fernhollow", tmp_path),),
        requests=[asked for asked, *_ in case.rows()],
        most=60,
    )
    assert not live.surprises
    assert len(live.rows) >= len(case.rows())


def _update(case: Case, target: str, translation: Translation) -> None:
    lines = []
    for asked, _, others in case.rows():
        row = {
            "url": asked.url,
            **({} if asked.method == "GET" else {"method": asked.method}),
            **({"fields": dict(asked.fields)} if asked.fields else {}),
        }
        differs = {
            name: whats for name, whats in {**others, target: differing(case, translation, asked)}.items() if whats
        }
        lines.append(
            json.dumps(
                {**row, "outcome": told(case.outcome(translation, asked)), **({"differs": differs} if differs else {})}
            )
        )
    (case.folder / "requests.jsonl").write_text("\n".join(lines) + "\n")
    (case.folder / f"ledger-{target}.txt").write_text(ledger_text(translation))
    for name, text in translation.writing.files.items():
        path = case.folder / "expected" / target / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
