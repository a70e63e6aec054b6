"""Caddyfile tree -> a copy that runs unprivileged on loopback. Mirror: nginx/moving.py.

Source:   Caddy documentation, global options; addresses, `tls`, `root`, `reverse_proxy`, `log` name what lies outside.
Rule:     http_port and https_port move the two standard ports, so that addresses without a port stay as written.
"""

from __future__ import annotations

import re
from pathlib import Path

from ...source.passwords import PASSWORD_HASH
from ...source.plan import Plan
from ...source.places import include_of_copy
from ..dialect import Reading
from .reader.load import HOME
from .syntax import Directive, Word, parse, print_file

_ADDRESS_PORT = re.compile(r"(?<=[^/:\]]):(\d+|\{.*?\})(?=,?$)|^:(\d+|\{.*?\})(?=,?$)|(?<=//):(\d+)(?=,?$)")


def move(reading: Reading, plan: Plan) -> list[str]:
    """Writes the copy below plan.folder; gives the command line that runs it in the foreground."""
    folder = plan.folder
    (folder / "logs").mkdir(parents=True, exist_ok=True)
    plan.learn(reading.estate)
    used = {str(listener.port) for listener in reading.estate.listeners}
    for name, text in reading.texts.items():
        file = parse(text, name)
        for directive in (inner for top in file.directives for inner in top.walk()):
            if directive.name == "import" and len(directive.words) > 1:
                directive.words[1].raw = include_of_copy(directive.words[1].text, reading.root, HOME, reading.texts, folder)
        for number, directive in enumerate(file.directives):
            if not directive.words and directive.block is not None and number == 0:
                directive.block[:] = [item for item in directive.block if item.name not in ("admin", "http_port", "https_port", "storage", "log", "default_bind")]
                for item in directive.block:
                    if item.name == "servers" and len(item.words) > 1 and any(f"{listener.address}:{listener.port}" == item.words[1].text for listener in reading.estate.listeners):
                        # Everything is bound to loopback, by which name these options are looked for.
                        item.words[1].raw = f"127.0.0.1:{plan.port(item.words[1].text.rpartition(':')[2])}"
                continue
            _move_top(directive, plan, used)
        text = print_file(file)
        if name == reading.main.name:
            text = _with_options(text, file.directives, plan, used)
        target = folder / "etc" / name.lstrip("/")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text, "utf-8", "surrogateescape")
    return ["caddy", "run", "--adapter", "caddyfile", "--config", str(folder / "etc" / reading.main.name)]


def _with_options(text: str, directives: list[Directive], plan: Plan, used: set[str]) -> str:
    # A port that no site uses is moved as well: Caddy would open it for its redirects.
    options = f"\tlocal_certs\n\tskip_install_trust\n\tadmin off\n\tdefault_bind 127.0.0.1\n\thttp_port {plan.port('80')}\n\thttps_port {plan.port('443')}\n"
    if "443" not in used:
        plan.ports.pop("443", None)
    if "80" not in used:
        plan.ports.pop("80", None)
    if directives and not directives[0].words:
        head = text.index("{") + 1
        return text[:head] + "\n" + options + text[head:]
    return "{\n" + options + "}\n" + text


def _move_top(directive: Directive, plan: Plan, used: set[str]) -> None:
    if directive.block is None:
        return
    if not directive.name.startswith("("):
        for word in directive.words:
            word.raw = _ADDRESS_PORT.sub(lambda found: f":{plan.port(next(filter(None, found.groups())))}", plan.fill(word.raw))
    for inner in directive.walk():
        if inner.name in ("reverse_proxy", "forward_auth", "php_fastcgi") and inner.block is not None and not plan.origins_fail:
            # The stand-in origins are well: one that is slow under the load of the check shall not be left out, and one that is to be away is not waited for.
            inner.block[:] = [item for item in inner.block if item.name not in ("fail_duration", "lb_try_duration", "lb_try_interval") and not item.name.startswith("health_")]
        if inner.name == "transport" and inner.block is not None:
            # They speak plain HTTP, whatever the origins do.
            inner.block[:] = [item for item in inner.block if not item.name.startswith("tls")]
            for item in inner.block:
                if item.name == "versions" and item.args == ["2"]:
                    item.words.insert(1, Word(" ", "h2c", 0, 0))
        if inner.name == "basicauth":
            for line in inner.block or []:
                # Nobody here knows the passwords: in a copy all users have one that is known.
                if len(line.words) > 1:
                    line.words[1].raw = PASSWORD_HASH
        if inner is not directive:
            _move_one(inner, plan)


def _move_one(directive: Directive, plan: Plan) -> None:
    words = directive.words
    for word in words:
        word.raw = plan.fill(word.raw)
    if not words or len(words) < 2:
        return
    match directive.name:
        case "tls" if len(words) == 3 and plan.certificate_files:
            words[1].raw, words[2].raw = (plan.certificate(words[number].text, number == 2) for number in (1, 2))
        case "trusted_ca_cert_file" if plan.clients_issuer:
            words[1].raw = str(plan.clients_issuer)
        case "root" | "output":
            last = words[-1]
            if directive.name == "output":
                if directive.args[0] == "file":
                    last.raw = f"{plan.folder}/logs/{Path(last.text).name}"
            elif last.text.startswith("/"):
                last.raw = plan.path(last.text)
        case "import":
            # What a snippet is given may be a folder, or an origin.
            for word in words[2:]:
                if word.text.startswith("/"):
                    word.raw = plan.path(word.text)
                elif re.fullmatch(r"(https?://)?[\w.\-]+:\d+", word.text):
                    word.raw = _moved_origin(word, plan)
        case "hide" | "vars":
            for word in words[1:]:
                if word.text.startswith("/"):
                    word.raw = plan.path(word.text)
        case "env" if words[-1].text.startswith("/"):
            words[-1].raw = plan.path_with_values(words[-1].text)
        case "reverse_proxy" | "php_fastcgi" | "forward_auth" | "to":
            for word in words[1:]:
                word.raw = _moved_origin(word, plan)
        case "header_up" if len(words) == 3 and words[1].text.lower() == "host":
            words[2].raw = plan.host_named(words[2].raw)
        case "header_down" | "header" | "Location" if len(words) > 2 and words[-3].text.lower() == "location":
            words[-2].raw = plan.origin_named(words[-2].raw)
        case "bind":
            words[1:] = [Word(" ", "127.0.0.1", 0, 0)]


def _moved_origin(word: Word, plan: Plan) -> str:
    text = word.text
    if text.startswith("unix/"):
        return plan.origin("unix:" + text.removeprefix("unix/"))
    found = re.fullmatch(r"(https?://|h2c://)?([^/@:*][^/:]*)?(?::(\d+|[^/]*))?", text)
    if not found or text.startswith(("/", "@", "*", "{args")):
        return word.raw
    secure = found[1] == "https://"
    return ("h2c://" if found[1] == "h2c://" else "") + plan.origin(f"{found[2] or 'localhost'}:{found[3] or (443 if secure else 80)}")
