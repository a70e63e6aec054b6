"""Whether a request may go on, where an origin is asked first: what that origin answers, and who is such an origin.

Rule:     a request may say what it answers, in a field that the stand-in origin of a live check obeys (verdicts.py), whatever it is asked for.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..model import UNREACHABLE, AskFirst, Credentials, Estate, Var, Variable
from ..model.walk import all_within
from .origin_answers import VERDICT, OriginAnswer, wanted
from .own_values import NONCE
from .request import Request
from .verdicts import Verdict, parsed_verdict

_MOST_FIELDS = 3
_USUAL = ("401 WWW-Authenticate: Bearer", "401", "403", "302 Location: /login", "500")


def verdict_of(estate: Estate, request: Request) -> Verdict:
    """What the origin that is asked first answers to a request."""
    if wanted(request).refused:
        return Verdict(UNREACHABLE[estate.dialect], is_silence=True)
    return parsed_verdict(request.field(VERDICT) or "")


def answer_of(estate: Estate, pool: str, request: Request) -> OriginAnswer:
    """What an origin answers that requests are passed on to: one that is asked first gives its verdict, whoever asks."""
    if wanted(request).refused or not deciders(estate) >= _addresses(estate, pool):
        return wanted(request)
    verdict = parsed_verdict(request.field(VERDICT) or "")
    return OriginAnswer(verdict.status, verdict.field("location") or "", tuple(pair for pair in verdict.fields if pair[0] != "location"))


def deciders(estate: Estate) -> frozenset[str]:
    """The addresses of origins that are asked first."""
    if estate.deciders is None:
        asked = {item.forward.pool for site in estate.sites for item in all_within(site.program) if isinstance(item, AskFirst)}
        object.__setattr__(estate, "deciders", frozenset(address for pool in asked for address in _addresses(estate, pool)))
    return estate.deciders or frozenset()


def together(*estates: Estate) -> None:
    """Estates that are compared: an origin that one of them asks first answers the other alike, whatever it is asked for."""
    both = frozenset().union(*map(deciders, estates))
    for estate in estates:
        object.__setattr__(estate, "deciders", both)


def _addresses(estate: Estate, name: str) -> frozenset[str]:
    pool = estate.pool(name)
    return frozenset(member.address for member in pool.members) if pool is not None else frozenset({name})


def verdicts_to_ask(items: list[object]) -> Iterator[str]:
    """The verdicts that some steps may treat in a way of their own."""
    yield from _USUAL
    names = dict.fromkeys(item.name for item in items if isinstance(item, Var) and item.variable is Variable.VERDICT_FIELD and item.name.lower() != "www-authenticate")
    yield from (f"202 {name}: of who was asked" for name in list(names)[:_MOST_FIELDS])


def challenge(step: Credentials, realm: str, places: str) -> str:
    """What a server asks for credentials with (RFC 9110 section 11.6.1); by digest as httpd does (2.4.71, probed)."""
    if not step.digest:
        return f'Basic realm="{realm}"'
    domain = f', domain="{places}"' if places else ""
    return f'Digest realm="{realm}", nonce="({NONCE})", algorithm=MD5{domain}, qop="auth"'
