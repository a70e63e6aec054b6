"""Sizes of tables that nginx does not start with when a name in them is too long.

Source:   nginx manual, "Setting up hashes"; ngx_hash_init: a bucket holds the name with its length, rounded up to 8 bytes, and two pointers. Of its usual
          64 bytes that leaves 46 for the name (1.22.1, probed).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from .output import Node

_USUAL, _POINTER, _LENGTH = 64, 8, 2
_WORDS_OF_TABLES = frozenset({"default", "hostnames", "volatile", "include"})


def write_sizes(nodes: Iterable[Node]) -> list[Node]:
    """The lines that make room for names of hosts, keys of tables and names of variables, where there are long ones."""
    longest = {"server_names_hash_bucket_size": 0, "map_hash_bucket_size": 0, "variables_hash_bucket_size": 0}
    for node in nodes:
        for line in _all(node):
            for size, text in _names(line):
                longest[size] = max(longest[size], len(text.encode()))
    return [Node([size, str(_bucket(length))]) for size, length in longest.items() if _bucket(length) > _USUAL]


def _bucket(length: int) -> int:
    needed = _POINTER + -(-(length + _LENGTH) // _POINTER) * _POINTER + _POINTER
    size = _USUAL
    while size < needed:
        size *= 2
    return size


def _names(line: Node) -> Iterator[tuple[str, str]]:
    first, *others = line.words
    if first == "server_name":
        yield from (("server_names_hash_bucket_size", word) for word in others if not word.startswith("~"))
    elif first == "map":
        yield from (("map_hash_bucket_size", row.words[0].strip("\"'")) for row in line.block or () if not row.words[0].strip("\"'").startswith("~") and row.words[0] not in _WORDS_OF_TABLES)
    if first in ("map", "geo", "set"):
        yield from (("variables_hash_bucket_size", word[1:]) for word in (others[:1] if first == "set" else others[-1:]) if word.startswith("$"))


def _all(node: Node) -> Iterator[Node]:
    yield node
    for inner in node.block or ():
        yield from _all(inner)
