"""Three front ends as engineers write them: a gateway (nginx), a shop (httpd, with a .htaccess file) and tools (Caddy), moved to other servers."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from young_lantern.lab.live import check_live
from young_lantern.model import Disposition
from young_lantern.source.passwords import PASSWORD_HASH
from young_lantern.translate import translate

ESTATES = {"gate": "nginx.conf", "shop": "httpd.conf", "tools": "Caddyfile"}
# The shop's comparison with Caddy takes minutes.
TARGETS = {"gate": ("caddy", "apache"), "shop": ("nginx",), "tools": ("nginx", "apache")}


def _placed(name: str, folder: Path) -> Path:
    """The estate's main file in a copy of its own, with folders and users that are there."""
    shutil.copytree(Path(__file__).parent / "estates" / name, folder / name)
    main = folder / name / ESTATES[name]
    users = folder / name / "users"
    users.write_text(f"rowan:{PASSWORD_HASH}\n")
    main.write_text(main.read_text().replace("ROOT", str(folder / name / "root")).replace("USERS", str(users)))
    return main


@pytest.mark.parametrize(("name", "target"), [(name, target) for name, targets in TARGETS.items() for target in targets])
def test_an_estate_moves(tmp_path: Path, name: str, target: str) -> None:
    """Every line is accounted for, and the servers answer as was foretold."""
    made = translate(_placed(name, tmp_path), target)
    assert not [str(entry.span) for entry in made.ledger if entry.finding and entry.finding.code.name == "not-written"]
    assert sum(entry.disposition is Disposition.UNSUPPORTED for entry in made.ledger) < len(made.ledger) / 5
    live = check_live(made.reading, made.read_back, most=120)
    assert [f"{row.request} {row.request.fields} {row.defects}" for row in live.surprises] == []
    assert live.same > 30
