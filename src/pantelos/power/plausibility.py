"""First checks of a wiring: phase order, sign of power, clipping, range used."""

from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.power.measurement import ConnectionPower
from pantelos.power.quantities import Sequence
from pantelos.power.wiring import Wiring
from pantelos.units import unit

_POOR_USE = 0.1  # of the recorder range
_NO_POWER = 0.01  # |P| / S below which the sign says nothing


def phase_order(sequence: Sequence, connection: str) -> Notice:
    """Check that the voltages follow each other as L1, L2, L3."""
    if sequence.order == "123":
        return Notice(Severity.FINE, "wiring.phase-order", f"{connection}: phase order L1 L2 L3",
                      f"unbalance {100 * sequence.unbalance:.2f} %", connection=connection)  # fmt: skip
    if sequence.order == "132":
        return Notice(Severity.FAULT, "wiring.phase-order", f"{connection}: phase order is L1 L3 L2",
                      "two voltages are swapped, or the supply turns the other way", connection=connection,
                      remedy="Exchange phases 2 and 3")  # fmt: skip
    return Notice(Severity.CAUTION, "wiring.phase-order", f"{connection}: phase order cannot be told",
                  "the three voltages are not a rotating system", connection=connection)  # fmt: skip


def power_signs(wiring: Wiring, power: ConnectionPower, sockets: dict[str, str], connection: str) -> list[Notice]:
    """Check that the powers of the phases of a four-wire connection flow the same way, and say which way."""
    total = power.total.P
    found = []
    if wiring.wires == 4:
        for element, reading in zip(wiring.elements, power.elements, strict=True):
            opposite = reading.P * total < 0 and abs(reading.P) > _NO_POWER * reading.S
            if opposite:
                channel = sockets.get(element.current, element.current)
                found.append(Notice(
                    Severity.CAUTION, "wiring.sign-of-power", f"{channel} looks reversed",
                    f"P of {element.title} is {with_unit(reading.P, unit('W'), 3)}, the total {with_unit(total, unit('W'), 3)}",
                    channel, connection, remedy=f"Turn {channel} over"))  # fmt: skip
    if not found and abs(total) > _NO_POWER * power.total.S:
        way = "from supply to load" if total > 0 else "back to the supply"
        found.append(Notice(Severity.FINE, "wiring.sign-of-power", f"{connection}: power flows {way}",
                            with_unit(total, unit("W"), 4), connection=connection))  # fmt: skip
    return found


def range_used(channel: str, peak: float, full_scale: float) -> Notice | None:
    """Check that a channel uses its range; None when it does."""
    share = peak / full_scale
    if share >= _POOR_USE or peak == 0:
        return None
    return Notice(Severity.CAUTION, "record.range", f"{channel} uses {100 * share:.2g} % of its range",
                  f"a smaller range would resolve {1 / share:.0f}× finer", channel)  # fmt: skip


def clipped(channel: str, n_clipped: int, level_text: str) -> Notice:
    """State that a channel touches the end of its range."""
    return Notice(Severity.FAULT, "record.clipped", f"{channel} is clipped in {n_clipped} samples",
                  f"flat at {level_text}: peak, rms and harmonics are only bounds", channel)  # fmt: skip


def few_steps(channel: str, n_steps: int, step: str) -> Notice:
    """State that a channel is only a few steps of resolution high."""
    return Notice(Severity.CAUTION, "record.steps", f"{channel} is {n_steps} steps high",
                  f"one step is {step}: its shape is that of the resolution; use a smaller range", channel)  # fmt: skip


def offset(channel: str, mean: str, share: float) -> Notice:
    """State that an alternating channel has a mean."""
    return Notice(
        Severity.CAUTION,
        "record.offset",
        f"{channel} has an offset of {mean}",
        f"{100 * abs(share):.2g} % of its rms: zero the transducer, or state the offset in the chain",
        channel,
    )


def drift(channel: str, interval: str, first: str, last: str) -> Notice:
    """State that a channel changes its size within an interval."""
    return Notice(Severity.CAUTION, "interval.drift", f"{channel} is not steady in {interval}",
                  f"rms {first} in the first third, {last} in the last: choose a steadier stretch", channel)  # fmt: skip


def too_slow(channel: str, share: float, rate: str) -> Notice:
    """State that a channel has content near half the sample rate."""
    return Notice(
        Severity.CAUTION,
        "record.rate",
        f"{channel} may be sampled too slowly",
        f"{100 * share:.2g} % of its alternating power lies above 45 % of {rate}: record faster, or with a filter before",
        channel,
    )
