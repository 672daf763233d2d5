"""What a study that is opened must be, by the same rules as the operations that make one: no value is taken on trust."""

import math
from collections.abc import Callable, Collection, Iterable

from pantelos.errors import PantelosError, StudyError, clipped
from pantelos.formats.problems import problems_of
from pantelos.formats.registry import FORMATS
from pantelos.power.over_time import check_step
from pantelos.power.wirings import wiring
from pantelos.record.response import check_response
from pantelos.record.scaling import Scaling
from pantelos.study.model import WHOLE_RECORD, ChannelSetup, Connection, EventSearch, Interval, RecordSource, SourceFile, Study
from pantelos.study.shown import Lane, Panel
from pantelos.study.spectral_words import check_spectral
from pantelos.units import unit

HIGHEST_ORDERS = (2, 200)
_LONGEST_NAME = 1000
_HIGHEST_SIGNAL_HZ = 3000.0


def check_study(study: Study) -> None:
    """Check a study that was read from a file.

    Raises
    ------
    StudyError
        Naming the first value that cannot be, and what it must be.
    """
    names = frozenset(study.names)
    _once(study.names, "The name")
    _once((interval.name for interval in study.intervals), "The interval")
    _once((connection.name for connection in study.connections), "The connection")
    _once((search.name for search in study.searches), "The event search")
    if study.record is not None:
        _of("The record", lambda: _check_record(study.record))  # type: ignore[arg-type]
    for channel in study.channels:
        _of(f'Channel "{clipped(channel.name)}"', lambda channel=channel: _check_channel(channel))  # type: ignore[misc]
    for interval in (*study.intervals, *(one.whole for one in study.hidden.intervals)):
        check_interval(interval)
    for connection in study.connections:
        _of(f'Connection "{clipped(connection.name)}"', lambda c=connection: _check_connection(c, names))  # type: ignore[misc]
    _check_chain(study)
    for search in study.searches:
        _of(f'Events "{clipped(search.name)}"', lambda search=search: _check_search(search, names))  # type: ignore[misc]
    places = {interval.name for interval in study.intervals}
    for lane in study.lanes:
        _of("A lane", lambda lane=lane: _check_lane(lane, names))  # type: ignore[misc]
    for panel in study.panels:
        _of("A panel", lambda panel=panel: _check_panel(panel, names, places, study))  # type: ignore[misc]
    for name, look in study.looks.items():
        _known(name, names, "A look is of")
        _finite(look.offset, "an offset of a look")
        _finite(look.factor, "a factor of a look", zero=False)
    if study.active is not None:
        _known(study.active, places, "The active interval is")
    if study.reference is not None:
        _known(study.reference, names, "The reference channel is")
    if study.view is not None:
        _rising(study.view, "the view")
    check_quality(study)
    check_step(study.every)
    low, high = HIGHEST_ORDERS
    if not low <= study.highest_order <= high:
        raise StudyError(f"The highest order is {clipped(str(study.highest_order))}; expected {low} to {high}.")


def check_quality(study: Study) -> None:
    """Check what is declared of a supply.

    Raises
    ------
    StudyError
        Naming the first value that cannot be.
    """
    of = study.quality
    if of.connection is not None:
        _known(of.connection, [c.name for c in study.connections], "Quality is of")
    if of.U_din is not None and not 0 < of.U_din < math.inf:
        raise StudyError(f"The declared voltage is {of.U_din:g} V; it is more than nothing.")
    if of.frequency_hz not in (None, 50, 60):
        raise StudyError(f"The frequency of the mains is {of.frequency_hz}; quality knows 50 and 60 Hz.")
    if not 0 < of.interruption < of.dip < 1 < of.swell < 10:
        raise StudyError("The thresholds must be in the order interruption, dip, 100 %, swell.")
    if not 0 <= of.hysteresis < min(1 - of.dip, of.swell - 1):
        raise StudyError("The hysteresis must be smaller than the distance of both thresholds from 100 %.")
    if not 0.001 <= of.rapid <= 0.5:
        raise StudyError("The threshold of rapid changes lies between 0.1 % and 50 %.")
    if of.signal_hz is not None and not 0 < of.signal_hz < _HIGHEST_SIGNAL_HZ:
        raise StudyError("The frequency of mains signalling lies below 3 kHz.")
    _finite(of.clock_s, "the offset of the clock")
    if of.clock_u_s is not None and not 0 <= of.clock_u_s < math.inf:
        raise StudyError("The uncertainty of the clock is a time, such as clock = 2.3 s ± 0.1 s.")
    for name, value in of.inputs.items():
        _finite(value, f"the input {clipped(name)} of limit sets")
    for trend in of.trends:
        _known(trend.channel, study.names, "A trend is of")
    if any(not (a > 0 and 0 <= u < 2) for a, u in of.immunity):
        raise StudyError("The immunity curve holds durations above 0 s and voltages from 0 to 200 %.")


