"""Commands that ask a study: show, tables, value, spectrum, checks, convert, functions, schema."""

from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from pantelos.cli.recording import StudyPath
from pantelos.cli.reporting import say_json, say_table, shown_progress
from pantelos.errors import StudyError
from pantelos.formula.derived import Condition, Scalar, Series
from pantelos.formula.functions import function_help
from pantelos.formula.syntax import parse, single_reading
from pantelos.notation import with_unit
from pantelos.power.wiring import WIRINGS, wiring
from pantelos.reading.kinds import READINGS, reading_kind
from pantelos.record.waveform import Waveform
from pantelos.signal.spectrum import SpectralWindow
from pantelos.study import operations as op
from pantelos.study.accuracy import noise_lift
from pantelos.study.checks import run_checks
from pantelos.study.evaluation import Evaluation, series_points
from pantelos.study.opening import record_of
from pantelos.study.samples import WRITTEN_SUFFIXES, write_samples
from pantelos.study.storage import load_study, schema
from pantelos.study.tabulation import TABLES, build_tables
from pantelos.tables.writers import WRITERS, write_tables
from pantelos.units import unit

AsJson = Annotated[bool, typer.Option("--json", help="Print as JSON.")]
OneInterval = Annotated[str | None, typer.Option("--interval", help="Interval (the active one).")]
SomeIntervals = Annotated[list[str] | None, typer.Option("--interval", help="Interval; all of them when left out. Repeatable.")]


def opened(path: Path) -> Evaluation:
    """Return the evaluation of the study in a file, its record opened."""
    study = load_study(path)
    if study.record is None:
        raise StudyError(f"{path} has no record. Make one with: pantelos new STUDY RECORDING.")
    with shown_progress("opening") as progress:
        return Evaluation(study, record_of(study, progress))


def within(evaluation: Evaluation, interval: str | None) -> Evaluation:
    """Return the evaluation with that interval active."""
    if interval is None:
        return evaluation
    return Evaluation(op.activate(evaluation.study, interval), evaluation.record)


def show(study: StudyPath, as_json: AsJson = False) -> None:
    """Show what a study holds: channels, wiring, intervals, formulas."""
    evaluation = opened(study)
    made, record = evaluation.study, evaluation.record
    content: dict[str, Any] = {
        "title": made.title,
        "record": {"file": record.source.name, "fingerprint": record.fingerprint, "samples": record.n_samples,
                   "rate_hz": record.rate_hz, "duration_s": record.duration_s},
        "channels": [{"name": c.name, "column": c.column, "unit": evaluation.unit(c.name).symbol,
                      "scaling": c.scaling.text(unit(c.recorder_unit))} for c in made.channels],
        "formulas": [{"name": f.name, "text": f.text, "problem": str(evaluation.broken[f.name]) if f.name in evaluation.broken
                      else None} for f in made.formulas],
        "connections": [{"name": c.name, "wiring": c.wiring, "sockets": dict(c.sockets),
                         "reference": evaluation.reference_for(c).channel}
                        for c in made.connections],
        "intervals": [{"name": i.name, "start_s": i.start_s, "stop_s": i.stop_s, "cycles": evaluation.n_cycles(i.name)}
                      for i in made.intervals],
        "active": made.active, "reference": evaluation.reference.channel,
    }  # fmt: skip
    if as_json:
        say_json(content)
        return
    typer.echo(f"{made.title}\nrecord: {record.source.name}, {record.n_samples} samples at {record.rate_hz:g} Hz, "
               f"{record.duration_s:g} s, fingerprint {record.fingerprint[:12]}…")  # fmt: skip
    for channel in content["channels"]:
        typer.echo(f'channel {channel["name"]} [{channel["unit"]}] from "{channel["column"]}": {channel["scaling"]}')
    for formula in content["formulas"]:
        typer.echo(f"formula {formula['text']}" + (f"  ({formula['problem']})" if formula["problem"] else ""))
    for found in content["connections"]:
        sockets = ", ".join(f"{s}={c}" for s, c in found["sockets"].items())
        typer.echo(f"connection {found['name']}: {wiring(found['wiring']).title}, {sockets}")
    for place in content["intervals"]:
        mark = " (active)" if place["name"] == made.active else ""
        typer.echo(
            f"interval {place['name']}: {place['start_s']:.6f} s to {place['stop_s']:.6f} s, {place['cycles']:.3f} cycles{mark}"
        )


