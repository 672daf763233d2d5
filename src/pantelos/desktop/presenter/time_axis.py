"""What the time axis says: time of the record, time since edge a, or the time of day."""

import math
from datetime import UTC, datetime, timedelta

import msgspec

from pantelos.desktop.presenter.view import TimeView
from pantelos.notation import seconds
from pantelos.paper.axis import Tick, ticks
from pantelos.record.record import Record
from pantelos.study.model import Study

_STEPS_S = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14_400, 21_600, 43_200, 86_400)


def origin_s(study: Study) -> float:
    """Return the instant of the record that reads as zero on the axis."""
    interval = study.active_interval
    return interval.start_s if study.time_axis == "edge a" and interval is not None else 0.0


def shows_clock(study: Study, record: Record | None) -> bool:
    """Return whether the axis says the time of day: asked for, and known."""
    return study.time_axis == "clock" and record is not None and record.began is not None


def axis_marks(view: TimeView, study: Study, record: Record | None, n_wanted: float) -> list[Tick]:
    """Return marks at instants of the record with the texts of the axis."""
    if shows_clock(study, record):
        assert record is not None
        return _clock_marks(view, record, n_wanted)
    origin = origin_s(study)
    found = ticks(view.start_s - origin, view.stop_s - origin, n_wanted)
    since = "a " if study.time_axis == "edge a" and study.active is not None else ""
    return [
        msgspec.structs.replace(mark, value=mark.value + origin, text=f"{since}{_signed(mark.text) if since else mark.text} s")
        for mark in found
    ]


def _signed(text: str) -> str:
    return text if text.startswith("\N{MINUS SIGN}") else f"+{text}"


def _clock_marks(view: TimeView, record: Record, n_wanted: float) -> list[Tick]:
    began = _began(record)
    if view.length_s / max(n_wanted, 1) < _STEPS_S[0]:
        midnight = began.replace(hour=0, minute=0, second=0, microsecond=0)
        offset = (began - midnight).total_seconds()
        found = ticks(view.start_s + offset, view.stop_s + offset, n_wanted)
        decimals = max((len(mark.text.partition(".")[2]) for mark in found), default=0)
        return [Tick(mark.value - offset, _clock(began + timedelta(seconds=mark.value - offset), decimals)) for mark in found]
    step = next((s for s in _STEPS_S if s >= 0.7 * view.length_s / max(n_wanted, 1)), _STEPS_S[-1])
    offset = (began - began.replace(hour=0, minute=0, second=0, microsecond=0)).total_seconds()
    first = math.ceil((view.start_s + offset) / step)
    return [
        Tick(k * step - offset, _clock(began + timedelta(seconds=k * step - offset), 0))
        for k in range(first, int((view.stop_s + offset) / step) + 1)
    ]


def _began(record: Record) -> datetime:
    assert record.began is not None
    whole, part = divmod(record.began.ns, 1_000_000_000)
    return datetime.fromtimestamp(whole, UTC) + timedelta(microseconds=part / 1000)


def _clock(instant: datetime, decimals: int) -> str:
    rounded = (
        instant + timedelta(microseconds=0.5 * 10 ** (6 - min(decimals, 6))) if decimals else instant + timedelta(seconds=0.5)
    )
    fraction = f".{rounded.microsecond:06d}"[: decimals + 1] if decimals else ""
    return f"{rounded:%H:%M:%S}{fraction}"


def instant_text(t_s: float, study: Study, record: Record | None, resolution_s: float) -> str:
    """Return an instant of the record as the axis says it."""
    if shows_clock(study, record):
        assert record is not None
        decimals = min(max(math.ceil(-math.log10(resolution_s)), 0), 6) if resolution_s > 0 else 3
        return _clock(_began(record) + timedelta(seconds=t_s), decimals)
    return seconds(t_s - origin_s(study), resolution_s)
