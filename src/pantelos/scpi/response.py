"""Response data of IEEE 488.2, clause 8.7: numbers, strings, and blocks of definite length."""

import math

_NAN, _INFINITY = 9.91e37, 9.9e37  # SCPI-1999 volume 1, 7.2.1.5 and 7.2.1.4


def block(content: bytes) -> bytes:
    """Return bytes as a block of definite length: `#`, how many digits follow, the length, the bytes."""
    length = str(len(content))
    return f"#{len(length)}{length}".encode() + content


def block_head(head: bytes) -> int:
    """Return how many bytes of a head are still to come: of its two first bytes, or of all but the content.

    Raises
    ------
    ValueError
        When it is none.
    """
    if len(head) < 2 or head[:1] != b"#" or not b"1" <= head[1:2] <= b"9":
        raise ValueError("no block of definite length")
    return int(head[1:2])


def number(value: float) -> str:
    """Return a number as SCPI writes it; not a number and infinity have numbers of their own."""
    if math.isnan(value):
        return f"{_NAN:.2E}"
    if math.isinf(value):
        return f"{math.copysign(_INFINITY, value):.1E}"
    return f"{value:.12G}"


def quoted(text: str) -> str:
    """Return a string in double quotes, those inside doubled."""
    return '"' + text.replace('"', '""') + '"'
