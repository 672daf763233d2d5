"""A place as the user types it: a time, an interval, or an event by its number."""

import msgspec

from pantelos.desktop.presenter.time_axis import origin_s
from pantelos.errors import StudyError
from pantelos.study.model import Study
from pantelos.study.operations.texts import time_from


class Destination(msgspec.Struct, frozen=True):
    """Where to go: to an interval, to an event, or to an instant of the record."""

    interval: str | None = None
    search: str | None = None
    event: int = 0  # counted from 0
    instant_s: float = 0.0


def place_from(study: Study, text: str) -> Destination:
    """Return the place that a text names; times are those of the time axis.

    Raises
    ------
    StudyError
        When it names none.
    """
    text = text.strip()
    if any(interval.name == text for interval in study.intervals):
        return Destination(interval=text)
    name, _, number = text.rpartition(" ")
    if any(search.name == name for search in study.searches) and number.isdigit() and int(number) > 0:
        return Destination(search=name, event=int(number) - 1)
    if any(search.name == text for search in study.searches):
        return Destination(search=text)
    try:
        return Destination(instant_s=time_from(text) + origin_s(study))
    except StudyError as cause:
        raise StudyError(
            f'"{text}" is no place. Write a time like 1.5 s, the name of an interval, or events and a number.'
        ) from cause
