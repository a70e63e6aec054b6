"""What is said of an origin in an outcome, in words that two estates can be compared by.

Left out: what reaches the origin, that is decided in decide.py; and who is asked, see balancing.py.
"""

from __future__ import annotations

from ..model import Forward


def certificate(step: Forward) -> str:
    """What is checked of the origin's certificate; "" where there is no TLS."""
    if not step.secure:
        return ""
    by = f", trusting {step.tls.trusted}" if step.tls.trusted and step.tls.checks == "all" else ""
    return f"{step.tls.checks}{by}{f', as {step.tls.name}' if step.tls.name else ''}"
