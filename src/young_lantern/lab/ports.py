"""Free ports of this machine."""

from __future__ import annotations

import random
import socket

# Below the range that Linux takes for outgoing connections (32768 and up), so that no connection sits on a port that was
# found free a moment ago; above those that services commonly have.
_FIRST, _LAST = 18_000, 32_000
_given: set[int] = set()


def free_port() -> int:
    """A loopback port that nobody listens on and that was not given before in this process."""
    while True:
        port = random.randint(_FIRST, _LAST)
        if port in _given:
            continue
        with socket.socket() as probe:
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
        _given.add(port)
        return port
