"""What the first lines of a text say: names, units, what each column is for, what is stated above the numbers."""

import re
from dataclasses import dataclass
from itertools import pairwise

from pantelos.formats import header
from pantelos.formats.dialect import Column, Dialect, Role, TimeForm
from pantelos.formats.output import stamp
from pantelos.formats.text.cells import ELAPSED, STAMP, Style, is_missing
from pantelos.formats.text.layout import DELIMITERS, Layout

_COMMENTS = ("#", "%", "//", "!")
_DATE_NAMES = re.compile(r"\b(date|day|days)\b", re.IGNORECASE)
_GROUP_NAMES = {",": "commas", ".": "points", "'": "apostrophes"}
_SKETCHED_ROWS, _SKETCHED_CELLS = 600, 8000


@dataclass(slots=True)
class _HeaderLines:
    names: int | None = None
    units: int | None = None


class Beginning:
    """The `dialect`, the `metadata` above the numbers, the `reasons`, and `began_ns`: date and time of the first sample."""

    def __init__(self, lines: list[str], layout: Layout, encoding: str) -> None:
        self._lines, self.layout, self._style = lines, layout, layout.style
        self.comment = next((sign for sign in _COMMENTS if any(line.lstrip().startswith(sign) for line in lines)), "")
        self.reasons = [self._how_rows_look()]
        at = self._header_lines()
        top = min((x for x in (at.names, at.units, layout.first) if x is not None), default=0)
        self.metadata = [pair for line in lines[:top] if (pair := header.key_value(line))]
        self.began_ns = header.stated_start(self.metadata)
        if self.began_ns is not None:
            self.reasons.append(f"began {stamp(self.began_ns)[:23].replace('T', ' ')}")
        if at.names is not None:
            self.reasons.append(
                f"names in line {at.names + 1}" + (f", units in line {at.units + 1}" if at.units is not None else "")
            )
        columns = self._with_statements(self._columns(at))
        rate = header.stated_rate(self.metadata, self._style.decimal)
        timed = next((c for c in columns if c.role is Role.TIME), None)
        rate_hz, start_s = None, 0.0
        if rate is not None and (timed is None or timed.form is TimeForm.INDEX):
            rate_hz, words = rate
            self.reasons.append(f'{rate_hz:g} samples per second from "{words}"')
            trigger = header.stated_trigger(self.metadata)
            if trigger is not None and timed is None:
                start_s = -trigger[0] / rate_hz
                self.reasons.append(f'time zero is sample {trigger[0]}, from "{trigger[1]}"')
        elif timed is not None and timed.form is TimeForm.INDEX:  # nothing says how far apart samples are
            columns = tuple(_with_role(c, Role.SKIP) if c.role is Role.TIME else c for c in columns)
        self.dialect = Dialect(
            self._style.delimiter, self._style.decimal, self._style.thousands, self._style.suffixes, self.comment, encoding,
            None if at.names is None else at.names + 1, None if at.units is None else at.units + 1, layout.first + 1,
            columns, rate_hz, start_s,
        )  # fmt: skip

    def beginning(self) -> tuple[tuple[float, ...], ...]:
        """Return the first values of every column, NaN where there is none."""
        layout, columns = self.layout, self.dialect.columns
        n_rows = min(_SKETCHED_ROWS, _SKETCHED_CELLS // layout.n_columns)
        rows = [self._style.split(line) for line in self._lines[layout.first :][:n_rows] if layout.fits(line)]
        return tuple(
            tuple(self._value(row[k], column.scale) for row in rows) if column.role is Role.CHANNEL else ()
            for k, column in enumerate(columns)
        )

    def _value(self, cell: str, scale: float) -> float:
        try:
            return self._style.value(cell) * scale
        except ValueError:
            return float("nan")

    def _how_rows_look(self) -> str:
        style, layout = self._style, self.layout
        sign = "point" if style.decimal == "." else "comma"
        text = (f"{layout.n_rows} of the first {min(len(self._lines), 400)} lines are {layout.n_columns} numbers separated by "
                f"{DELIMITERS.get(style.delimiter, repr(style.delimiter))}, decimal {sign}")  # fmt: skip
        if style.thousands:
            text += f", digits in groups of three by {_GROUP_NAMES.get(style.thousands, 'blanks')}"
        return text + (", with prefixes behind the numbers" if style.suffixes else "")

    def _names(self, line: str) -> list[str]:
        """Return the cells of a header line; names separated by blanks keep the unit in brackets behind them."""
        text = line.lstrip("".join(_COMMENTS) + " ") if self.comment else line
        if self._style.delimiter != " ":
            return self._style.split(text)
        wide = [cell for cell in re.split(r"\s{2,}|\t", text.strip()) if cell]
        return wide if len(wide) == self.layout.n_columns else re.findall(r"\S+(?:\s+[\[(][^\])]*[\])])?", text)

    def _header_lines(self) -> _HeaderLines:
        """Return the indices of the line of names and the line of units above the numbers."""
        layout, lines = self.layout, self._lines
        above = [at for at in range(layout.first - 1, max(layout.first - 5, -1), -1) if lines[at].strip()]
        fitting = []
        for at in above:
            cells = self._names(lines[at])
            fits = len(cells) == layout.n_columns or (abs(len(cells) - layout.n_columns) == 1 and layout.n_columns > 2)
            pair = header.key_value(lines[at])
            stated = pair and (header.stated_rate([pair], self._style.decimal) or header.stated_start([pair])
                               or header.stated_trigger([pair]) or self._speaks_of_channels(pair))  # fmt: skip
            if not fits and self.comment and lines[at].lstrip().startswith(self.comment):
                continue
            if not fits or self._style.is_data(cells) or stated:
                break
            fitting.append(at)
        if not fitting:
            return _HeaderLines()
        if len(fitting) > 1 and header.looks_like_units(self._names(lines[fitting[0]])):
            return _HeaderLines(fitting[1], fitting[0])
        return _HeaderLines(fitting[0])

    def _speaks_of_channels(self, pair: tuple[str, str]) -> bool:
        found = header.stated_of_channels([pair], [str(k) for k in range(self.layout.n_columns)], self._style.decimal)
        return bool(found.ranges or found.scales)

    def _columns(self, at: _HeaderLines) -> tuple[Column, ...]:
        names = self._names(self._lines[at.names]) if at.names is not None else []
        units = self._names(self._lines[at.units]) if at.units is not None else []
        if names and len(names) == self.layout.n_columns - 1 and self.layout.n_columns > 2:
            names = ["", *names] if not self._cells(0) else names
        columns: list[Column] = []
        for k in range(self.layout.n_columns):
            name, symbol = header.split_name(names[k].lstrip("# ") if k < len(names) else "")
            if k < len(units) and units[k]:
                symbol = units[k].strip('[]()" ')
            cells = self._cells(k)
            symbol = symbol or next((u for cell in cells if (u := self._style.unit_in(cell))), None)
            columns.append(self._column(k, name, symbol, cells, columns))
        if not names and self.layout.n_columns > 1 and self._rises_evenly():
            columns[0] = Column("t", "s", Role.TIME, form=columns[0].form)
            self.reasons.append("column 1 rises evenly and is taken as the time in s")
        return tuple(columns)

    def _column(self, k: int, name: str, symbol: str | None, cells: list[str], before: list[Column]) -> Column:
        """Return what one column is for."""
        form = _form(name, symbol, cells, self._style)
        taken = {column.name for column in before}
        unique = name or f"ch{k + 1}"
        if unique in taken and k not in self.layout.words:
            unique = next(f"{unique}_{n}" for n in range(2, len(taken) + 3) if f"{unique}_{n}" not in taken)
            self.reasons.append(f'the name "{name}" stands there twice: column {k + 1} is called {unique}')
        first_time = all(column.role is not Role.TIME for column in before)
        if k in self.layout.words or (not name and not any(cells)):
            return Column(unique, "1", Role.SKIP)
        if form in (TimeForm.STAMP, TimeForm.ELAPSED, TimeForm.DAYS) and first_time:
            what = {TimeForm.STAMP: "date and time", TimeForm.ELAPSED: "time in h:mm:ss", TimeForm.DAYS: "time in days"}[form]
            self.reasons.append(f'column {k + 1}, "{unique}", is the {what}')
            return Column(unique, "s", Role.TIME, form=form)
        if form in (TimeForm.STAMP, TimeForm.ELAPSED):
            return Column(unique, "1", Role.SKIP)
        if k == 0 and name and header.is_index(name):
            self.reasons.append(f'column 1, "{name}", counts the samples')
            return Column(unique, "1", Role.TIME, form=TimeForm.INDEX)
        if name and first_time and k <= 1 and header.is_time(name, symbol):
            self.reasons.append(f'column {k + 1}, "{name}", is the time in {symbol or "s"}')
            before[:] = [_with_role(c, Role.SKIP) if c.form is TimeForm.INDEX else c for c in before]
            return Column(unique, symbol or "s", Role.TIME)
        return Column(unique, symbol or "1")

    def _cells(self, k: int) -> list[str]:
        """Return the first cells of a column."""
        rows = (self._style.split(line) for line in self._lines[self.layout.first : self.layout.first + 50])
        return [row[k] for row in rows if len(row) == self.layout.n_columns and not is_missing(row[k])]

    def _rises_evenly(self) -> bool:
        """Return whether the first column looks like a time."""
        try:
            times = [self._style.value(cell) for cell in self._cells(0)]
        except ValueError:
            return False
        steps = [b - a for a, b in pairwise(times)]
        return len(steps) > 1 and min(steps) > 0 and max(steps) < 1.5 * min(steps)

    def _with_statements(self, columns: tuple[Column, ...]) -> tuple[Column, ...]:
        """Return the columns with units, scales and ranges that the preamble states."""
        names = [column.name for column in columns if column.role is Role.CHANNEL]
        stated = header.stated_of_channels(self.metadata, names, self._style.decimal, self._style.thousands)
        changed = []
        ranges: dict[str, list[str]] = {}
        for column in columns:
            symbol = column.unit if column.unit != "1" else stated.units.get(column.name, column.unit)
            scale = stated.scales.get(column.name, 1.0) if column.role is Role.CHANNEL else 1.0
            reach = self._reach(stated.ranges.get(column.name), symbol)
            if scale != 1.0:
                self.reasons.append(f"numbers of {column.name} are multiplied by {scale:g}, as the preamble says")
            if reach is not None:
                ranges.setdefault(f"±{reach:g} {symbol}", []).append(column.name)
            changed.append(Column(column.name, symbol, column.role, scale, reach, column.form))
        for reach_text, of in ranges.items():
            self.reasons.append(
                f"range {reach_text}: {', '.join(of) if len(of) < 6 else f'{len(of)} channels, {of[0]} to {of[-1]}'}"
            )
        return tuple(changed)

    @staticmethod
    def _reach(stated: tuple[float, str] | None, symbol: str) -> float | None:
        own = header.known_unit(symbol)
        if stated is None or own is None:
            return None
        given = header.known_unit(stated[1]) if stated[1] else own
        return stated[0] * given.factor / own.factor if given is not None and given.like(own) else None


def _with_role(column: Column, role: Role) -> Column:
    """Return a column in another role."""
    return Column(column.name, column.unit, role, column.scale, column.range)


def _form(name: str, symbol: str | None, cells: list[str], style: Style) -> TimeForm:
    """Return how the cells of a column are written, as far as it may be a time."""
    if cells and all(STAMP.match(cell) for cell in cells):
        return TimeForm.STAMP
    if cells and all(ELAPSED.match(cell) for cell in cells):
        return TimeForm.ELAPSED
    if _DATE_NAMES.search(name) and symbol in (None, "d", "days"):
        try:
            values = [style.value(cell) for cell in cells]
        except ValueError:
            return TimeForm.NUMBER
        if values and 20_000 < values[0] < 80_000:
            return TimeForm.DAYS
    return TimeForm.NUMBER
