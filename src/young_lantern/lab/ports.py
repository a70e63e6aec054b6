"""Free ports of this machine.

Rule:     between the moment when a port is found free and the one when a server listens on it, another process must not find it free as well: each
          process takes a share of the range for itself, by a lock on a file that lasts as long as it does, and goes round in it.
"""

from __future__ import annotations

import fcntl
import itertools
import os
import random
import socket
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

# Below the range that Linux takes for outgoing connections (32768 and up), so that no connection sits on a port that was
# found free a moment ago; above those that services commonly have.
_FIRST, _LAST, _SHARES = 18_000, 32_000, 10
_lock = threading.Lock()
_held: list[object] = []


def _own_share() -> Iterator[int]:
    """The ports of this process, over and over; all of them, by chance, where more processes ask than there are shares."""
    size = (_LAST - _FIRST) // _SHARES
    for number in range(_SHARES):
        try:
            file = open(Path(tempfile.gettempdir()) / f"young-lantern-{os.getuid()}-ports-{number}", "w", encoding="utf-8")  # noqa: SIM115
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            continue
        _held.append(file)
        start = random.randrange(size)
        return (_FIRST + number * size + (start + step) % size for step in itertools.count())
    return (random.randrange(_FIRST, _LAST) for _ in itertools.count())


_ports: list[Iterator[int]] = []


def free_port() -> int:
    """A loopback port that nobody listens on, and that no other process is given until this one has gone round its share."""
    with _lock:
        if not _ports:
            _ports.append(_own_share())
        for port in _ports[0]:
            with socket.socket() as probe:
                try:
                    probe.bind(("127.0.0.1", port))
                except OSError:
                    continue
            return port
    raise AssertionError("ports do not end")
