"""How the hot paths grow, as ratios within one run: `python benchmarks/hot_paths.py`.

A ratio near 1.0 says that the work for one site, line or request does not grow with the estate or the log. Times themselves are shown for
orientation only; no test looks at them.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from young_lantern.behaviour import decide, real_files, request_for
from young_lantern.behaviour.access_logs import read_access_log
from young_lantern.behaviour.compare import compare_estates
from young_lantern.translate import read, translate

LINE = '203.0.113.{} - - [25/Nov/2026:10:00:0{} +0000] "GET /tools/{} HTTP/1.1" 200 512 "-" "loan-desk/1"\n'


def _estate(folder: Path, sites: int) -> Path:
    blocks = "".join(
        f"server {{ listen 80; server_name s{number}.fernhollow.example; root /srv/fernhollow/s{number};\n"
        f"location /api/ {{ proxy_pass http://192.0.2.{number % 250 + 1}:8000/v1/; }}\n"
        "location ~ \\.css$ { expires 1h; }\nlocation /old { return 301 /new; }\nlocation / { try_files $uri /index.html; } }\n"
        for number in range(sites)
    )
    main = folder / f"{sites}" / "nginx.conf"
    main.parent.mkdir()
    main.write_text(f"events {{}}\nhttp {{\n{blocks}}}\n", "utf-8")
    return main


def _site(folder: Path, routes: int, version: int) -> Path:
    """One site with so many routes and a fifth as many patterns."""
    names = ["loans", "tools", "staff", "hours", "about", "photos", "drafts"]
    blocks = [
        f"location /{names[n % 7]}/{names[n // 7 % 7]}{n}/ {{ proxy_pass http://192.0.2.{n % 9 + 1}:8000/v{version}/; }}"
        for n in range(routes)
    ]
    blocks += [
        rf"location ~ ^/{names[n % 7]}/(\d+)/{names[n // 7 % 7]}{n}$ {{ return 40{n % 4 + 3}; }}" for n in range(routes // 5)
    ]
    blocks.append(r"location ~* \.(css|js)$ { expires 1h; root /srv/w; }")
    main = folder / f"site-{routes}-{version}" / "nginx.conf"
    main.parent.mkdir()
    text = "\n".join(blocks)
    main.write_text(f"events {{}}\nhttp {{\nserver {{\nlisten 80;\nserver_name a.example;\n{text}\n}}\n}}\n", "utf-8")
    return main


def _seconds(work: Callable[[], object], times: int = 3) -> float:
    """The best of some runs."""
    best = float("inf")
    for _ in range(times):
        start = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - start)
    return best


def _show(what: str, unit: str, small: float, large: float, few: int, many: int) -> None:
    one, other = small / few, large / many
    print(f"{what:<34}{one * 1e6:>12.1f}{other * 1e6:>12.1f} µs a {unit:<9}{other / one:>7.2f}")


def main() -> None:
    print(f"{'':<34}{'small':>12}{'large':>12} {'':<14}{'ratio':>7}")
    few, many = 5, 50
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        small, large = _estate(folder, few), _estate(folder, many)
        _show(
            f"read nginx, {few} and {many} sites",
            "site",
            _seconds(lambda: read(small)),
            _seconds(lambda: read(large)),
            few,
            many,
        )
        for to in ("caddy", "apache"):
            _show(
                f"translate and compare, to {to}",
                "site",
                _seconds(lambda to=to: translate(small, to), 1),
                _seconds(lambda to=to: translate(large, to), 1),
                few,
                many,
            )
        pairs = [[read(_site(folder, routes, version)).estate for version in (1, 2)] for routes in (20, 200)]
        spent = [_seconds(lambda p=pair: compare_estates(*p), 1) for pair in pairs]
        _show("compare sites of 20 and 200 routes", "route", spent[0], spent[1], 20, 200)
        facts = real_files()
        estates = [
            (read(main).estate, [request_for(f"http://s{n % count}.fernhollow.example/api/{n}") for n in range(500)])
            for main, count in ((small, few), (large, many))
        ]
        times = [_seconds(lambda e=estate, r=rows: [decide(e, item, facts) for item in r]) for estate, rows in estates]
        _show("decide a request", "request", times[0], times[1], 500, 500)
        logs = []
        for lines in (5_000, 50_000):
            path = folder / f"access-{lines}.log"
            path.write_text("".join(LINE.format(n % 200, n % 9, n % 300) for n in range(lines)), "utf-8")
            logs.append((path, lines))
        at = request_for("http://s0.fernhollow.example/")
        taken = [_seconds(lambda p=path: read_access_log(p, at)) for path, _ in logs]
        _show("read an access log", "line", taken[0], taken[1], logs[0][1], logs[1][1])


if __name__ == "__main__":
    main()
