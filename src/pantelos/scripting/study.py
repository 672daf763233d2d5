"""A study and its record: the centre of the library."""

from collections.abc import Iterator, Sequence
from html import escape
from pathlib import Path
from typing import Any

import msgspec

from pantelos.changes.options import Around, changed, options
from pantelos.changes.panel_words import panel_from
from pantelos.checks import run_checks
from pantelos.engine.asking import answer
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.formula.derived import Blocks, Scalar
from pantelos.notation import counted
from pantelos.scripting.figure import Figure
from pantelos.scripting.table import Table
from pantelos.scripting.value import Value
from pantelos.scripting.waveform import Channel, Series
from pantelos.study import model
from pantelos.study import operations as op
from pantelos.study.recordings import Recordings
from pantelos.study.sentences import search_from
from pantelos.study.storage import save_study
from pantelos.tables.building import build_tables
from pantelos.tables.composition import compose
from pantelos.tables.explaining import explain_expression
from pantelos.tables.kinds import TABLES
from pantelos.tables.sample_export import write_samples
from pantelos.tables.writing import write_report


class Event(msgspec.Struct, frozen=True):
    """An instant at which something happens."""

    time_s: float
    value: float  # in `unit`
    unit: str


class Finding(msgspec.Struct, frozen=True):
    """What a check found: `severity` is fine, note, caution or fault."""

    severity: str
    text: str
    detail: str
    channel: str | None
    connection: str | None


class Interval(msgspec.Struct, frozen=True):
    """A named stretch of the record; `rule` says how it is found, where it is found by rule."""

    name: str
    start_s: float
    stop_s: float
    rule: str