def tables(
    study: StudyPath,
    to: Annotated[list[Path] | None, typer.Option("--to", help="Write to this file; its suffix says the kind: "
                  + ", ".join(w.suffix for w in WRITERS) + ". Repeatable.")] = None,
    table: Annotated[list[str] | None, typer.Option("--table", help="Table: " + ", ".join(t.id for t in TABLES)
                     + "; all of them when left out. Repeatable.")] = None,
    interval: SomeIntervals = None,
    as_json: AsJson = False,
) -> None:  # fmt: skip
    """Compute tables; print them, or write them to files."""
    evaluation = opened(study)
    with shown_progress("computing") as progress:
        made = build_tables(evaluation, table, interval, progress)
    for path in to or []:
        write_tables(made, path)
        typer.echo(f"{path}: {', '.join(t.id for t in made.tables)}", err=as_json)
    if as_json:
        typer.echo(next(w for w in WRITERS if w.id == "json").write(made).decode("utf-8"), nl=False)
    elif not to:
        for each in made.tables:
            say_table(each)
            typer.echo("")


def value(
    study: StudyPath,
    formula: Annotated[str, typer.Argument(help="A reading or formula, such as 'mean(p1) in braking'.")],
    interval: OneInterval = None,
    without_noise: Annotated[bool, typer.Option("--without-noise", help="Take off what the stated noise adds to a reading "
                             "such as rms, max or thd.")] = False,
    as_json: AsJson = False,
) -> None:  # fmt: skip
    """Print a reading or formula; the study is not changed."""
    evaluation = within(opened(study), interval)
    found = evaluation.value(formula)
    if without_noise:
        found = _without_noise(evaluation, formula, found)
    match found:
        case Scalar():
            shown = found.unit
            if as_json:
                say_json({"formula": formula, "kind": "scalar", "value": found.value / shown.factor, "unit": shown.symbol,
                          "how": list(found.explained)})  # fmt: skip
            else:
                typer.echo(f"{found.value / shown.factor!r} {'' if shown.symbol == '1' else shown.symbol}".rstrip())
        case Series():
            points = [(start, v / found.unit.factor) for start, v in series_points(evaluation, found)]
            if as_json:
                say_json({"formula": formula, "kind": "series", "unit": found.unit.symbol,
                          "start_s": [p[0] for p in points], "values": [p[1] for p in points]})  # fmt: skip
            else:
                for start, v in points:
                    typer.echo(f"{start:.9g} {v!r} {found.unit.symbol}")
        case Condition():
            raise StudyError("A condition has no value of its own. Use it behind where.")
        case _:
            _print_waveform(evaluation, formula, found, as_json)


def _without_noise(evaluation: Evaluation, formula: str, found: object) -> Scalar:
    """Return a reading less what noise adds to it.

    Raises
    ------
    StudyError
        When the formula is more than one reading of a channel that states its noise.
    """
    called = single_reading(parse(formula)[1])
    kind = reading_kind(called.name) if called is not None else None
    if called is None or kind is None or kind.lift is None or not isinstance(found, Scalar):
        able = ", ".join(one.name for one in READINGS if one.lift is not None)
        raise StudyError(f'"{formula}": noise is taken off one reading at a time, of {able}. Ask for one of them.')
    lift = noise_lift(evaluation, kind, called.channels, called.interval)
    if not lift:
        raise StudyError(
            f'"{formula}": no noise is stated in the scaling of {", ".join(called.channels)}. State it, such as noise 1 mV.'
        )
    return Scalar(found.value - lift, found.unit, (*found.explained, f"less {lift:.6g} that noise adds on the average"))