def _check_chain(study: Study) -> None:
    _once((point.connection for point in study.chain), "The power chain: the connection")
    for point in study.chain:
        _known(point.connection, [c.name for c in study.connections], "The power chain goes through")


def _of(what: str, check: Callable[[], None]) -> None:
    """Run a check; an error says what it is about."""
    try:
        check()
    except PantelosError as error:
        raise StudyError(f"{what}: {error}") from error


def _once(names: Iterable[str], what: str) -> None:
    seen: set[str] = set()
    for name in names:
        if not name.strip() or len(name) > _LONGEST_NAME:
            raise StudyError(f'{what} "{clipped(name)}" is empty or too long.')
        if name in seen:
            raise StudyError(f'{what} "{clipped(name)}" stands there twice.')
        seen.add(name)


def _known(name: str, names: Collection[str], what: str) -> None:
    if name not in names:
        raise StudyError(f'{what} "{clipped(name)}", which is not there.')


def _finite(value: float | None, what: str, low: float = -math.inf, zero: bool = True) -> None:
    if value is not None and (not math.isfinite(value) or value < low or (not zero and value == 0)):
        raise StudyError(f"{value:g} is not {what}.")


def _rising(pair: tuple[float, float], what: str) -> None:
    if not (math.isfinite(pair[0]) and math.isfinite(pair[1]) and pair[0] < pair[1]):
        raise StudyError(f"{pair[0]:g} to {pair[1]:g} is not a stretch for {what}.")


def check_interval(interval: Interval) -> None:
    """Check that an interval has a name, and ends after its start.

    Raises
    ------
    StudyError
        When it has not, or does not.
    """
    if not interval.name.strip() or '"' in interval.name:
        raise StudyError("An interval needs a name, without quotation marks.")
    if interval.name == WHOLE_RECORD:
        raise StudyError(f'"{WHOLE_RECORD}" stands for all there is. Choose another name for this interval.')
    if not interval.start_s < interval.stop_s or not math.isfinite(interval.length_s):
        raise StudyError(
            f'Interval "{clipped(interval.name)}" ends at {interval.stop_s:g} s, not after its start at {interval.start_s:g} s.'
        )


def _check_record(source: RecordSource) -> None:
    if not source.files:
        raise StudyError("it is of no file; expected at least one.")
    for file in source.files:
        _check_file(file)
    _finite(source.zero_s, "a time zero")
    _finite(source.rate_hz, "a rate", low=0.0, zero=False)
    if not 0 <= source.time_base_ppm < 1e6:
        raise StudyError(f"{source.time_base_ppm:g} ppm is no accuracy of a clock.")
    if source.trim_s is not None:
        _rising(source.trim_s, "what is kept")


def _check_file(file: SourceFile) -> None:
    ids = [known.id for known in FORMATS]
    if file.format not in ids:
        raise StudyError(f'"{clipped(file.format)}" is no format; there are {", ".join(ids)}.')
    if not file.path or "\0" in file.path:
        raise StudyError("a file has no path.")
    _finite(file.placement.offset_s, "an offset")
    dialect = file.dialect
    if any(not 0 <= base.first_row < base.every for base in dialect.further):
        raise StudyError("A time base has a row that lies beyond its own step.")
    bases = [(dialect.rate_hz, dialect.start_s), *((base.rate_hz, base.start_s) for base in dialect.further)]
    for rate, start in bases:
        _finite(rate, "a rate", low=0.0, zero=False)
        _finite(start, "a start")
    for column in dialect.columns:
        _finite(column.scale, f"a scale of {clipped(column.name)}", zero=False)
        _finite(column.range, f"a range of {clipped(column.name)}", low=0.0)
        _finite(column.ratio, f"a ratio of {clipped(column.name)}", low=0.0, zero=False)
        if not 0 <= column.base < len(bases):
            raise StudyError(f"{clipped(column.name)} goes by time base {column.base}; there are {len(bases)}.")
    for problem in problems_of(dialect):
        raise StudyError(str(problem))


