"""Where intervals lie on the grid of the record; nothing here asks for a sample."""

from pantelos.record.record import Record
from pantelos.study.model import WHOLE_RECORD, Interval, Study


class Times:
    """Turns intervals and instants into samples and back."""

    def __init__(self, study: Study, record: Record) -> None:
        self._study, self._record = study, record

    @property
    def origin_s(self) -> float:
        """The instant of sample 0, s."""
        return self._record.start_s

    def positions(self, *instants_s: float) -> tuple[float, ...]:
        """Return instants of the record in samples, not necessarily whole."""
        return tuple((t - self._record.start_s) * self._record.rate_hz for t in instants_s)

    def instant(self, position: float) -> float:
        """Return the instant of a position in samples, s."""
        return self._record.start_s + position / self._record.rate_hz

    def interval(self, name: str | None) -> Interval:
        """Return a named interval, the active one for None, the whole record where there is none."""
        if name == WHOLE_RECORD or (name is None and self._study.active is None):
            return Interval(WHOLE_RECORD, self._record.start_s, self._record.stop_s)
        found = self._study.interval(name) if name is not None else self._study.active_interval
        assert found is not None
        return found

    def name(self, interval: str | None) -> str:
        """Return the name of an interval, of the active one for None."""
        return self.interval(interval).name

    def span(self, interval: str | None) -> tuple[float, float]:
        """Return start and stop of an interval in samples."""
        place = self.interval(interval)
        if place.name == WHOLE_RECORD:
            return 0.0, float(self._record.n_samples)
        start, stop = self.positions(place.start_s, place.stop_s)
        return max(start, 0.0), min(stop, float(self._record.n_samples))
