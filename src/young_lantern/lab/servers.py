"""Real servers as child processes: started, waited for, stopped.

Source:   each server's command-line page. A missing one is ServerMissing with the Debian package that brings it.
"""

from __future__ import annotations

import os
import re
import shutil
import signal
import socket
import subprocess
import time
from pathlib import Path
from types import TracebackType

from ..errors import ServerFailed, ServerMissing

# Debian puts nginx and httpd where an ordinary user's PATH does not look.
_PLACES = os.pathsep.join([os.environ.get("PATH", ""), "/usr/local/sbin", "/usr/sbin", "/sbin"])
_START_SECONDS = 15.0
_START_SECONDS_OF = {"tomcat10": 60.0}
PACKAGES = {"nginx": "nginx-light (or nginx)", "caddy": "caddy", "apache2": "apache2", "tomcat10": "tomcat10, with a Java runtime,"}
# What runs a server that is no program itself.
_RUN_BY = {"tomcat10": "java"}


def find(program: str) -> str:
    """The full path of a server's program. Raises ServerMissing."""
    found = shutil.which(_RUN_BY.get(program, program), path=_PLACES)
    if not found:
        raise ServerMissing(f"{program} is not installed; on Debian the package {PACKAGES.get(program, program)} brings it")
    return found


def installed(program: str) -> bool:
    return shutil.which(_RUN_BY.get(program, program), path=_PLACES) is not None


# Server -> the words that make it print its version, and where that stands in what it prints.
_VERSIONS = {
    "nginx": (["-v"], r"nginx version: (\S+)"), "caddy": (["version"], r"^v?(\S+)"), "apache2": (["-v"], r"Server version: (\S+)"),
    "tomcat10": (["-cp", "/usr/share/tomcat10/lib/catalina.jar:/usr/share/tomcat10/bin/tomcat-juli.jar", "org.apache.catalina.util.ServerInfo"], r"Server version: Apache (\S+)"),
}


def version(program: str) -> str:
    """The server's name and version, for reports."""
    words, pattern = _VERSIONS[program]
    done = subprocess.run([find(program), *words], capture_output=True, text=True, timeout=20, check=False)
    found = re.search(pattern, (done.stdout + done.stderr).strip(), re.MULTILINE)
    said = found[1] if found else "?"
    return said if "/" in said else f"{program}/{said}"


class Running:
    """A server that runs for the length of a `with`; `ports` are those it must listen on before it counts as started."""

    def __init__(self, command: list[str], folder: Path, ports: list[int]) -> None:
        self.name = command[0]
        self.command = [find(command[0]), *command[1:]]
        self.folder, self.ports = folder, ports
        self.output = folder / "server-output.txt"
        self.process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> "Running":
        self.folder.mkdir(parents=True, exist_ok=True)
        environment = {**os.environ, "HOME": str(self.folder), "XDG_DATA_HOME": str(self.folder), "XDG_CONFIG_HOME": str(self.folder)}
        with open(self.output, "wb") as output:
            self.process = subprocess.Popen(self.command, stdout=output, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL,
                                            cwd=self.folder, env=environment, start_new_session=True)
        deadline = time.monotonic() + _START_SECONDS_OF.get(self.name, _START_SECONDS)
        waiting = list(self.ports)
        while waiting:
            if self.process.poll() is not None or time.monotonic() > deadline:
                said = self.said()
                self.__exit__(None, None, None)
                raise ServerFailed(f"{self.name} did not start: {said}")
            waiting = [port for port in waiting if not _listening(port)]
            if waiting:
                time.sleep(0.01)
        if self.ended_early():
            raise ServerFailed(f"{self.name} did not start: {self.said()}")
        return self

    def ended_early(self) -> bool:
        """httpd opens its ports before it has read all of its configuration: whether it ended right after that."""
        assert self.process is not None
        if Path(self.command[0]).name != "apache2":
            return False
        try:
            self.process.wait(0.15)
        except subprocess.TimeoutExpired:
            return False
        return True

    def said(self) -> str:
        """The last of what the server printed."""
        places = (self.output, self.folder / "logs" / "error.log")
        text = " ".join(place.read_text("utf-8", "replace") for place in places if place.exists())
        return " ".join(text.split())[-600:]

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        if self.process is None or self.process.poll() is not None:
            return
        self.process.send_signal(signal.SIGTERM)
        try:
            self.process.wait(5)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait(5)


def _listening(port: int) -> bool:
    try:
        with socket.create_connection(("127.0.0.1", port), timeout=0.5):
            return True
    except OSError:
        return False