class Study:
    """A study on its record. It never changes: what changes it returns another one, on the same record."""

    def __init__(self, study: model.Study, recordings: Recordings, path: Path | None = None) -> None:
        self._study, self._recordings, self.path = study, recordings, path
        self._evaluation = Evaluation(study, recordings.record(study.record))

    # what there is

    @property
    def title(self) -> str:
        """Its title."""
        return self._study.title

    @property
    def names(self) -> tuple[str, ...]:
        """Channels and formulas, in their order."""
        return self._study.names

    @property
    def formulas(self) -> dict[str, str]:
        """The texts of its formulas by their names."""
        return {formula.name: formula.expression for formula in self._study.formulas}

    @property
    def intervals(self) -> dict[str, Interval]:
        """Its intervals by their names."""
        return {one.name: Interval(one.name, one.start_s, one.stop_s, one.rule) for one in self._study.intervals}

    @property
    def active(self) -> str | None:
        """The interval that numbers are of unless one is named; None: the whole record."""
        return self._study.active

    @property
    def connections(self) -> dict[str, dict[str, str]]:
        """The channel in each socket of each connection."""
        return {one.name: dict(one.sockets) for one in self._study.connections}

    @property
    def rate_hz(self) -> float:
        """Samples per second of the record."""
        return self._evaluation.record.rate_hz

    @property
    def span_s(self) -> tuple[float, float]:
        """Where the record begins and ends, s."""
        return self._evaluation.record.start_s, self._evaluation.record.stop_s

    def __contains__(self, name: object) -> bool:
        return name in self.names

    def __iter__(self) -> Iterator[str]:
        return iter(self.names)

    def __len__(self) -> int:
        return len(self.names)

    def __getitem__(self, name: str) -> Channel | Series | Value:
        """Return a channel or formula: over time, per piece, or as its one value.

        Raises
        ------
        StudyError
            When there is none of that name, or it cannot be computed.
        """
        found = self._evaluation.samples.resolve(name)
        if isinstance(found, Scalar):
            return self.value(name)
        return Series(self._evaluation, name, found) if isinstance(found, Blocks) else Channel(self._evaluation, name, found)

    # numbers

    def value(self, expression: str, interval: str | None = None) -> Value:
        """Return a reading or formula, such as `mean(p1) in steady`, over an interval where it names none itself.

        Raises
        ------
        StudyError
            When it is not understood, is no single value, or has none: saying why.
        """
        evaluation = self._within(interval)
        return Value(
            answer(evaluation, expression), evaluation.times.name(None), lambda: explain_expression(evaluation, expression).text
        )

    def series(self, expression: str, interval: str | None = None) -> Series:
        """Return a reading per piece, such as `rms(u1) over cycles(u1)`.

        Raises
        ------
        StudyError
            When it is not understood, or is no series.
        """
        evaluation = self._within(interval)
        found = evaluation.value(expression)
        if not isinstance(found, Blocks):
            raise StudyError(f'"{expression}" is no series. Ask for a reading per piece, such as rms(u1) over cycles(u1).')
        return Series(evaluation, expression, found)

    def explain(self, expression: str, interval: str | None = None) -> str:
        """Return all that stands behind a number, as text."""
        return explain_expression(self._within(interval), expression).text

    def events(self, what: str) -> list[Event]:
        """Return events of the study by name, or those a sentence speaks of, such as `u1 rises through 0 V`."""
        known = {search.name: search for search in self._study.searches}
        found = self._evaluation.events.find(known.get(what) or search_from(what, self._evaluation.names.types))
        instants = [self._evaluation.times.instant(position) for position in found.positions.tolist()]
        values = (found.values / found.unit.factor).tolist()
        return [Event(at, value, found.unit.symbol) for at, value in zip(instants, values, strict=True)]

    def checks(self) -> list[Finding]:
        """Return what may be wrong with the data or the wiring, and what was found fine."""
        return [Finding(str(n.severity), n.text, n.detail, n.channel, n.connection) for n in run_checks(self._evaluation)]

    # tables and pictures

    @property
    def table_ids(self) -> tuple[str, ...]:
        """The tables there are, of any study."""
        return tuple(TABLES.names)

    def table(self, id_: str, intervals: Sequence[str] | None = None) -> Table:
        """Return a table, over some intervals or all of the study.

        Raises
        ------
        StudyError
            When there is none of that name, or the study cannot fill it: saying what it lacks.
        """
        return Table(build_tables(self._evaluation, [id_], intervals).tables[0])

    def figure(self, panel: str) -> Figure:
        """Return a panel as a picture, written as in `spectrum i1 flat-top in steady`."""
        return Figure(self._evaluation, panel_from(self._study, panel))

    def report(self, path: str | Path, sheets: Sequence[str] | None = None) -> Path:
        """Write the report of the study as HTML, PDF or XLSX, and return where."""
        target = Path(path)
        made = compose(self._evaluation, run_checks(self._evaluation), None, sheets)
        write_report(made, self._evaluation, target)
        return target

    def write(self, path: str | Path, names: Sequence[str] | None = None, interval: str | None = None) -> Path:
        """Write samples of channels and formulas to CSV, HDF5, NPZ, Parquet, WAV …; of the whole record without an interval."""
        target = Path(path)
        write_samples(self._evaluation, target, names, interval, interval is None, None)
        return target

    # other studies

    def edited(self, **changes: Any) -> "Study":
        """Return the study with changes, named and written as the options of the command `edit`: `formula=["p = u * i"]`.

        Raises
        ------
        StudyError
            When a change is not known or does not fit.
        """
        known = {row.name: row for row in options(new=False)}
        unknown = next((name for name in changes if name not in known), None)
        if unknown is not None:
            raise StudyError(f'There is no change "{unknown}"; there are {", ".join(known)}.')
        said = {
            name: [value] if isinstance(value, str) and known[name].kind == list[str] else value
            for name, value in changes.items()
        }
        return self._with(changed(self._study, said, Around(self._recordings)))

    def with_formula(self, *formulas: str) -> "Study":
        """Return the study with formulas, such as `p2 = u2 * i2`; one of the same name is replaced."""
        return self.edited(formula=list(formulas))

    def with_interval(self, name: str, where: str) -> "Study":
        """Return the study with an interval that is the active one: `6.4 .. 8.4`, or a rule such as `the last 10 s`."""
        return self.edited(interval=[f"{name}={where}"])

    def with_connection(self, name: str, kind: str, **sockets: str) -> "Study":
        """Return the study with a connection of a kind such as `three-phase-4w`, and the channels in its sockets."""
        placed = ", ".join(f"{socket}={channel}" for socket, channel in sockets.items())
        return self.edited(connection=[f"{name}={kind}: {placed}"])

    def with_scaling(self, **chains: str) -> "Study":
        """Return the study with transducers, such as `i1="clamp 100 mV/A, reversed"`."""
        study = self._study
        for name, chain in chains.items():
            study = op.scale_channel(study, name, chain)
        return self._with(study)

    def with_active(self, interval: str) -> "Study":
        """Return the study with another interval as the active one."""
        return self.edited(active=interval)

    def save(self, path: str | Path) -> "Study":
        """Save it and return it with its path.

        Raises
        ------
        StudyError
            When its record is in no file yet: `write` makes one, and `read` opens it.
        FileAccessError
            When it cannot be written.
        """
        if self._study.record is None:
            raise StudyError("The record of this study is in no file. Write it with .write(FILE), and read that.")
        target = Path(path)
        save_study(self._study, target)
        return Study(self._study, self._recordings, target)

    def _with(self, study: model.Study) -> "Study":
        made = Study.__new__(Study)
        made._study, made._recordings, made.path = study, self._recordings, self.path
        same = study.record == self._study.record
        made._evaluation = self._evaluation.on(study) if same else Evaluation(study, self._recordings.record(study.record))
        return made

    def _within(self, interval: str | None) -> Evaluation:
        return self._evaluation if interval is None else self._evaluation.on(op.activate(self._study, interval))

    def __repr__(self) -> str:
        start, stop = self.span_s
        return f'<study "{self.title}": {counted(len(self.names), "name")}, {stop - start:.6g} s at {self.rate_hz:g} Hz>'

    def _repr_html_(self) -> str:
        cells = (
            ("names", ", ".join(self.names)),
            ("intervals", ", ".join(self.intervals)),
            ("record", f"{self.span_s[1] - self.span_s[0]:.6g} s at {self.rate_hz:g} Hz"),
        )
        rows = "".join(f"<tr><th>{label}</th><td>{escape(text)}</td></tr>" for label, text in cells)
        return f"<table><caption>{escape(self.title)}</caption>{rows}</table>"
