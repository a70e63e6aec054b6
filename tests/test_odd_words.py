"""Configurations with a word that does not belong there: findings, or one clear error, whatever the word and the place."""

from __future__ import annotations

import random
import re
import sys
from pathlib import Path

import pytest

from tests.test_conformance import SOURCES, content_of_the_package
from young_lantern.dialects import named
from young_lantern.errors import LanternError
from young_lantern.translate import translate

WORDS = ["${X}", "{{ x }}", "{$X}", "x", "0", "-1", '""', "9" * 20, "off", "$1", "/", "~", "%{X}e", "*", "1.5", "a=b", "=", "[", "(", "é", "a:b:c", "unix:/x", ":", "http://", "{", '"']
ESTATES = Path(__file__).parent / "estates"


def changed(text: str, chance: random.Random) -> str:
    """The text with a word of one of its lines replaced, left out, or another one behind it."""
    lines = text.split("\n")
    filled = [number for number, line in enumerate(lines) if len(line.split()) > 1]
    for number in chance.sample(filled, chance.choice((1, 1, 2, 3))):
        parts = re.split(r"(\s+)", lines[number])
        place = chance.choice([index for index, part in enumerate(parts) if part.strip() and part not in "{}"][1:] or [len(parts) - 1])
        word, end = chance.choice(WORDS), parts[place][-1:] if parts[place][-1:] in (";", ">") else ""
        name = parts[place].partition("=")[0]
        parts[place] = chance.choice((f"{word}{end}", f"{word}{end}", f"{name}={word}{end}", end, f"{parts[place].removesuffix(end)} {word}{end}"))
        lines[number] = "".join(parts)
    return "\n".join(lines)


@pytest.mark.parametrize("dialect", sorted(SOURCES))
def test_no_word_brings_reader_or_writers_down(dialect: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Other seeds with each content of the package; what both mean to requests is asked elsewhere."""
    monkeypatch.setattr(sys.modules["young_lantern.translate"], "compare_estates", lambda *estates: None)
    main = named(dialect).main_file
    given = [path.read_text() for path in sorted(ESTATES.rglob(main))]
    chance = random.Random(content_of_the_package() + dialect)
    fallen, told = [], 0
    for number in range(60):
        text = changed(chance.choice(given) if given and number % 3 == 0 else SOURCES[dialect](chance.randrange(10**6), "/srv/www").text, chance)
        (tmp_path / main).write_text(text)
        try:
            made = translate(tmp_path, chance.choice([other for other in sorted(SOURCES) if other != dialect]))
            told += bool(made.findings)
            assert {entry.span for entry in made.ledger} == {claim.span for claim in made.reading.claims}
        except LanternError as error:
            assert "\n" not in str(error)
        except Exception as error:  # noqa: BLE001
            fallen.append((repr(error), text))
    assert not fallen, "\n\n".join(f"{error}\n{text}" for error, text in fallen[:3])
    assert told > 15
