"""What the columns of a text are for: channels, times, dates, words; and which time a channel goes by."""

from bisect import bisect_right
from collections.abc import Sequence
from itertools import pairwise

import msgspec
from msgspec.structs import replace

from pantelos.formats import remarks
from pantelos.formats.dates import DAY_FIRST, date_order, is_clock, is_date, is_stamp, plainly
from pantelos.formats.dialect import Column, ColumnRole, TimeForm
from pantelos.formats.heading_names import is_date as names_a_date
from pantelos.formats.heading_names import is_index, is_time, known_unit, says_since_1970, unique
from pantelos.formats.text.cells import ELAPSED, Style
from pantelos.formats.time_columns import Candidate, Claim, claim_of, first_time, is_second_time
from pantelos.notice import Notice

_DAY_NUMBERS = (20_000, 80_000)  # of spreadsheets, from 1954 to 2119
# Seconds since 1970 between 2001 and 2096, and the unit a number in that range counts in.
_SINCE_1970 = ((1e9, 4e9, "s"), (1e12, 4e12, "ms"), (1e15, 4e15, "us"), (1e18, 4e18, "ns"))
_WHAT = {TimeForm.STAMP: "date and time", TimeForm.ELAPSED: "time in h:mm:ss", TimeForm.DAYS: "time in days"}


class Heading(msgspec.Struct, frozen=True):
    """A column as the file shows it: name and unit above it, its first cells, and whether those are words."""

    name: str
    unit: str | None
    cells: tuple[str, ...]
    words: bool = False


class Roles(msgspec.Struct):
    """What was made of the columns, and why."""

    columns: tuple[Column, ...] = ()
    n_bases: int = 1
    reasons: list[str] = msgspec.field(default_factory=list)
    told: list[Notice] = msgspec.field(default_factory=list)


def roles_of(headings: Sequence[Heading], style: Style) -> Roles:
    """Return what each column is for: every name once, and every time column with the channels behind it."""
    found, columns, taken, first = Roles(), list[Column](), set[str](), _first_time(headings, style)
    for k, heading in enumerate(headings):
        columns.append(_column(k, heading, columns, taken, headings, style, first, found))
        taken.add(columns[-1].name)
    if headings and not any(heading.name for heading in headings):
        columns[0] = _nameless_first(headings, style, columns, found)
    found.columns = tuple(_by_time(columns, found))
    _tell_what_words_hide(headings, found)
    return found


def _column(
    k: int,
    heading: Heading,
    before: list[Column],
    taken: set[str],
    headings: Sequence[Heading],
    style: Style,
    first: int | None,
    found: Roles,
) -> Column:
    name = heading.name or f"ch{k + 1}"
    plain = unique(name, taken)
    if plain != name and not heading.words:
        found.reasons.append(f'the name "{name}" stands there twice: column {k + 1} is called {plain}')
    if heading.words or (not heading.name and not heading.cells):
        return Column(plain, "1", ColumnRole.SKIP)
    form = _form(heading, style)
    if form is TimeForm.CLOCK and _day_beside(k, headings) is not None:
        found.reasons.append(f'column {k + 1}, "{plain}", is the time of day of the dates in column {_day_beside(k, headings)}')
        return Column(
            plain, "s", ColumnRole.TIME, form=form, order=_order(headings[(_day_beside(k, headings) or 1) - 1].cells, found)
        )
    if _are(heading.cells, is_date):
        clocks = [at for at in (k - 1, k + 1) if 0 <= at < len(headings) and _are(headings[at].cells, is_clock)]
        return Column(plain, "1", ColumnRole.DATE if clocks else ColumnRole.SKIP)
    if form in (TimeForm.STAMP, TimeForm.ELAPSED, TimeForm.DAYS, TimeForm.CLOCK):
        kept = TimeForm.ELAPSED if form is TimeForm.CLOCK else form
        found.reasons.append(f'column {k + 1}, "{plain}", is the {_WHAT[kept]}')
        order = _order(heading.cells, found) if form is TimeForm.STAMP else ""
        return Column(plain, "s", ColumnRole.TIME, form=kept, order=order)
    if form is TimeForm.SINCE_1970:
        symbol = _unit_since_1970(heading, style)
        found.reasons.append(f'column {k + 1}, "{plain}", is the time since 1970 in {symbol}')
        return Column(plain, symbol, ColumnRole.TIME, form=form)
    if k == 0 and heading.name and is_index(heading.name):
        found.reasons.append(f'column 1, "{plain}", counts the samples')
        return Column(plain, "1", ColumnRole.TIME, form=TimeForm.INDEX)
    return _number_column(k, plain, headings, before, style, first, found)