def _check_channel(channel: ChannelSetup) -> None:
    check_scaling(channel.scaling)
    gain, zero, shown = channel.scaling.resolve(unit(channel.recorder_unit))
    grade = channel.scaling.accuracy.grade if channel.scaling.accuracy is not None else None
    if grade is not None:
        grade.limits(of_current=shown.like(unit("A")))  # says so where the standard has no such class
    _finite(gain, "a factor of a scaling", zero=False)
    _finite(zero, "an offset of a scaling")


def check_scaling(scaling: Scaling) -> None:
    """Check the figures of a scaling chain.

    Raises
    ------
    StudyError
        When one cannot be.
    """
    _finite(scaling.transducer.value, f"a figure of a {scaling.transducer.kind}", zero=False)
    _finite(scaling.offset, "an offset")
    _finite(scaling.recorder_range, "a range", low=0.0, zero=False)
    _finite(scaling.corrected, "a correction", low=0.0, zero=False)
    _finite(scaling.lag_s, "a lag")
    if scaling.response is not None:
        check_response(scaling.response)
    stated = scaling.accuracy
    if stated is None:
        return
    for name in ("gain_percent", "offset", "resolution", "noise", "delay_s"):
        _finite(getattr(stated, name), f"a limit ({name})", low=0.0)
    if stated.phase is not None:
        _finite(stated.phase.limit, "a limit (phase)", low=0.0)
        _finite(stated.phase.at_hz, "a frequency of a phase", low=0.0)
    if stated.grade is not None:
        _finite(stated.grade.load_percent, "a load of a class", low=0.0, zero=False)


def _check_connection(connection: Connection, names: Collection[str]) -> None:
    kind = wiring(connection.wiring)
    for socket, channel in connection.sockets.items():
        kind.socket(socket)
        _known(channel, names, f"in socket {socket} is")
    _finite(connection.expected.voltage, "an expected voltage", low=0.0)
    _finite(connection.expected.current, "an expected current", low=0.0)


def _check_search(search: EventSearch, names: Collection[str]) -> None:
    _known(search.channel, names, "it looks at")
    for level in (search.level, search.upper, search.hysteresis):
        _finite(level.value, "a level")
    for value in (search.time_s, search.hold_off_s, search.sigmas):
        _finite(value, "a time or distance", low=0.0)
    if not 1 <= search.count <= 1_000_000:
        raise StudyError(f"{search.count} is not how many there may be.")


def _check_lane(lane: Lane, names: Collection[str]) -> None:
    for name in lane.channels:
        _known(name, names, "it shows")
    _finite(lane.weight, "a height", low=0.0, zero=False)
    if lane.scale is not None:
        _rising(lane.scale, "a scale")


def _check_panel(panel: Panel, names: Collection[str], places: Collection[str], study: Study) -> None:
    for name in panel.channels:
        if not any(name == connection.name for connection in study.connections):
            _known(name, names, "it shows")
    if panel.interval is not None:
        _known(panel.interval, [*places, WHOLE_RECORD], "it is of interval")
    if panel.search is not None:
        _known(panel.search, [search.name for search in study.searches], "it lists events")
    for value in panel.around_s or ():
        _finite(value, "a time around an event")
    if panel.stretch_s is not None:
        _rising(panel.stretch_s, "a stretch")
    check_spectral(panel.spectral)
    if not 1 <= panel.orders.order <= HIGHEST_ORDERS[1]:
        raise StudyError(f"{panel.orders.order} is no order; expected 1 to {HIGHEST_ORDERS[1]}.")
