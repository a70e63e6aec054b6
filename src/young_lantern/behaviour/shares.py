"""The number that a text is divided into shares by.

Source:   ngx_murmur_hash2, ngx_http_split_clients_variable (nginx 1.22.1, probed): A. Appleby, MurmurHash2, 32 bits, without a seed.
"""

from __future__ import annotations

_FACTOR, _BITS = 0x5BD1E995, 0xFFFFFFFF


def hashed(text: str) -> int:
    """Between 0 and 4,294,967,295."""
    data = text.encode("utf-8", "surrogateescape")
    made = len(data)
    whole = len(data) - len(data) % 4
    for at in range(0, whole, 4):
        part = int.from_bytes(data[at:at + 4], "little") * _FACTOR & _BITS
        part = (part ^ part >> 24) * _FACTOR & _BITS
        made = (made * _FACTOR & _BITS) ^ part
    if whole < len(data):
        made = (made ^ int.from_bytes(data[whole:], "little")) * _FACTOR & _BITS
    made = (made ^ made >> 13) * _FACTOR & _BITS
    return made ^ made >> 15


def in_digits(text: str) -> str:
    """The same in ten digits, so that numbers compare as texts do."""
    return f"{hashed(text):010d}"
