"""nginx tree -> a copy that runs unprivileged on loopback. Mirror: caddy/moving.py.

Source:   nginx manual, command-line parameters (`-p`, `-c`); the directives that name ports, files and origins.
Unknown:  directives that name nothing outside stay as they are.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from ...source.plan import Plan
from ...source.places import include_of_copy
from ..dialect import Reading
from .catalogue import GATEWAYS
from .reader.load import HOME
from .syntax import Directive, Word, parse, print_file

_TEMPORARY = ("client_body_temp_path", "proxy_temp_path", "fastcgi_temp_path", "uwsgi_temp_path", "scgi_temp_path")
_DROPPED = frozenset({"user", "pid", "daemon", "master_process", "worker_processes", "error_log", *_TEMPORARY})
# A check asks faster than any client: limits on rate would answer in the place of the rules that are asked about.
_RATES = frozenset({"limit_req", "limit_conn"})
_CACHES = ("proxy", "fastcgi", "uwsgi", "scgi")
_PATHS = frozenset({"root", "alias"})
# Where packages put modules: Debian, Red Hat, and nginx when it is built by hand.
_MODULES = tuple(map(Path, ("/usr/lib/nginx/modules", "/usr/lib64/nginx/modules", "/usr/local/nginx/modules")))


_TABLES = "tables.conf"
# Rules on the port are for the one that is configured: no request comes to that here.
_PORT = re.compile(r"(\$\{?)server_port\b")
# What names an origin by a variable: its scheme and port, if they stand there, and the path behind it.
_VARYING = re.compile(r"(https?://)?(\$(?:\w+|\{\w+\})(?::\d+)?)(.*)", re.DOTALL | re.IGNORECASE)


@dataclass
class Origins:
    """pools: the names of upstreams; inline: the addresses of other origins by how they are written; held: what variables can hold; tables: what leads from these to the stand-ins."""

    pools: frozenset[str]
    inline: dict[str, str]
    held: tuple[str, ...]
    tables: list[str] = field(default_factory=list)

    def named_by(self, scheme: str, subject: str, plan: Plan) -> str:
        """A variable that has the stand-in's address where `subject` has an origin's. Its rows are texts, since patterns would take away the captures of others."""
        name = f"$lantern_origin_{len(self.tables)}"
        port = subject[subject.rindex(":"):] if re.search(r":\d+$", subject) else ""
        rows = []
        for text in self.held:
            found = re.fullmatch(r"(https?://)?([^/]+)(/.*)?", scheme + text + port, re.DOTALL | re.IGNORECASE)
            if found and (address := self.inline.get(found[2])) is not None:
                rows.append(f'  "{text}{port}" "{"" if scheme else "http://"}{plan.origin(address)}{found[3] or ""}";\n')
        self.tables.append(f'map "{subject}" {name} {{\n  default "{subject}";\n{"".join(rows)}}}\n')
        return name


def _held(texts: Iterable[str]) -> tuple[str, ...]:
    """The values that lines of tables and `set` give."""
    found = [directive.words[-1].text for text in texts for directive in parse(text, "").walk() if len(directive.words) > 1]
    return tuple(dict.fromkeys(word for word in found if "$" not in word and '"' not in word))


def move(reading: Reading, plan: Plan) -> list[str]:
    """Writes the copy below plan.folder; gives the command line that runs it in the foreground."""
    folder = plan.folder
    plan.learn(reading.estate)
    (folder / "logs").mkdir(parents=True, exist_ok=True)
    origins = Origins(frozenset(pool.name for pool in reading.estate.pools if not pool.inline), {pool.name: pool.members[0].address for pool in reading.estate.pools if pool.inline and pool.members}, _held(reading.texts.values()))
    for name, text in reading.texts.items():
        file = parse(text, name)
        for directive in file.walk():
            if directive.name == "include" and len(directive.words) == 2:
                directive.words[1].raw = include_of_copy(directive.words[1].text, reading.root, HOME, reading.texts, folder)
        _move_block(file.directives, "main", plan, origins)
        target = folder / "etc" / name.lstrip("/")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(print_file(file), "utf-8", "surrogateescape")
    ports = "".join(f'  {here} {configured};\n' for configured, here in plan.ports.items() if configured.isdigit())
    (folder / _TABLES).write_text(f"map $server_port $lantern_port {{\n  default $server_port;\n{ports}}}\n" + "".join(origins.tables), "utf-8", "surrogateescape")
    main = folder / "etc" / reading.main.name
    head = (
        f"pid {folder}/nginx.pid; error_log {folder}/logs/error.log notice; worker_processes 1; daemon off; master_process off;\n"
    )
    main.write_text(head + main.read_text("utf-8", "surrogateescape"), "utf-8", "surrogateescape")
    return ["nginx", "-p", f"{folder}/", "-c", str(main)]


def _move_block(directives: list[Directive], within: str, plan: Plan, origins: Origins) -> None:
    directives[:] = [directive for directive in directives if not (directive.name in _DROPPED and within in ("main", "http"))]
    # The stand-in origins speak plain HTTP, and nobody may have the files that their certificates would be checked by.
    directives[:] = [directive for directive in directives if directive.name not in ("ssl_crl", *(() if plan.keeps_limits else _RATES)) and not directive.name.startswith("proxy_ssl_")]
    directives[:] = [directive for directive in directives if directive.name != "load_module" or _find_module(directive)]
    _move_caches(directives, plan)
    listened: set[str] = set()
    for directive in list(directives):
        _move_one(directive, within, plan, origins)
        if directive.name == "listen":
            if directive.words[1].raw in listened or _only_ipv6(directive, directives):
                directives.remove(directive)
            listened.add(directive.words[1].raw)
        if directive.block is not None:
            _move_block(directive.block, directive.name, plan, origins)
    if within == "server" and not listened and not any(directive.name == "include" for directive in directives):
        directives.insert(0, _made("listen", f"127.0.0.1:{plan.port('80')}"))
    if within == "http":
        directives.insert(0, _made("include", f"{plan.folder}/{_TABLES}"))
        for name in _TEMPORARY:
            directives.insert(0, _made(name, f"{plan.folder}/logs/{name}"))
        if not any(directive.name == "access_log" for directive in directives):
            directives.insert(0, _made("access_log", f"{plan.folder}/logs/access.log"))


def _move_caches(directives: list[Directive], plan: Plan) -> None:
    """Kept answers lie below the copy. Where each request is to be a first one nothing is kept; and what is asked for only now and then would not be kept the first time."""
    directives[:] = [directive for directive in directives if not directive.name.endswith("_cache_min_uses")]
    for directive in list(directives):
        module, _, name = directive.name.partition("_")
        if module in _CACHES and name == "cache_path":
            directive.words[1].raw = plan.cache(directive.words[1].text)
            directive.words[2:] = [word for word in directive.words[2:] if word.text.partition("=")[0] in ("levels", "keys_zone", "use_temp_path")]
        elif module in _CACHES and name in ("cache", "no_cache") and not plan.keeps_answers:
            directives.append(_made(f"{module}_no_cache", "1"))
        if module in _CACHES and name in ("cache", "cache_key") and not plan.keeps_answers:
            # Errors that nginx answers itself are kept all the same (behaviour/caching.py, worded): no other request has their key.
            directives[:] = [item for item in directives if item.name != f"{module}_cache_key"]
            directives.append(_made(f"{module}_cache_key", "$request_id$uri"))


def _find_module(directive: Directive) -> bool:
    """Names a module by its whole path: the copy has another prefix. Whether it is on this machine; one whose directives are used is missed by the server."""
    path = Path(directive.words[1].text)
    found = next((place / path.name for place in _MODULES if (place / path.name).exists()), None) if not path.is_absolute() else path if path.exists() else None
    if found is not None:
        directive.words[1].raw = str(found)
    return found is not None


def _made(*words: str) -> Directive:
    return Directive([Word("\n", words[0], 0, 0), *(Word(" ", word, 0, 0) for word in words[1:])], ";", None, "", "", 0)


_moved_ipv6 = "[moved]"


def _only_ipv6(directive: Directive, directives: list[Directive]) -> bool:
    return directive.words[1].raw.startswith(_moved_ipv6)


def _move_one(directive: Directive, within: str, plan: Plan, origins: Origins) -> None:
    words = directive.words
    name = directive.name
    for word in words[1:]:
        word.raw = plan.fill(word.raw)
        if name != "proxy_pass":
            word.raw = _PORT.sub(r"\1lantern_port", word.raw)
    if len(words) < 2:
        return
    first = words[1]
    if name == "listen":
        _move_listen(directive, plan)
    elif name == "if":
        for word, before in zip(words[2:], words[1:], strict=False):
            if before.text.lstrip("(!") in ("-f", "-d", "-e") and word.text.startswith("/"):
                word.raw = plan.path_with_values(word.text)
    elif within in ("map", "geo") and first.text.startswith("/"):
        first.raw = plan.path(first.text)
    elif name == "set" and words[-1].text.startswith("/"):
        words[-1].raw = plan.path(words[-1].text)  # a root that a variable names
    elif name in _PATHS and not first.text.startswith("$"):
        first.raw = plan.path_with_values(first.text) if first.text.startswith("/") else first.raw
    elif name == "auth_basic_user_file":
        first.raw = plan.users(first.text)
    elif name in ("ssl_certificate", "ssl_certificate_key") and plan.certificate_files:
        first.raw = plan.certificate(first.text, name.endswith("key"))
    elif name in ("ssl_client_certificate", "ssl_trusted_certificate") and plan.clients_issuer:
        first.raw = str(plan.clients_issuer)
    elif name in ("access_log", "error_log") and first.text != "off":
        first.raw = f"{plan.folder}/logs/{Path(first.text).name}"
    elif name == "server" and within == "upstream":
        address = first.text if ":" in first.text else f"{first.text}:80"  # a socket has a colon, too
        first.raw = plan.origin(address)
        # The stand-in origins are well. One that is slow under the load of the check would be left out for ten seconds, and
        # another member would answer in its place.
        if not plan.origins_fail:
            words[2:] = [word for word in words[2:] if not word.text.startswith("max_fails=")]
            words.append(Word(" ", "max_fails=0", 0, 0))
    elif name in GATEWAYS and (address := re.sub(r"^uwsgi://", "", first.text)) not in origins.pools:
        first.raw = plan.origin(address)
    elif name in ("fastcgi_param", "uwsgi_param", "scgi_param") and len(words) > 2 and words[2].text.startswith("/"):
        words[2].raw = plan.path_with_values(words[2].text)
    elif name == "grpc_pass" and (found := re.fullmatch(r"(grpcs?://)?(unix:[^:?$]+|[^/$]+)", first.text)) and found[2] not in origins.pools:
        first.raw = "grpc://" + plan.origin(found[2] if ":" in found[2] else f"{found[2]}:{443 if found[1] == 'grpcs://' else 80}")
    elif name == "grpc_pass":
        first.raw = first.text.replace("grpcs://", "grpc://")
    elif name == "proxy_pass":
        found = re.fullmatch(r"(https?://)(unix:[^:?$]+)(?::(.*))?", first.text) or re.match(r"(https?://)([^/$]+)(.*)", first.text)
        varying = _VARYING.fullmatch(first.text)
        if varying:
            # By then placeholders are filled in, so that what is left is a variable.
            first.raw = f'{"http://" if varying[1] else ""}{origins.named_by(varying[1] or "", varying[2], plan)}{varying[3]}'
        elif found and found[2] not in origins.pools:
            address = found[2] if ":" in found[2] else f"{found[2]}:{443 if found[1] == 'https://' else 80}"
            moved = found[1].replace("https", "http") + plan.origin(address) + (found[3] or "")
            first.raw = f'"{moved}"' if re.search(r"\s", moved) else moved
    elif name in ("proxy_set_header", "grpc_set_header") and first.text.lower() == "host" and len(words) > 2:
        words[2].raw = plan.host_named(words[2].raw)
    elif within == "map" and re.fullmatch(r"[\w.\-]+:\d+", first.text):
        first.raw = plan.host_named(first.raw)  # what some place sends for the Host
    elif name == "proxy_redirect":
        first.raw = plan.origin_named(first.raw)


def _move_listen(directive: Directive, plan: Plan) -> None:
    text = directive.words[1].text
    port = re.sub(r"^.*?:?(\$\{\w+\}|\{\{.*?\}\}|\d+)$", r"\1", text) if re.search(r"(\d|\})$", text) and not re.fullmatch(r"[\d.]+\.\d+", text) else "80"
    if text.startswith("["):
        directive.words[1].raw = _moved_ipv6
        return
    directive.words[1].raw = f"127.0.0.1:{plan.port(port)}"
    directive.words[2:] = [word for word in directive.words[2:] if word.text in ("ssl", "http2", "default_server", "default")]
