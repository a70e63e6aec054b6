"""httpd tree -> a copy that runs unprivileged on loopback. Mirrors: nginx/moving.py, caddy/moving.py.

Source:   Apache HTTP Server manual, directives that name ports, folders, files and origins.
Unknown:  directives that name nothing outside stay as they are.
"""

from __future__ import annotations

import copy
import os
import re
from pathlib import Path

from ...errors import ServerFailed, SourceUnreadable
from ...model import Forward, Gateway, Pattern
from ...model.walk import all_within
from ...patterns.behind import NOWHERE, behind
from ...source.places import include_of_copy
from ...model.placeholders import canonical
from ...source.plan import Plan
from ..dialect import Reading
from .reader.folders import LIMIT_FOLDERS
from .macros import write_out
from .values import BUILT_IN
from .syntax import Directive, Word, parse, print_file

_DROPPED = frozenset({"user", "group", "pidfile", "mutex", "errorlog", "defaultruntimedir", "scoreboardfile", "serverroot", "coredumpdirectory", "chrootdir", "sslsessioncache",
                      "sslpassphrasedialog", "suexecusergroup", "typesconfig", "cacheroot", "cachelockpath", "cacheheader", "cachedetailheader", "sslcarevocationfile", "sslcarevocationpath", "sslcarevocationcheck"})
# Debian's package media-types; mod_mime does not start without a table.
_TYPES = Path("/etc/mime.types")
_MODULES = Path("/usr/lib/apache2/modules")
# Where packages put the configuration.
_HOMES = ("/etc/apache2", "/etc/httpd")
_PORT = re.compile(r"(:|^)(\d+|\$\{\w+\}|\{\{.*?\}\})$")
# The scheme and address of a URL, and a name that Define gives a value.
_URL = re.compile(r"\b(?:https?|h2c?|wss?|scgi|fcgi|uwsgi|ajp)://[^/'\"\s]*")
_NAME = re.compile(r"\$\{(\w+)\}")
# The value on a line of a map's file, behind its key.
_VALUE = re.compile(r"^(?!#)(\S+\s+)(\S+)")
_APPLICATION = re.compile(r"(fcgi|uwsgi|scgi)://")
_SOCKET = re.compile(r"""(['"]?)unix:([^|]+)\|(https?|h2c?|wss?)://[^/'"$%]*(.*)""")
_PLAIN = {"https": "http", "wss": "ws", "h2": "h2c"}
_OF_SCHEMES = {"https": 443, "h2": 443, "scgi": 4000}
_PORTS = {"fcgi": 8000, "uwsgi": 3031, "scgi": 4000}
# What a copy needs to run at all, with all that a part of a configuration takes to be there.
_USUAL = ("mpm_event allowmethods authz_core authz_host access_compat authn_core alias dir mime autoindex headers rewrite expires filter deflate proxy proxy_http proxy_balancer proxy_fcgi proxy_uwsgi proxy_scgi proxy_http2 substitute auth_basic auth_digest authn_file authz_user authz_groupfile "
          "lbmethod_byrequests lbmethod_bybusyness slotmem_shm setenvif env ssl socache_shmcb macro remoteip ratelimit cache cache_disk").split()


def move(reading: Reading, plan: Plan) -> list[str]:
    """Writes the copy below plan.folder; gives the command line that runs it in the foreground."""
    folder = plan.folder
    (folder / "logs").mkdir(parents=True, exist_ok=True)
    loaded: set[str] = set()
    plan.learn(reading.estate)
    plan.defined = {directive.words[1].text: directive.words[2].text for file in reading.tree.values() for directive in file.walk()
                    if directive.name == "define" and len(directive.words) == 3}
    _mirror_folders(reading, plan, loaded)
    files = {name: parse(text, name) for name, text in reading.texts.items() if name not in reading.beside}
    write_out(list(files.values()))
    for name, file in files.items():
        _move_all(file.directives, plan, reading, loaded)
        target = folder / "etc" / name.lstrip("/")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(print_file(file), "utf-8", "surrogateescape")
    if any(directive.name == "<macro" for file in reading.tree.values() for directive in file.walk()):
        _all_moved(reading, plan)
    main = folder / "etc" / reading.main.relative_to(reading.root)
    # With no module loaded it is part of a configuration: what is usually there is loaded for it.
    wanted = [] if loaded else [*_USUAL, *(["http2"] if any(listener.http2 for listener in reading.estate.listeners) else [])]
    head = [
        f'ServerRoot "{folder}/etc"', f'PidFile "{folder}/httpd.pid"', f'ErrorLog "{folder}/logs/error.log"', f'DefaultRuntimeDir "{folder}"', f'Mutex "file:{folder}"',
        *(f"LoadModule {module}_module {_MODULES}/mod_{module}.so" for module in wanted),
    ]
    if not any(directive.name == "listen" for file in reading.tree.values() for directive in file.walk()):
        head += [f"Listen 127.0.0.1:{plan.port(str(listener.port))}" for listener in reading.estate.listeners]
    if not any(directive.name == "servername" for directive in reading.tree[next(iter(reading.tree))].directives):
        head.append("ServerName 127.0.0.1")
    without = any(directive.name == "typesconfig" and directive.words[-1].text == "/dev/null" for file in reading.tree.values() for directive in file.walk())
    types = f"\n<IfModule mod_mime.c>\nTypesConfig {_TYPES if _TYPES.exists() and not without else '/dev/null'}\n</IfModule>\n"
    # A Listen that stands in a section which is not in force opens nothing, and is not waited for.
    opened = {canonical(str(listener.port)) for listener in reading.estate.listeners}
    if plan.keeps_answers:
        types += f'<IfModule mod_cache_disk.c>\nCacheRoot "{plan.cache("kept")}"\nCacheLockPath "{folder}/locks"\n</IfModule>\n'
    for port in [port for port in plan.ports if port not in opened]:
        plan.ports.pop(port)
    main.write_text("\n".join(head) + "\n" + main.read_text("utf-8", "surrogateescape") + types, "utf-8", "surrogateescape")
    # In one process it does not change its user, so that it may be started by anybody, root too.
    return ["apache2", "-X", "-f", str(main)]


