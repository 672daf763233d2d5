"""What the first lines of a text say: names, units, what each column is for, what is stated above the numbers."""

import re

import msgspec

from pantelos.formats import header, remarks
from pantelos.formats.dialect import Column, ColumnRole, Dialect, TimeBase, TimeForm
from pantelos.formats.heading_names import known_unit, looks_like_units, split_name
from pantelos.formats.text.cells import is_missing
from pantelos.formats.text.layout import DELIMITERS, Layout
from pantelos.formats.text.roles import Heading, roles_of
from pantelos.notice import Notice

_COMMENTS = ("#", "%", "//", "!")
_GROUP_NAMES = {",": "commas", ".": "points", "'": "apostrophes"}
_SLOW_ROWS, _SLOW_CELLS = 4, 100_000  # values that show how often a slow column is filled; cells that are looked at
_SKETCHED_ROWS, _SKETCHED_CELLS = 600, 8000


class _HeaderLines(msgspec.Struct):
    names: int | None = None
    units: int | None = None


class Beginning:
    """The `dialect`, the `metadata` above the numbers, the `reasons`, what is `told`, and when the first sample `began`."""

    def __init__(self, lines: list[str], layout: Layout, encoding: str) -> None:
        self._lines, self.layout, self._style = lines, layout, layout.style
        self.comment = next((sign for sign in _COMMENTS if any(line.lstrip().startswith(sign) for line in lines)), "")
        self.reasons = [self._how_rows_look()]
        self.told: list[Notice] = []
        self._first_rows: list[list[str]] | None = None
        self._n_bases = 1
        at = self._header_lines()
        top = min((x for x in (at.names, at.units, layout.first) if x is not None), default=0)
        self.metadata = [pair for line in lines[:top] if (pair := header.key_value(line))]
        for k in range(top, layout.first):
            if k not in (at.names, at.units) and lines[k].strip():
                self._take_statement(k)
        self.began = header.stated_start(self.metadata)
        if self.began is not None:
            self.reasons.append(f"began {self.began.text(3).replace('T', ' ')}")
        if at.names is not None:
            self.reasons.append(
                f"names in line {at.names + 1}" + (f", units in line {at.units + 1}" if at.units is not None else "")
            )
        columns = self._with_statements(self._columns(at))
        rate = header.stated_rate(self.metadata, self._style.decimal)
        timed = next((c for c in columns if c.role is ColumnRole.TIME), None)
        rate_hz, start_s = None, 0.0
        if rate is not None and (timed is None or timed.form is TimeForm.INDEX):
            rate_hz, words = rate
            self.reasons.append(f'{rate_hz:g} samples per second from "{words}"')
            trigger = header.stated_trigger(self.metadata)
            if trigger is not None:
                start_s = (self._first_index(columns) - trigger[0]) / rate_hz
                self.reasons.append(f'time zero is sample {trigger[0]}, from "{trigger[1]}"')
        elif timed is not None and timed.form is TimeForm.INDEX:  # nothing says how far apart samples are
            columns = tuple(msgspec.structs.replace(c, role=ColumnRole.SKIP) if c.role is ColumnRole.TIME else c for c in columns)
        self.dialect = Dialect(
            self._style.delimiter,
            self._style.decimal,
            self._style.thousands,
            self._style.suffixes,
            self.comment,
            encoding,
            None if at.names is None else at.names + 1,
            None if at.units is None else at.units + 1,
            layout.first + 1,
            columns,
            rate_hz,
            start_s,
            further=(TimeBase(),) * (self._n_bases - 1),
        )
        if self._n_bases == 1:
            self.dialect = self._with_slow_columns(self.dialect)

    def _with_slow_columns(self, dialect: Dialect) -> Dialect:
        """Return the dialect with a time base of its own for channels that are filled in every so many rows only."""
        most = min(_SKETCHED_ROWS, max(_SLOW_CELLS // self.layout.n_columns, _SLOW_ROWS**3))
        rows = [self._style.split(line) for line in self._lines[self.layout.first :][:most] if self.layout.fits(line)]
        slow: dict[tuple[int, int], list[int]] = {}
        for k, _ in dialect.channels:
            given = [at for at, row in enumerate(rows) if row[k].strip()]
            every = given[1] - given[0] if len(given) > 1 else 1
            if every > 1 and len(given) >= _SLOW_ROWS and given == list(range(given[0], len(rows), every)) and given[0] < every:
                slow.setdefault((every, given[0]), []).append(k)
        if not slow or len(dialect.channels) == sum(map(len, slow.values())):
            return dialect
        timed = dialect.time_column is not None
        columns, bases = list(dialect.columns), list[TimeBase]()
        for (every, first), members in slow.items():
            rate = dialect.rate_hz if timed or dialect.rate_hz is None else dialect.rate_hz / every
            start_s = dialect.start_s + (0.0 if timed or not dialect.rate_hz else first / dialect.rate_hz)
            bases.append(TimeBase(rate, start_s, every, first))
            for k in members:
                columns[k] = msgspec.structs.replace(columns[k], base=len(bases))
            self.told.append(remarks.slow([columns[k].name for k in members], every))
        return msgspec.structs.replace(dialect, columns=tuple(columns), further=tuple(bases))

    def _first_index(self, columns: tuple[Column, ...]) -> float:
        """Return the number of the first sample, where a column counts them; else 0."""
        at = next((k for k, column in enumerate(columns) if column.form is TimeForm.INDEX), None)
        cells = self._cells(at) if at is not None else []
        return self._value(cells[0], 1.0) if cells and self._style.is_number(cells[0]) else 0.0

    def beginning(self) -> tuple[tuple[float, ...], ...]:
        """Return the first values of every column, NaN where there is none."""
        layout, columns = self.layout, self.dialect.columns
        n_rows = min(_SKETCHED_ROWS, _SKETCHED_CELLS // layout.n_columns)
        rows = [self._style.split(line) for line in self._lines[layout.first :][:n_rows] if layout.fits(line)]
        return tuple(
            tuple(self._value(row[k], column.scale) for row in rows) if column.role is ColumnRole.CHANNEL else ()
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
        text = (
            f"{layout.n_rows} of the first {min(len(self._lines), 400)} lines are {layout.n_columns} numbers separated by "
            f"{DELIMITERS.get(style.delimiter, repr(style.delimiter))}, decimal {sign}"
        )
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
            stated = pair and (
                header.stated_rate([pair], self._style.decimal)
                or header.stated_start([pair])
                or header.stated_trigger([pair])
                or self._speaks_of_channels(pair)
            )
            if not fits and self.comment and lines[at].lstrip().startswith(self.comment):
                continue
            if fits and (stated or self._is_statement(cells)):
                continue  # ranges stand between names and numbers
            if not fits or self._style.is_data(cells) or stated:
                break
            fitting.append(at)
        if not fitting:
            return _HeaderLines()
        labelled = not self._cells(0)  # the first column heads the lines above
        if len(fitting) > 1 and looks_like_units(self._names(lines[fitting[0]])[labelled:]):
            return _HeaderLines(fitting[1], fitting[0])
        return _HeaderLines(fitting[0])

    def _is_statement(self, cells: list[str]) -> bool:
        """Return whether a line holds numbers of the channels, and nothing or a word of its own in its first cell."""
        if self._cells(0):  # rows have their time there
            return is_missing(cells[0]) and self._style.is_data(cells)
        return not is_missing(cells[0]) and self._style.is_data(cells[1:])

    def _take_statement(self, k: int) -> None:
        """Take a line between names and numbers as what it says of the channels, or say that it is left out."""
        cells = self._names(self._lines[k])
        pair = (cells[0], ";".join(cell for cell in cells[1:] if cell))
        if cells[0] and self._speaks_of_channels(pair):
            self.metadata.append(pair)
        elif self._style.is_data(cells):
            self.told.append(remarks.unlabelled(k + 1, self._lines[k]))

    def _speaks_of_channels(self, pair: tuple[str, str]) -> bool:
        found = header.stated_of_channels([pair], [str(k) for k in range(self.layout.n_columns)], self._style.decimal)
        return bool(found.ranges or found.scales)

    def _columns(self, at: _HeaderLines) -> tuple[Column, ...]:
        names = self._names(self._lines[at.names]) if at.names is not None else []
        units = self._names(self._lines[at.units]) if at.units is not None else []
        if names and len(names) == self.layout.n_columns - 1 and self.layout.n_columns > 2:
            names = ["", *names] if not self._cells(0) else names
        headings = []
        for k in range(self.layout.n_columns):
            name, symbol = split_name(names[k].lstrip("# ") if k < len(names) and (k or self._cells(0)) else "")
            if k < len(units) and units[k]:
                symbol = units[k].strip('[]()" ')
            cells = self._cells(k)
            symbol = symbol or next((u for cell in cells if (u := self._style.unit_in(cell))), None)
            headings.append(Heading(name, symbol, tuple(cells), k in self.layout.words))
        found = roles_of(headings, self._style)
        self.reasons += found.reasons
        self.told += found.told
        self._n_bases = found.n_bases
        return found.columns

    def _cells(self, k: int) -> list[str]:
        """Return the first cells of a column."""
        if self._first_rows is None:
            rows = (self._style.split(line) for line in self._lines[self.layout.first : self.layout.first + 50])
            self._first_rows = [row for row in rows if len(row) == self.layout.n_columns]
        return [row[k] for row in self._first_rows if not is_missing(row[k])]

    def _with_statements(self, columns: tuple[Column, ...]) -> tuple[Column, ...]:
        """Return the columns with units, scales and ranges that the preamble states."""
        names = [column.name for column in columns if column.role is ColumnRole.CHANNEL]
        stated = header.stated_of_channels(self.metadata, names, self._style.decimal, self._style.thousands)
        changed = []
        ranges: dict[str, list[str]] = {}
        for column in columns:
            symbol = column.unit if column.unit != "1" else stated.units.get(column.name, column.unit)
            scale = stated.scales.get(column.name, 1.0) if column.role is ColumnRole.CHANNEL else 1.0
            reach = self._reach(stated.ranges.get(column.name), symbol)
            if scale != 1.0:
                self.reasons.append(f"numbers of {column.name} are multiplied by {scale:g}, as the preamble says")
            if reach is not None:
                ranges.setdefault(f"±{reach:g} {symbol}", []).append(column.name)
            changed.append(msgspec.structs.replace(column, unit=symbol, scale=scale, range=reach))
        for reach_text, of in ranges.items():
            self.reasons.append(
                f"range {reach_text}: {', '.join(of) if len(of) < 6 else f'{len(of)} channels, {of[0]} to {of[-1]}'}"
            )
        return tuple(changed)

    @staticmethod
    def _reach(stated: tuple[float, str] | None, symbol: str) -> float | None:
        own = known_unit(symbol)
        if stated is None or own is None:
            return None
        given = known_unit(stated[1]) if stated[1] else own
        return stated[0] * given.factor / own.factor if given is not None and given.like(own) else None