def _print_waveform(evaluation: Evaluation, formula: str, found: Waveform, as_json: bool) -> None:
    """Print a waveform as its extremes in the active interval: all samples are what convert is for."""
    start, stop = (round(edge) for edge in evaluation.span(None))
    x = found.read(start, stop)
    x = x[np.isfinite(x)]
    low, high = (float(x.min()), float(x.max())) if len(x) else (float("nan"), float("nan"))
    if as_json:
        say_json({"formula": formula, "kind": "signal", "unit": found.unit.symbol, "interval": evaluation.interval_name(None),
                  "samples": stop - start, "missing": stop - start - len(x), "min": low / found.unit.factor,
                  "max": high / found.unit.factor})  # fmt: skip
        return
    typer.echo(f"{stop - start} samples in \"{evaluation.interval_name(None)}\", {with_unit(low, found.unit, 6)} to "
               f"{with_unit(high, found.unit, 6)}; use convert to write them")  # fmt: skip


def spectrum(
    study: StudyPath,
    channel: Annotated[str, typer.Argument(help="Channel or formula.")],
    interval: OneInterval = None,
    window: Annotated[SpectralWindow, typer.Option(help="Window.")] = SpectralWindow.HANN,
    to: Annotated[Path | None, typer.Option("--to", help="Write to this CSV file.")] = None,
) -> None:
    """Print the rms amplitude spectrum of a channel over an interval as lines of frequency and rms."""
    evaluation = opened(study)
    found = evaluation.spectrum(channel, interval, window)
    shown = evaluation.unit(channel)
    head = f"f [Hz],{channel} rms [{shown.symbol}]"
    lines = [
        head,
        *(f"{f!r},{a / shown.factor!r}" for f, a in zip(found.frequencies_hz.tolist(), found.rms.tolist(), strict=True)),
    ]
    if to is None:
        typer.echo("\n".join(lines))
        return
    from pantelos.files import write_whole

    write_whole(to, ("\n".join(lines) + "\n").encode())
    typer.echo(f"{to}: {found}, over {evaluation.interval_name(interval)}, resolution {found.resolution_hz:g} Hz")


def checks(study: StudyPath, as_json: AsJson = False) -> None:
    """Print what may be wrong with the data or the wiring."""
    notices = run_checks(opened(study))
    if as_json:
        say_json([{"severity": n.severity, "code": n.code, "text": n.text, "detail": n.detail, "channel": n.channel,
                   "connection": n.connection} for n in notices])  # fmt: skip
        return
    for notice in notices:
        typer.echo(f"{notice.severity:8} {notice.text}" + (f" ({notice.detail})" if notice.detail else ""))


def convert(
    study: StudyPath,
    to: Annotated[Path, typer.Argument(help="File to write: " + ", ".join(WRITTEN_SUFFIXES) + ".", metavar="FILE")],
    channel: Annotated[
        list[str] | None, typer.Option("--channel", help="Channel or formula; all when left out. Repeatable.")
    ] = None,
    interval: OneInterval = None,
    whole: Annotated[bool, typer.Option("--whole", help="The whole record rather than the active interval.")] = False,
    rate: Annotated[str | None, typer.Option("--rate", help="Reduce the rate to this one, such as 2 kHz, a whole part of the "
                    "record's; the samples are filtered first, and the file says so.")] = None,
) -> None:  # fmt: skip
    """Write samples of channels and formulas, with time, names and units."""
    evaluation = opened(study)
    with shown_progress("writing") as progress:
        n = write_samples(evaluation, to, channel, interval, whole, op.rate_from(rate) if rate else None, progress)
    typer.echo(f"{to}: {n} samples")


def functions(as_json: AsJson = False) -> None:
    """List the functions of the formula language."""
    if as_json:
        say_json([{"name": f.name, "category": f.category, "arguments": list(f.arguments), "help": f.help, "example": f.example}
                  for f in function_help()])  # fmt: skip
        return
    for entry in function_help():
        typer.echo(f"{entry.name}({', '.join(entry.arguments)})  [{entry.category}]  {entry.help}  Example: {entry.example}")


def kinds() -> None:
    """List the kinds of connection and their sockets."""
    for kind in WIRINGS:
        sockets = ", ".join(s.name + ("" if s.required else " (optional)") for s in kind.sockets)
        typer.echo(f"{kind.id}: {kind.title}; sockets {sockets}")


def print_schema() -> None:
    """Print the JSON schema of the study file."""
    say_json(schema())


def add_to(app: typer.Typer) -> None:
    """Register the commands of this module."""
    for command in (show, tables, value, spectrum, checks, convert, functions, kinds):
        app.command()(command)
    app.command("schema")(print_schema)