def _mirror_folders(reading: Reading, plan: Plan, loaded: set[str]) -> None:
    """Folders with `.htaccess` files are built again below the copy, with moved files of that kind and links to all others."""
    texts = {found.path: name for name, found in reading.beside.items()}
    for top, here in sorted({(found.top, found.here) for found in reading.beside.values()}):
        mirror = Path(f"{plan.folder}/files{top}")
        plan.files = ((top, mirror), *plan.files)
        _mirror(here, mirror, texts, plan, reading, loaded, [0])


def _mirror(here: Path, mirror: Path, texts: dict[Path, str], plan: Plan, reading: Reading, loaded: set[str], count: list[int]) -> None:
    mirror.mkdir(parents=True, exist_ok=True)
    count[0] += 1
    for item in here.iterdir():
        if item in texts:
            (mirror / item.name).write_text(_moved_text(texts[item], plan, reading, loaded), "utf-8", "surrogateescape")
        elif not item.is_dir():
            _link(item, mirror / item.name)
        elif count[0] < LIMIT_FOLDERS or any(path.is_relative_to(item) for path in texts):
            _mirror(item, mirror / item.name, texts, plan, reading, loaded, count)
        else:
            (mirror / item.name).symlink_to(item)


def _moved_text(name: str, plan: Plan, reading: Reading, loaded: set[str]) -> str:
    try:
        file = parse(reading.texts[name], name)
    except SourceUnreadable:
        return reading.texts[name]  # the server refuses it, too
    _move_all(file.directives, plan, reading, loaded)
    return print_file(file)


def _link(item: Path, to: Path) -> None:
    """A second name of the file, since Options may forbid to follow links; a link where the file lies on another disk."""
    try:
        os.link(item.resolve(), to)
    except OSError:
        to.symlink_to(item)


def _is_built_in(directive: Directive) -> bool:
    """Whether a module is part of the server here, where other packages have it in a file (Red Hat: unixd, log_config, version …): it cannot be loaded then."""
    words = directive.words
    return directive.name == "loadmodule" and len(words) == 3 and words[1].text.removesuffix("_module") in BUILT_IN and not (_MODULES / Path(words[2].text).name).exists()


def _move_all(directives: list[Directive], plan: Plan, reading: Reading, loaded: set[str]) -> None:
    directives[:] = [directive for directive in directives if not _is_built_in(directive)]
    if not plan.keeps_answers:
        directives[:] = [directive for directive in directives if not directive.name.startswith("cache")]
    directives[:] = [directive for directive in directives if directive.name not in _DROPPED and not directive.name.startswith(("sslproxyca", "sslproxyverify", "sslproxymachine"))]
    for directive in list(directives):
        if directive.name == "<directory" and len(directive.words) > 1:
            # It is for the folders below it that lie elsewhere here, too.
            for place in _above_moved(directive.words[1].text, plan):
                other = copy.deepcopy(directive)
                other.words[1].raw = _quoted(place)
                directives.insert(directives.index(directive) + 1, other)
    for directive in directives:
        for word in directive.words[1:]:
            word.raw = _URL.sub(lambda found: _NAME.sub(lambda name: plan.defined.get(name[1], name[0]), found[0]), plan.fill(word.raw))
        if len(directive.words) > 1:
            _move_one(directive, plan, reading, loaded)
        if directive.block is not None:
            _move_all(directive.block, plan, reading, loaded)


