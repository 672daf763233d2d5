"""Only a stretch of the record is looked at: what lies beyond it is hidden, and comes back as it was."""

from collections.abc import Callable

from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.record.record import Record
from pantelos.study.model import Hidden, HiddenInterval, Interval, RecordSource, Study
from pantelos.study.operations.intervals import new_interval_name

MakeRecord = Callable[[RecordSource | None], Record]


def trim(study: Study, start_s: float, stop_s: float, made: MakeRecord) -> Study:
    """Return the study with only a stretch of the record looked at; the files are not touched.

    Intervals that lie outside are hidden, others shown as far as they lie inside; panels pinned to hidden ones follow the active
    one meanwhile.

    Raises
    ------
    StudyError
        When nothing is left.
    """
    if study.record is None:
        raise StudyError("There is no record yet. Import a recording first.")
    before = untrim(study) if study.record.trim_s is not None else study
    source = before.record
    assert source is not None
    changed = replace(source, trim_s=(start_s + source.zero_s, stop_s + source.zero_s))
    grid = made(changed).grid
    kept, hidden = list[Interval](), list[HiddenInterval]()
    for one in before.intervals:
        inside = one.stop_s > grid.start_s and one.start_s < grid.stop_s
        shown = replace(one, start_s=max(one.start_s, grid.start_s), stop_s=min(one.stop_s, grid.stop_s)) if inside else None
        if shown is not None:
            kept.append(shown)
        if shown != one:
            hidden.append(HiddenInterval(one, shown))
    substitute = None
    if not kept and before.intervals:
        substitute = Interval(new_interval_name(before), grid.start_s, grid.stop_s)
        kept.append(substitute)
    names = {one.name for one in kept}
    active = before.active if before.active in names else next((one.name for one in kept), None)
    pinned = tuple(panel for panel in before.panels if panel.interval is not None and panel.interval not in names)
    return replace(
        before,
        record=changed,
        intervals=tuple(kept),
        active=active,
        panels=tuple(replace(panel, interval=None) if panel in pinned else panel for panel in before.panels),
        view=None,
        hidden=Hidden(
            tuple(hidden),
            tuple(one.name for one in before.intervals),
            pinned,
            before.active if before.active not in names else None,
            substitute,
        ),
    )


def untrim(study: Study) -> Study:
    """Return the study with the whole record again: what was hidden comes back, what was changed meanwhile stays changed."""
    if study.record is None:
        raise StudyError("There is no record yet. Import a recording first.")
    hidden = study.hidden
    by_name = {one.name: one for one in study.intervals if one != hidden.made}
    for one in hidden.intervals:
        if one.shown is None:
            by_name.setdefault(one.whole.name, one.whole)
        elif one.whole.name in by_name:
            by_name[one.whole.name] = _grown(by_name[one.whole.name], one.shown, one.whole)
    order = {name: at for at, name in enumerate(hidden.order)}
    intervals = tuple(sorted(by_name.values(), key=lambda one: order.get(one.name, len(order))))
    panels = list(study.panels)
    for pinned in hidden.panels:
        loose = replace(pinned, interval=None)
        if loose in panels and pinned.interval in by_name:
            panels[panels.index(loose)] = pinned
    active = study.active if study.active in by_name else next((one.name for one in intervals), None)
    if hidden.active in by_name and (hidden.made is None or study.active == hidden.made.name):
        active = hidden.active
    source = replace(study.record, trim_s=None)
    return replace(study, record=source, intervals=intervals, panels=tuple(panels), active=active, hidden=Hidden())


def _grown(present: Interval, shown: Interval, whole: Interval) -> Interval:
    """Return an interval as it was beyond the ends of what is kept, where its edges were not moved meanwhile."""
    start_s = whole.start_s if present.start_s == shown.start_s else present.start_s
    stop_s = whole.stop_s if present.stop_s == shown.stop_s else present.stop_s
    return replace(present, start_s=start_s, stop_s=stop_s)
