"""Panels as they are written in words."""

from typing import Any

from pantelos.errors import StudyError
from pantelos.panels import PANELS
from pantelos.panels.panel import PanelKind, Takes
from pantelos.study.model import WHOLE_RECORD, Study
from pantelos.study.shown import Panel


def panel_from(study: Study, text: str) -> Panel:
    """Return a panel written like `spectrum i1 in steady`, `xy u1 i1`, `readout p mean`, `repeats i1 at dips`.

    Raises
    ------
    StudyError
        When the kind, the channel or connection, the interval or the window is not there.
    """
    head, sign, place = text.partition(" in ")
    head, at, events = head.partition(" at ")
    name, *words = head.split() or [""]
    kind = PANELS.get(name)
    if kind is None or (not words and kind.takes is not Takes.NOTHING):
        raise StudyError(f'"{text}" is not a panel. Write one of {", ".join(PANELS.names)} and a channel, as in spectrum i1.')
    if kind.takes is Takes.EVENTS:
        return Panel(kind.id, search=study.search(" ".join(words)).name)
    chosen: dict[str, Any] = {}
    for option in kind.options:
        values = [value for _, value in option.choices]
        if len(words) > 1 and words[-1] in values:
            chosen[option.field] = words.pop()
    subjects = _subjects(study, kind, words)
    interval = (WHOLE_RECORD if place.strip() == WHOLE_RECORD else study.interval(place.strip()).name) if sign else None
    search = study.search(events.strip()).name if at else None
    return Panel(kind.id, subjects, interval, search=search, **chosen)


def _subjects(study: Study, kind: PanelKind, words: list[str]) -> tuple[str, ...]:
    if kind.takes is Takes.CONNECTION:
        return (study.connection(" ".join(words)).name,)
    named = words if kind.n_channels > 1 else [" ".join(words)] if words else []
    for name in named:
        if name not in study.names:
            raise StudyError(f'There is no channel "{name}" for a panel; there are {", ".join(study.names)}.')
    return tuple(named)