def _above_moved(folder: str, plan: Plan) -> list[str]:
    """Where a folder lies above such as are elsewhere here; where they have no such folder above them, these themselves."""
    clean = folder.rstrip("/")
    below = [(top, str(here)) for top, here in plan.files if clean and top.startswith(clean + "/")]
    return list(dict.fromkeys(here.removesuffix(top.rstrip("/")) + clean if here.endswith(top.rstrip("/")) else here for top, here in below))


def _moved_pattern(text: str, plan: Plan) -> str:
    """A pattern that is tied to the beginning of names, for folders that lie elsewhere here as well.

    No slash is added as such: sections of patterns hold in the order of how many slashes stand in them.
    """
    rests = [(here, behind(Pattern(text), top.rstrip("/"))) for top, here in plan.files] if "^" in text else []
    moved = ["^" + (re.escape(str(here)) + rest).replace(r"\/", "/").replace("/", r"\x2f") for here, rest in rests if rest not in (None, NOWHERE)]
    if not moved:
        return text
    # A name may stand in a pattern once.
    return moved[0] if re.search(r"\(\?P?<\w", text) else "|".join((text, *moved))


def _move_one(directive: Directive, plan: Plan, reading: Reading, loaded: set[str]) -> None:
    words, name = directive.words, directive.name
    first, last = words[1], words[-1]
    if name == "rewriterule" and (handler := re.search(r"\bH(?:andler)?=([^\],]+)", last.text, re.IGNORECASE)) and (moved := _application(handler[1], plan)) is not None:
        last.raw = _quoted(last.text.replace(handler[1], moved))
    if name == "listen":
        found = _PORT.search(first.text)
        first.raw = f"127.0.0.1:{plan.port(found[2] if found else '80')}"
    elif name == "<virtualhost":
        for word in words[1:]:
            word.raw = _PORT.sub(lambda found: f"{found[1]}{plan.port(found[2])}", word.raw)
    elif name == "loadmodule":
        loaded.add(first.text)
        words[2].raw = str(_MODULES / Path(words[2].text).name)
    elif name in ("documentroot", "<directory") and first.text.startswith("/"):
        if name == "<directory" and not re.search(r"[*?\[]", first.text):
            plan.stand_in(first.text)
        first.raw = _quoted(plan.path(first.text))
    elif name == "<directorymatch" or name == "<directory" and first.text == "~":
        last.raw = _quoted(_moved_pattern(last.text, plan))
    elif name in ("alias", "aliasmatch") and len(words) == 3 and last.text.startswith("/"):
        last.raw = _quoted(plan.path(last.text))
    elif name == "rewritecond" and first.text.startswith("/"):
        first.raw = _quoted(plan.path_with_values(first.text))
    elif name in ("sslcertificatefile", "sslcertificatekeyfile") and plan.certificate_files:
        first.raw = plan.certificate(first.text, name.endswith("keyfile"))
    elif name == "sslcacertificatefile" and plan.clients_issuer:
        first.raw = str(plan.clients_issuer)
    elif name == "authuserfile":
        first.raw = _quoted(plan.users(first.text))
    elif name == "authgroupfile":
        first.raw = _quoted(plan.path(first.text))
    elif name in ("customlog", "transferlog"):
        first.raw = f"{plan.folder}/logs/access.log"
    elif name in ("sethandler", "addhandler") or name in ("proxypass", "proxypassmatch", "balancermember") and any(_APPLICATION.search(word.text) for word in words[1:]):
        for word in words[1:]:
            word.raw = _moved_application(word, plan)
    elif name == "setenv" and len(words) > 2 and last.text.startswith("/"):
        last.raw = _quoted(plan.path_with_values(last.text))
    elif name == "proxypassreverse":
        # The name that the origin calls itself by may be another one than its address.
        for word in words[1:]:
            word.raw = plan.origin_named(word.raw)
    elif name in ("proxypass", "proxypassmatch", "balancermember"):
        for word in words[1:]:
            word.raw = _moved_origin(word, plan)
    elif name == "rewritemap" and len(words) > 2 and ":" not in (file := re.sub("^(?:txt|rnd):", "", words[2].text)):
        words[2].raw = _quoted(("rnd:" if words[2].text.startswith("rnd:") else "txt:") + _moved_map(plan.path(file), words[1].text, plan))
    elif name == "requestheader" and len(words) > 3 and words[2].text.lower() == "host":
        words[3].raw = plan.host_named(words[3].raw)
    elif name == "header" and len(words) > 4 and [word.text.lower() for word in words[1:3]] in (["edit", "location"], ["edit*", "location"]):
        words[3].raw = plan.origin_named(words[3].raw)
    elif name == "rewriterule" and len(words) > 2 and last.text.startswith("[") and words[2].text.startswith("/") and plan.path(re.split(r"[%$]", words[2].text)[0]) != re.split(r"[%$]", words[2].text)[0]:
        words[2].raw = _quoted(plan.path_with_values(words[2].text))
    elif name == "rewriterule" and len(words) > 2:
        words[2].raw = _moved_origin(words[2], plan) if len(words) > 3 and re.search(r"[\[,]P[\],]", words[3].raw) else words[2].raw
    elif name in ("define", "use"):
        # What a name stands for, or a macro is given, may be a folder or an origin.
        for word in words[2:]:
            if word.text.startswith("/"):
                word.raw = _quoted(plan.path(word.text))
            elif re.fullmatch(r"[\w.\-]+:\d+", word.text):
                word.raw = plan.origin(word.text)
            else:
                word.raw = _moved_application(word, plan) if _APPLICATION.match(word.text) else _moved_origin(word, plan)
    elif name in ("include", "includeoptional"):
        for word in words[1:]:
            home = next((root for root in _HOMES if word.text.startswith(f"{root}/")), "")
            if word.text.startswith("/"):
                word.raw = _quoted(include_of_copy(word.text, reading.root, home, reading.texts, plan.folder))


