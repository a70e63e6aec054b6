"""Generated configurations through decide() and through the real server: every disagreement, in words."""

from __future__ import annotations

from pathlib import Path

from young_lantern.behaviour import Request, decide, real_files
from young_lantern.behaviour.asking import deciders
from young_lantern.dialects import named
from young_lantern.lab.client import ask
from young_lantern.lab.judge import against_model
from young_lantern.lab.origin import Origins
from young_lantern.lab.ports import free_port
from young_lantern.lab.servers import Running
from young_lantern.source.plan import Plan


def write_root(root: Path, files: list[str]) -> None:
    for name in files:
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(f"file {name}\n" * 3)


def write_beside(source: object, root: Path) -> None:
    """The `.htaccess` files that a generated configuration comes with."""
    for name, text in getattr(source, "beside", {}).items():
        (root / name.lstrip("/")).write_text(text)


def disagreements(
    dialect: str, text: str, rows: list[tuple[str, str, str, dict[str, str]]], folder: Path, beside: dict[str, str] | None = None, ports: list[int] | None = None,
) -> tuple[int, list[str]]:
    """How many requests were compared, and what disagreed. beside: further files of the configuration; ports: of each request, if it is not 80."""
    known = named(dialect)
    main = folder / known.main_file
    for path, content in {main: text, **{folder / name: content for name, content in (beside or {}).items()}}.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(content)
    reading = known.read(main)
    assert known.move is not None
    plan = Plan(folder / "copy", free_port)
    command = known.move(reading, plan)
    out: list[str] = []
    asked = 0
    plan.deciders = deciders(reading.estate)
    with Origins(list(plan.origins.values()), plan.deciding_ports()), Running(command, plan.folder, list(plan.ports.values())):
        for number, (method, host, target, fields) in enumerate(rows):
            port = ports[number] if ports is not None else 80
            request = Request(method, "http", host, port, target, tuple(fields.items()), client="127.0.0.1")
            outcome = decide(reading.estate, request, real_files(lambda path: plan.folder / plan.path(path)))
            if outcome.gave_up:
                continue
            asked += 1
            # An answer that a busy machine spoilt is another one at the second time; a true disagreement stays.
            for _ in range(2):
                answer = ask(request, "127.0.0.1", plan.port(str(port)))
                wrong = against_model(outcome, answer, request, plan)
                if not wrong:
                    break
            for item in wrong:
                out.append(
                    f"{request} {fields or ''}: {item.what}: foretold {item.first}, answered {item.second} (decided by {outcome.decided_by})"
                )
    return asked, out
