"""Real servers as child processes: started, waited for, stopped.

Source:   each server's command-line page. A missing one is ServerMissing with the Debian package that brings it.
"""

from __future__ import annotations

import os
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
PACKAGES = {"nginx": "nginx-light (or nginx)", "caddy": "caddy"}


def find(program: str) -> str:
    """The full path of a server's program. Raises ServerMissing."""
    found = shutil.which(program, path=_PLACES)
    if not found:
        raise ServerMissing(f"{program} is not installed; on Debian the package {PACKAGES.get(program, program)} brings it")
    return found


def installed(program: str) -> bool:
    return shutil.which(program, path=_PLACES) is not None


def version(program: str) -> str:
    """The server's name and version, for reports."""
    words = [find(program), "-v" if program == "nginx" else "version"]
    done = subprocess.run(words, capture_output=True, text=True, timeout=20, check=False)
    text = (done.stdout + done.stderr).strip().splitlines()
    return text[-1].removeprefix("nginx version: ").split(" ")[0] if program == "nginx" else f"{program}/{text[-1].split(' ')[0].lstrip('v')}"


class Running:
    """A server that runs for the length of a `with`; `ports` are those it must listen on before it counts as started."""

    def __init__(self, command: list[str], folder: Path, ports: list[int]) -> None:
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
        deadline = time.monotonic() + _START_SECONDS
        waiting = list(self.ports)
        while waiting:
            if self.process.poll() is not None or time.monotonic() > deadline:
                said = self.said()
                self.__exit__(None, None, None)
                raise ServerFailed(f"{Path(self.command[0]).name} did not start: {said}")
            waiting = [port for port in waiting if not _listening(port)]
            if waiting:
                time.sleep(0.01)
        return self

    def said(self) -> str:
        """The last of what the server printed."""
        text = self.output.read_text("utf-8", "replace") if self.output.exists() else ""
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
