"""Rules on the addresses of clients, of which the first that holds decides -> the condition on which a client is refused."""

from __future__ import annotations


from ..model import ALWAYS, AddressRule, AllOf, AnyOf, ClientIn, Condition, Not


def denied(rules: tuple[AddressRule, ...]) -> Condition | None:
    """When the address rules refuse a client: the first rule that holds its address decides."""
    refused: Condition | None = None
    for rule in reversed(rules):
        holds = ALWAYS if "0.0.0.0/0" in rule.networks else ClientIn(rule.networks, rule.span)
        if rule.allows:
            refused = None if holds is ALWAYS or refused is None else Not(holds, rule.span) if refused is ALWAYS else _both(Not(holds, rule.span), refused)
        else:
            refused = ALWAYS if holds is ALWAYS or refused is ALWAYS else holds if refused is None else AnyOf((holds, refused), rule.span)
    return _merged(refused)


def _both(first: Condition, second: Condition) -> Condition:
    return AllOf((first, *(second.conditions if isinstance(second, AllOf) else (second,))))


def _merged(condition: Condition | None) -> Condition | None:
    """Several `not in network` become one: not in any of them."""
    if isinstance(condition, AllOf) and all(isinstance(item, Not) and isinstance(item.condition, ClientIn) for item in condition.conditions):
        networks = tuple(network for item in condition.conditions for network in item.condition.networks)  # type: ignore[union-attr]
        return Not(ClientIn(networks, condition.conditions[0].span), condition.conditions[0].span)
    return condition
