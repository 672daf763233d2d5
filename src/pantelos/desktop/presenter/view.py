"""The visible stretch of time, how gestures change it, and the views before and after."""

import msgspec

from pantelos.record.pieces import Grid

_FEWEST_SAMPLES = 8
_KEPT = 200


class TimeView(msgspec.Struct, frozen=True):
    """Start and stop in seconds of what is on the screen."""

    start_s: float
    stop_s: float

    @property
    def length_s(self) -> float:
        """Its length."""
        return self.stop_s - self.start_s

    def to_x(self, t_s: float, width: float) -> float:
        """Return the place of an instant on a width in pixels."""
        return (t_s - self.start_s) / self.length_s * width

    def to_time(self, x: float, width: float) -> float:
        """Return the instant at a place on a width in pixels."""
        return self.start_s + x / max(width, 1.0) * self.length_s

    def zoomed(self, factor: float, at_s: float) -> "TimeView":
        """Return the view with its length times `factor`, the instant `at_s` staying where it is."""
        return TimeView(at_s - (at_s - self.start_s) * factor, at_s + (self.stop_s - at_s) * factor)

    def moved(self, by_s: float) -> "TimeView":
        """Return the view shifted in time."""
        return TimeView(self.start_s + by_s, self.stop_s + by_s)

    def inside(self, grid: Grid) -> "TimeView":
        """Return the view kept within the record, and no shorter than a few samples."""
        length = min(max(self.length_s, _FEWEST_SAMPLES / grid.rate_hz), grid.stop_s - grid.start_s)
        start = self.start_s - max(0.0, (length - self.length_s) / 2)
        start = min(max(start, grid.start_s), grid.stop_s - length)
        return TimeView(start, start + length)


class ViewHistory:
    """The present view, and those before and after it; small steps of one gesture count as one."""

    def __init__(self, view: TimeView) -> None:
        self.present = view
        self._past: list[TimeView] = []
        self._future: list[TimeView] = []
        self._gesture: str | None = None

    def show(self, view: TimeView, gesture: str | None = None) -> None:
        """Make `view` the present one; steps that carry the same gesture are one step back."""
        if view == self.present:
            return
        if gesture is None or gesture != self._gesture:
            self._past = [*self._past[-_KEPT:], self.present]
        self._gesture = gesture
        self._future = []
        self.present = view

    def settle(self) -> None:
        """End the gesture: the next step counts by itself."""
        self._gesture = None

    def back(self) -> None:
        """Show the view before."""
        self._move(self._past, self._future)

    def forward(self) -> None:
        """Show the view after."""
        self._move(self._future, self._past)

    def _move(self, source: list[TimeView], target: list[TimeView]) -> None:
        if source:
            target.append(self.present)
            self.present = source.pop()
        self._gesture = None
