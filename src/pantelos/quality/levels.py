"""What is declared of a supply, and values of one base interval."""

import msgspec

from pantelos.quality.disturbances import Thresholds
from pantelos.quality.flicker import Lamp
from pantelos.quality.spans import Span
from pantelos.signal.arrays import BoolArray, FloatArray

OF_CURRENTS = frozenset({"I", "Ih", "Iih", "Ig", "Ig max", "THD I", "THC 50", "THC", "PWHC"})
OF_SYSTEM = frozenset({"f", "u2", "u0"})


class Declared(msgspec.Struct, frozen=True):
    """What is declared of the supply, and how parameters are taken."""

    voltage: float  # V, between the conductors of a voltage socket
    frequency_hz: int = 50  # 50 or 60: of the filters of flicker and the values in a second
    lamp: Lamp = 230
    thresholds: Thresholds = Thresholds()
    sliding: bool = False  # disturbances against the sliding reference
    rapid: float = 0.05  # threshold of rapid changes, of the declared voltage
    signal_hz: float | None = None  # of mains signalling


class MeasuredLevel(msgspec.Struct, frozen=True, eq=False):
    """Values of one base interval: rows are stretches, then channels, then orders where there are."""

    base: str  # 200 ms, 3 s, 10 s, 10 min, 2 h, observation
    span: Span
    coverage: FloatArray  # (n,), the share of each stretch that was measured
    flagged: BoolArray  # (n,), a dip, swell or interruption lies in it
    values: dict[str, FloatArray]  # by parameter

    def of(self, rows: slice) -> "MeasuredLevel":
        """Return some of the stretches; their values are not copied."""
        span = Span(self.span.starts[rows], self.span.stops[rows])
        values = {name: found[rows] for name, found in self.values.items()}
        return MeasuredLevel(self.base, span, self.coverage[rows], self.flagged[rows], values)
