"""Gateway -> what the application gets: the script, and its parameters.

Source:   RFC 3875 section 4.1; each server's way of taking script and path information apart is on the step (probed: nginx 1.22.1, httpd 2.4.71,
          Caddy 2.6.2).
Left out: parameters of the server's own kind (SERVER_SOFTWARE, SERVER_ADDR, REMOTE_PORT, ...), by which no application decides.
"""

from __future__ import annotations

import re
from os.path import commonprefix
from urllib.parse import unquote

from ..model import UNDERSCORED, FileKind, Gateway, Mapped, Written
from . import answering, paths
from .evaluate import said, script_parts, text
from .folder_walks import walked
from .request import one_slash
from .state import State

# mod_proxy_fcgi.c, proxy_fcgi_canon: what ap_proxy_canonenc encodes besides (2.4.71, probed).
_ENCODED = "[]"
_UNTOLD = ("HTTP_AUTHORIZATION", "HTTP_PROXY")  # util_script.c: fields that httpd tells no application
_UNKNOWN = re.compile(r"\{http\.(?:reverse_proxy\.header|request\.tls|auth\.user)\.[\w.-]+\}")


def script_of(step: Gateway, state: State) -> tuple[str, str, str]:
    """(the script's file, its name in the URL, the path information behind it)."""
    root, path = text(step.root, state), state.path
    if step.target is not None:
        return "", *_told(step, path, state)
    if step.walks:
        found, kind, left = walked(root, path.removeprefix(step.strip), state.facts)
        if kind is FileKind.FOLDER and path.endswith("/"):
            found = f"{found.rstrip('/')}/"  # request.c, ap_directory_walk: a folder's name ends with a slash (2.4.71, probed)
        # The name is taken from the URL, which a rule that only says which file is meant leaves alone (2.4.71, probed).
        url = path if state.url is None else state.url
        # request.c, ap_directory_walk: neither a file's name nor the path information has slashes in a row, whatever the URL has (2.4.71, probed).
        return one_slash(found), url.removesuffix(left) if left else url, one_slash(left)
    name, more = script_parts(step.split, path)
    if not more and step.remainder:
        more = state.found_rest
    if step.index and name.endswith("/"):
        name += step.index
    below = name.removeprefix(step.strip)
    if step.cleans:
        # caddyhttp.SanitizedPathJoin: slashes are merged and dots resolved in the file's name, not in the script's.
        below = paths.clean(below) if below else ""
    if step.encodes:
        below = paths.escaped(below, state.site.reading.escapes + _ENCODED)
    return root + below, name, more


def _told(step: Gateway, path: str, state: State) -> tuple[str, str]:
    """(the script's name, the path information) as httpd takes them apart for an application that is no file (2.4.71, probed)."""
    if step.protocol == "scgi" and not step.info_apart:
        return path, ""  # mod_proxy_scgi.c, scgi_canon: the path information is found out only where proxy-scgi-pathinfo is set
    match step.target:
        case Mapped(prefix, replacement):
            info = text(replacement, state) + path[len(prefix):]
            escaped = paths.escaped(info, state.site.reading.escapes)
        case Written(template):
            escaped = text(template, state)
            info = unquote(escaped)
    if not info.startswith("/"):
        info, escaped = f"/{info}", f"/{escaped}"
    if step.protocol == "scgi":
        # util_script.c, find_path_info (2.4.71, probed): from the first slash in what both end with alike; the information is escaped, the name is not.
        alike = len(commonprefix((path[::-1], escaped[::-1])))
        start = path.find("/", max(len(path) - alike - 1, 0))
        return path[:start] if start >= 0 else path, escaped
    # mod_proxy_uwsgi.c: of several slashes at the front one is left (2.4.71, probed).
    info = f"/{info.lstrip('/')}"
    # mod_proxy_uwsgi.c, uwsgi_send_headers: as many letters are cut off the name, whichever they are; none for `/`.
    if info == "/":
        return "" if path == "/" else path, info
    return path[:len(path) - len(info)] if len(path) >= len(info) else path, info


def parameters(step: Gateway, state: State) -> tuple[str, dict[str, str]]:
    """The script's file, and all other parameters; fields of the request that rules change go as HTTP_NAME."""
    request = state.request
    script, name, more = script_of(step, state)
    made = {
        "SCRIPT_FILENAME": script, "SCRIPT_NAME": name, "PATH_INFO": more, "QUERY_STRING": state.query or "", "REQUEST_METHOD": step.method or state.method, "REQUEST_URI": request.target,
        "DOCUMENT_ROOT": text(step.root, state), "HTTPS": "on" if request.scheme == "https" else "", "REQUEST_SCHEME": request.scheme,
        "REMOTE_ADDR": request.client, "SERVER_NAME": text(step.server_name, state), "SERVER_PORT": str(request.port),
    }
    state.script_name, state.path_info = name, more
    for parameter, value in step.parameters:
        made[parameter] = text(value, state) if parameter == "SCRIPT_FILENAME" else said(value, state)
        if step.cleans:
            # fastcgi.go, buildEnv (Caddy 2.6.2, probed): a placeholder that stands for nothing leaves nothing here.
            made[parameter] = _UNKNOWN.sub("", made[parameter])
        if state.dialect == "apache" and parameter.startswith("HTTP_") and parameter not in _UNTOLD and (sent := request.field(parameter[5:].replace("_", "-"))) is not None:
            made[parameter] = sent  # util_script.c, ap_add_common_vars (2.4.71, probed): fields that the client sent come over what is set
    for field, value in request.fields if not step.hyphens_only else ():
        if "_" in field and field.replace("_", "").isalnum() and not any(item.name == UNDERSCORED for item in state.request_fields):
            made["HTTP_" + field.upper()] = value
    operations = [*state.request_fields, *step.fields]
    for field, value in answering.request_fields(operations, state):
        if field != "host" or value != request.authority:
            made["HTTP_" + field.upper().replace("-", "_")] = value
    script = made.pop("SCRIPT_FILENAME")
    if step.protocol != "fastcgi":
        script = request.target  # such an application goes by no file's name
    if step.encodes and any(name == "SCRIPT_FILENAME" for name, _ in step.parameters):
        script = paths.escaped(script, state.site.reading.escapes + _ENCODED)
    if not step.tells_authorization:
        # util_script.c, ap_add_common_vars (2.4.71, probed): what the client said of himself is told to no program.
        made["HTTP_AUTHORIZATION"] = made.get("HTTP_AUTHORIZATION", "") if any(name == "HTTP_AUTHORIZATION" for name, _ in step.parameters) else ""
    return script, {key: value for key, value in made.items() if value or key.startswith("HTTP_")}