def _number_column(
    k: int, plain: str, headings: Sequence[Heading], before: list[Column], style: Style, first: int | None, found: Roles
) -> Column:
    heading = headings[k]
    if not heading.name or claim_of(heading.name, heading.unit) is Claim.NONE:
        return Column(plain, heading.unit or "1")
    candidate = _candidate(heading, style)
    times = [c for c in before if c.role is ColumnRole.TIME and c.form is not TimeForm.INDEX]
    second = bool(times) and is_second_time(candidate, times[0].name, [one.name for one in headings])
    if k != first and not second:
        return Column(plain, heading.unit or "1")
    if heading.unit is None or known_unit(heading.unit) is None:
        found.told.append(remarks.unit_of_time_guessed(plain))
    if candidate.tells_little and k == first:
        found.told.append(remarks.taken_for_time(plain))
    symbol = heading.unit if heading.unit and known_unit(heading.unit) else "s"
    found.reasons.append(f'column {k + 1}, "{plain}", is the time in {symbol}')
    before[:] = [replace(c, role=ColumnRole.SKIP, form=TimeForm.NUMBER) if c.form is TimeForm.INDEX else c for c in before]
    return Column(plain, symbol, ColumnRole.TIME)


def _candidate(heading: Heading, style: Style) -> Candidate:
    return Candidate(heading.name, claim_of(heading.name, heading.unit), _values(heading.cells, style))


def _first_time(headings: Sequence[Heading], style: Style) -> int | None:
    """Return which column of numbers is the first time; one that only its unit speaks for stands before all channels."""
    candidates = [
        Candidate("", Claim.NONE, ()) if heading.words or not heading.name else _candidate(heading, style) for heading in headings
    ]
    counting = next((k for k, heading in enumerate(headings) if not is_index(heading.name)), 0)
    for k in range(counting + 1, len(candidates)):
        if candidates[k].claim is Claim.UNIT:
            candidates[k] = Candidate("", Claim.NONE, ())
    found = first_time(candidates)
    written = (TimeForm.STAMP, TimeForm.CLOCK, TimeForm.ELAPSED)
    stamped = next((k for k, heading in enumerate(headings) if not heading.words and _form(heading, style) in written), None)
    return stamped if stamped is not None and (found is None or candidates[found].claim < Claim.WORD) else found


def _are(cells: Sequence[str], kind: "object") -> bool:
    return bool(cells) and all(kind(cell) for cell in cells)  # type: ignore[operator]


def _day_beside(k: int, headings: Sequence[Heading]) -> int | None:
    """Return the number, from 1, of a column of dates beside column k, or None."""
    return next((at + 1 for at in (k - 1, k + 1) if 0 <= at < len(headings) and _are(headings[at].cells, is_date)), None)


def _order(cells: Sequence[str], found: Roles) -> str:
    order, certain = date_order(cells)
    if not certain:
        found.told.append(remarks.order_guessed(cells[0], order == DAY_FIRST))
    return order


def _form(heading: Heading, style: Style) -> TimeForm:
    """Return how the cells of a column are written, as far as it may be a time."""
    cells = heading.cells
    if _are(cells, is_stamp):
        return TimeForm.STAMP
    if _are(cells, is_clock) and all(plainly(cell).count(":") == 2 for cell in cells):
        return TimeForm.CLOCK
    if cells and all(ELAPSED.match(cell) for cell in cells):
        return TimeForm.ELAPSED
    dated, timed = names_a_date(heading.name), is_time(heading.name, heading.unit) or says_since_1970(heading.name)
    values = _values(cells, style) if dated or timed else []
    if not values:
        return TimeForm.NUMBER
    if dated and heading.unit in (None, "d", "days") and _DAY_NUMBERS[0] < values[0] < _DAY_NUMBERS[1]:
        return TimeForm.DAYS
    if timed and _unit_since_1970(heading, style):
        return TimeForm.SINCE_1970
    return TimeForm.NUMBER


