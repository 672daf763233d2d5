"""Answers of an instrument as the bytes of one response message."""

from collections.abc import Sequence

from pantelos.simulator.core import Raw


def response(answers: Sequence[str | bytes]) -> bytes:
    """Return answers one behind the other, semicolons between them and a newline at the end; nothing for none."""
    raw = next((one for one in answers if isinstance(one, Raw)), None)
    if raw is not None:
        return bytes(raw)
    parts = [one.encode() if isinstance(one, str) else one for one in answers]
    return b";".join(parts) + b"\n" if parts else b""
