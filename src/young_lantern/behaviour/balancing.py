"""Who of several origins is asked, and who when one fails: what an outcome says of it, and what becomes of a client where two differ.

Source:   docs/model.md, "Origins".
Rule:     a client that was kept at its member loses what that knows of it, where it is not; so do those that a member gets which none asked before,
          and a request that failed at one member and was answered by another. The rest is a matter of load.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..model import ANY, IDEMPOTENT, ONLY_GET, Forward, Gateway, Pool, Retry, is_by_address
from .request import Request

UNREACHABLE, BROKEN, LATE, GARBLED = "cannot be reached", "breaks off", "is late", "answers with no HTTP"
# RFC 9110 section 9.2.2, and what nginx takes for it (ngx_http_upstream.c, NGX_HTTP_UPSTREAM_FT_NON_IDEMPOTENT).
_NOT_IDEMPOTENT = ("POST", "LOCK", "PATCH")


@dataclass(frozen=True, slots=True)
class Choice:
    """policy: how one of several members is chosen, in words. None, of an outcome that was saved by an older version: not said.

    keeps:   by what a client stays with its member: `address`, `field NAME`, `cookie NAME`, `cookie NAME of the origin`
    spares:  the members that are asked when all others fail
    retried: for which failures of a member another one is asked
    rest:    when a member that failed is asked again
    """

    policy: str = ""
    keeps: str | None = ""
    spares: tuple[str, ...] = ()
    retried: tuple[str, ...] | None = ()
    rest: str | None = ""

    @property
    def own_cookie(self) -> str:
        """The cookie by which the server itself keeps clients; "" where there is none."""
        word, _, name = (self.keeps or "").partition(" ")
        return name if word == "cookie" and not name.endswith(" of the origin") else ""

    def holds_clients_of(self, other: "Choice") -> bool:
        """Whether clients are kept here that are kept there: a cookie of the server's own keeps all browsers, however they were kept before."""
        kind = (other.keeps or "").partition(" ")[0]
        return other.keeps in ("", self.keeps) or kind in ("address", "cookie") and bool(self.own_cookie)


def one_of(members: tuple[str, ...]) -> str:
    """What stands for the member that is asked, in a text."""
    return members[0] if len(members) == 1 else f"one of {', '.join(members)}"


def by_one_of(one: str | None, other: str | None, members: tuple[str, ...]) -> bool:
    """Whether two texts are the same but that the one has the member that is asked, and the other always the same of them.

    Members by name are another matter: such an origin serves many hosts, and answers none but its own.
    """
    label = one_of(members)
    if not all(map(is_by_address, members)):
        return False
    return any(label in (text or "") and plain in {(text or "").replace(label, member) for member in members} for text, plain in ((one, other), (other, one)))


def choice_of(step: Forward | Gateway, pool: Pool | None, members: tuple[str, ...], method: str, request: Request) -> Choice:
    """What is said of the choice among the members of a pool, for a request by this method."""
    spares = tuple(member.address for member in pool.members if member.backup and not member.down) if pool is not None else ()
    has_content = (request.field("Content-Length") or "0") != "0"
    return Choice(_policy(pool, members), _keeps(pool, members), spares, _retried(step.retry, pool, method, has_content), _rest(pool))


def _keeps(pool: Pool | None, members: tuple[str, ...]) -> str:
    if pool is None:
        return ""
    if pool.sticky is not None and (pool.sticky.own or len(members) > 1):
        # Caddy 2.6 sends its cookie even where there is but one (probed).
        return f"cookie {pool.sticky.cookie}{'' if pool.sticky.own else ' of the origin'}"
    if len(members) < 2:
        return ""
    return f"field {pool.policy.split()[1]}" if pool.policy.startswith("field_hash ") else "address" if pool.policy == "client_hash" else ""


def _policy(pool: Pool | None, members: tuple[str, ...]) -> str:
    """How one of several members is chosen, in words that two estates can be compared by."""
    if pool is None:
        return ""
    weights = [member.weight for member in pool.members if member.address in members]
    backups = [member.address for member in pool.members if member.backup and not member.down]
    several = len(members) > 1
    words = [pool.policy.replace("_", " ")] if several else []
    if several and len(set(weights)) > 1:
        words.append("with weights " + ", ".join(map(str, weights)))
    if several and pool.sticky is not None:
        words.append(f"clients kept by the cookie {pool.sticky.cookie}" + ("" if pool.sticky.own else " of the origin"))
    if backups:
        words.append(f"{', '.join(backups)} when all fail{', in this order' if pool.policy == 'first' and len(backups) > 1 else ''}")
    if (several or backups) and pool.health is not None:
        words.append(f"none that fails {pool.health.target}, asked for every {pool.health.seconds:g} s")
    return ", ".join(words)


def _retried(retry: Retry, pool: Pool | None, method: str, has_content: bool) -> tuple[str, ...]:
    """For which failures of a member another one is asked, for a request by this method. Empty where there is but one."""
    others = [member for member in pool.members if not member.down][1:] if pool is not None else []
    if not others or retry.more == 0:
        return ()
    again = {ANY: True, IDEMPOTENT: method not in _NOT_IDEMPOTENT, ONLY_GET: method == "GET"}[retry.again]
    words = [UNREACHABLE] if retry.unreachable and (retry.content or not has_content) else []
    words += [word for word, said in ((BROKEN, retry.broken), (LATE, retry.late), (GARBLED, retry.garbled)) if said and again]
    words += [f"answers {status}" for status in sorted(retry.statuses) if again]
    return (*words, *([f"{retry.more} more at the most"] if words and retry.more is not None and retry.more < len(others) else []))


def _rest(pool: Pool | None) -> str:
    """How long members that failed are left alone; "" where there is but one."""
    members = [member for member in pool.members if not member.down] if pool is not None else []
    if len(members) < 2:
        return ""
    said = dict.fromkeys(
        f"again after {member.fail_seconds:g} s{f', {member.max_fails} failures before' if member.max_fails != 1 else ''}" if member.fail_seconds else "again at once" for member in members if not member.backup)
    return ", ".join(said)


def choices(before: Choice, after: Choice, same_members: bool) -> Iterator[tuple[str, str, str, bool]]:
    """What differs in who is asked: in what, both, and whether clients lose by it."""
    if before.policy != after.policy:
        known = before.keeps is not None and after.keeps is not None
        breaks = not known or not after.holds_clients_of(before) or not set(before.spares) <= set(after.spares)
        yield "choice of the origin", before.policy, after.policy, breaks
    if not same_members:
        return
    if before.retried is not None and after.retried is not None and before.retried != after.retried:
        breaks = any(word == UNREACHABLE or word.startswith("answers") and word != GARBLED for word in set(before.retried) - set(after.retried))
        yield "choice of another origin", _failures(before.retried), _failures(after.retried), breaks
    if before.rest is not None and after.rest is not None and before.rest != after.rest:
        yield "choice of an origin that failed", before.rest, after.rest, False


def _failures(retried: tuple[str, ...]) -> str:
    *words, last = retried or ("",)
    return f"where the first {', '.join(words)}{' or ' if words else ''}{last}" if last else "never"
