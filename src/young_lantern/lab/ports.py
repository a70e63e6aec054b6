"""Free ports of this machine.

Rule:     between the moment when a port is found free and the one when a server listens on it, another process must not find it free as well: each
          process takes a share of the range for itself, by a lock on a file that lasts as long as it does, and goes round in it. Nor must another thread
          of the same process: where many ports are busy a round is short, so that none is given twice within some seconds.
"""

from __future__ import annotations

import fcntl
import itertools
import os
import random
import socket
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

# Below the range that Linux takes for outgoing connections (32768 and up), so that no connection sits on a port that was
# found free a moment ago; above those that services commonly have.
_FIRST, _LAST, _SHARES = 18_000, 32_000, 10
# As long as a server may take to listen on its port.
_SECONDS_APART = 10.0
_lock = threading.Lock()
_given: dict[int, float] = {}
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
        for number, port in enumerate(_ports[0], 1):
            if number % _LAST == 0:
                time.sleep(0.1)  # all of them were given lately
            if time.monotonic() - _given.get(port, -_SECONDS_APART) < _SECONDS_APART:
                continue
            with socket.socket() as probe:
                # As servers listen: connections that were closed a moment ago leave the port to them.
                probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                try:
                    probe.bind(("127.0.0.1", port))
                except OSError:
                    continue
            _given[port] = time.monotonic()
            return port
    raise AssertionError("ports do not end")