def _values(cells: Sequence[str], style: Style) -> list[float]:
    try:
        return [style.value(cell) for cell in cells]
    except ValueError:
        return []


def _unit_since_1970(heading: Heading, style: Style) -> str:
    """Return the unit that numbers which can be times since 1970 count in; empty where they cannot. A stated unit counts."""
    values = _values(heading.cells, style)
    if not values or min(values) <= 0:
        return ""
    told = known_unit(heading.unit) if heading.unit else None
    for low, high, symbol in _SINCE_1970:
        unit = known_unit(symbol)
        if unit is not None and low < values[0] < high and (told is None or told.factor == unit.factor):
            return symbol
    return ""


def _nameless_first(headings: Sequence[Heading], style: Style, columns: list[Column], found: Roles) -> Column:
    """Return what the first column is where none has a name: a time that rises evenly, or the number of the sample."""
    first = columns[0]
    values = _values(headings[0].cells, style)
    steps = [b - a for a, b in pairwise(values)]
    if (
        first.role is not ColumnRole.CHANNEL
        or len(columns) < 2
        or len(steps) < 2
        or min(steps) <= 0
        or max(steps) >= 1.5 * min(steps)
    ):
        return first
    if all(step == 1 for step in steps) and all("." not in cell and "," not in cell for cell in headings[0].cells):
        found.reasons.append("column 1 counts the samples")
        return Column("n", "1", ColumnRole.TIME, form=TimeForm.INDEX)
    found.reasons.append("column 1 rises evenly and is taken as the time in s")
    found.told.append(remarks.unit_of_time_guessed("column 1"))
    return Column("t", "s", ColumnRole.TIME, form=first.form)


def _by_time(columns: list[Column], found: Roles) -> list[Column]:
    """Return the columns, each channel with the time that stands before it; a second time with no channel behind is left out."""
    times = [k for k, c in enumerate(columns) if c.role is ColumnRole.TIME]
    kept = list(columns)
    bases: list[int] = []
    for at, k in enumerate(times):
        end = times[at + 1] if at + 1 < len(times) else len(columns)
        before = columns[:k] if not bases else columns[bases[-1] : k]
        serves = any(c.role is ColumnRole.CHANNEL for c in columns[k:end])
        apart = any(c.role is ColumnRole.CHANNEL for c in before)
        if not bases or (serves and apart):
            bases.append(k)
        else:
            kept[k] = replace(columns[k], role=ColumnRole.SKIP)
            why = "a second time beside the first" if serves else "a time with no channel behind it"
            found.told.append(remarks.left_out([columns[k].name], why))
    for k, column in enumerate(kept):
        base = max(bisect_right(bases, k) - 1, 0)
        if column.role is ColumnRole.DATE:
            base = next((at for at, start in enumerate(bases) if abs(start - k) == 1), base)
        kept[k] = replace(column, base=base)
    found.n_bases = max(len(bases), 1)
    if found.n_bases > 1:
        groups = [
            ([c.name for c in kept if c.base == at and c.role is ColumnRole.CHANNEL], f"by {columns[k].name}")
            for at, k in enumerate(bases)
        ]
        found.told.append(remarks.several_rates(groups))
    return kept


def _tell_what_words_hide(headings: Sequence[Heading], found: Roles) -> None:
    """Tell which columns with a name are left out, as they hold words or are empty."""
    names = [
        column.name
        for heading, column in zip(headings, found.columns, strict=True)
        if heading.name and (heading.words or not heading.cells) and column.role is ColumnRole.SKIP
    ]
    if names:
        found.told.append(remarks.left_out(names, "no numbers in it" if len(names) == 1 else "no numbers in them"))
