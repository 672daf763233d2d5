"""What checks of a recorded channel say: clipping, range used, steps, offset, drift, rate."""

from pantelos.notice import Notice, Severity

_POOR_USE = 0.1  # of the recorder range


def range_used(channel: str, peak: float, full_scale: float) -> Notice | None:
    """Check that a channel uses its range; None when it does."""
    share = peak / full_scale
    if share >= _POOR_USE or peak == 0:
        return None
    return Notice(
        Severity.CAUTION,
        "record.range",
        f"{channel} uses {100 * share:.2g} % of its range",
        f"a smaller range would resolve {1 / share:.0f}× finer",
        channel,
    )


def clipped(channel: str, n_clipped: int, level_text: str) -> Notice:
    """State that a channel touches the end of its range."""
    return Notice(
        Severity.FAULT,
        "record.clipped",
        f"{channel} is clipped in {n_clipped} samples",
        f"flat at {level_text}: peak, rms and harmonics are only bounds",
        channel,
    )


def few_steps(channel: str, n_steps: int, step: str) -> Notice:
    """State that a channel is only a few steps of resolution high."""
    return Notice(
        Severity.CAUTION,
        "record.steps",
        f"{channel} is {n_steps} steps high",
        f"one step is {step}: its shape is that of the resolution; use a smaller range",
        channel,
    )


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
    return Notice(
        Severity.CAUTION,
        "interval.drift",
        f"{channel} is not steady in {interval}",
        f"rms {first} in the first third, {last} in the last: choose a steadier stretch",
        channel,
    )


def too_slow(channel: str, share: float, rate: str) -> Notice:
    """State that a channel has content near half the sample rate."""
    return Notice(
        Severity.CAUTION,
        "record.rate",
        f"{channel} may be sampled too slowly",
        f"{100 * share:.2g} % of its alternating power lies above 45 % of {rate}: record faster, or with a filter before",
        channel,
    )
