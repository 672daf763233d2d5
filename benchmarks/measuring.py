"""Time two things in turn, so that drift of the machine meets both."""

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Result:
    """One line of the table."""

    what: str
    baseline: str
    ours: float
    base: float
    bound: float
    unit: str = "s"

    @property
    def ratio(self) -> float:
        """Ours over the baseline."""
        return self.ours / self.base

    @property
    def kept(self) -> bool:
        """Whether the bound holds."""
        return self.ratio <= self.bound

    def _amount(self, value: float) -> str:
        return f"{value:.4g} {self.unit}"

    def row(self) -> str:
        """Return a row of the recorded table."""
        return (f"| {self.what} | {self.baseline} | {self._amount(self.ours)} | {self._amount(self.base)} "
                f"| {self.ratio:.2f} | ≤ {self.bound:g} |")  # fmt: skip

    def line(self, bounded: bool) -> str:
        """Return a line for the terminal; small sizes have no bounds."""
        mark = "  " if self.kept or not bounded else "! "
        times = f"{self._amount(self.ours)} against {self._amount(self.base)}"
        return f"{mark}{self.ratio:7.2f}  {f'(bound {self.bound:g})' if bounded else ''}  {self.what}: {times}"


def in_turn(ours: Callable[[], object], base: Callable[[], object], repetitions: int = 5) -> tuple[float, float]:
    """Return median seconds of both, run alternately after one warm-up each."""
    times: tuple[list[float], list[float]] = ([], [])
    for at in range(repetitions + 1):
        for which, work in enumerate((ours, base)):
            start = time.perf_counter()
            work()
            if at:
                times[which].append(time.perf_counter() - start)
    return statistics.median(times[0]), statistics.median(times[1])