def _moved_map(configured: str, name: str, plan: Plan) -> str:
    """A file of texts for a copy: the origins among its values are those of the copy."""
    here = Path(configured)
    if not here.is_file():
        return configured
    made = plan.folder / "maps" / (re.sub(r"\W", "-", name) + ".txt")
    made.parent.mkdir(exist_ok=True)
    lines = here.read_text("utf-8", "surrogateescape").splitlines(keepends=True)
    made.write_text("".join(_VALUE.sub(lambda found: found[1] + "|".join(map(plan.host_named, found[2].split("|"))), line) for line in lines), "utf-8", "surrogateescape")
    return str(made)


def _all_moved(reading: Reading, plan: Plan) -> None:
    """No copy may ask an origin that is none of ours: what a macro puts together of several words is seen only where it is read."""
    pools = {pool.name for pool in reading.estate.pools}
    asked = [member.address for pool in reading.estate.pools for member in pool.members]
    asked += [item.pool for site in reading.estate.sites for item in all_within(site.program) if isinstance(item, Forward | Gateway) and item.pool not in pools]
    moved = {canonical(address) for address in plan.origins}
    for address in asked:
        if canonical(address) not in moved:
            raise ServerFailed(f"no copy can be made: the address {address} comes out of one of several macros of one name, where it cannot be replaced; give the macro address and port as one word")


def _moved_origin(word: Word, plan: Plan) -> str:
    if found := _SOCKET.fullmatch(word.raw):
        return f"{found[1]}{_PLAIN.get(found[3], found[3])}://{plan.origin('unix:' + found[2])}{found[4]}"
    found = re.fullmatch(r"(['\"]?)(https?|h2c?|ws|scgi)://([^/'\"?$%]+)(.*)", word.raw)
    if not found:
        return word.raw
    address = found[3] if ":" in found[3] else f"{found[3]}:{_OF_SCHEMES.get(found[2], 80)}"
    return f"{found[1]}{_PLAIN.get(found[2], found[2])}://{plan.origin(address)}{found[4]}"


def _moved_application(word: Word, plan: Plan) -> str:
    """The address of an application, and the folder of its scripts."""
    moved = _application(word.text, plan)
    return word.raw if moved is None else _quoted(moved)


def _application(text: str, plan: Plan) -> str | None:
    if found := re.fullmatch(rf"(proxy:)?(unix:[^|]+)\|{_APPLICATION.pattern}[^/]*(/.*)?", text):
        return f"{found[1] or ''}{found[3]}://{plan.origin(found[2])}{_of_application(found[3], found[4], plan)}"
    if found := re.fullmatch(rf"(proxy:)?{_APPLICATION.pattern}([^/]+)(/.*)?", text):
        address = found[3] if ":" in found[3] else f"{found[3]}:{_PORTS[found[2]]}"
        return f"{found[1] or ''}{found[2]}://{plan.origin(address)}{_of_application(found[2], found[4], plan)}"
    return None


def _of_application(protocol: str, path: str | None, plan: Plan) -> str:
    """What follows the address: by FastCGI the folder of scripts, else a path."""
    return plan.path_with_values(path or "") if protocol == "fcgi" else path or ""


def _quoted(text: str) -> str:
    return f'"{text}"'
