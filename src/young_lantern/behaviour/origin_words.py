"""What is said of an origin in an outcome, in words that two estates can be compared by.

Left out: what reaches the origin; that is decided in decide.py.
"""

from __future__ import annotations

from ..model import Forward, Pool


def certificate(step: Forward) -> str:
    """What is checked of the origin's certificate; "" where there is no TLS."""
    if not step.secure:
        return ""
    by = f", trusting {step.tls.trusted}" if step.tls.trusted and step.tls.checks == "all" else ""
    return f"{step.tls.checks}{by}{f', as {step.tls.name}' if step.tls.name else ''}"


def policy(pool: Pool | None, members: tuple[str, ...]) -> str:
    """How one of several members is chosen, in words that two estates can be compared by."""
    if pool is None:
        return ""
    weights = [member.weight for member in pool.members if member.address in members]
    words = [pool.policy.replace("_", " ")] if len(members) > 1 else []
    if len(set(weights)) > 1:
        words.append("with weights " + ", ".join(map(str, weights)))
    backups = [member.address for member in pool.members if member.backup and not member.down]
    if backups:
        words.append(f"{', '.join(backups)} when all fail")
    return ", ".join(words)
