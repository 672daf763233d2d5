"""The command value: a reading or formula."""

import math
from typing import Annotated

import numpy as np
from msgspec.structs import replace

from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import AsJson, OneInterval, StudyPath, opened, within
from pantelos.cli.reporting import say_json
from pantelos.engine.asking import Answer, answer_of
from pantelos.engine.evaluation import Evaluation, series_points
from pantelos.errors import StudyError
from pantelos.formula.derived import Blocks, Condition, Scalar
from pantelos.notation import decimals_of, rounded, with_unit
from pantelos.record.waveform import Waveform


def value(
    study: StudyPath,
    formula: Annotated[str, Argument(help="A reading or formula, such as 'mean(p1) in braking'.")],
    interval: OneInterval = None,
    without_noise: Annotated[
        bool, Option("--without-noise", help="Take off what the stated noise adds to a reading such as rms, max or thd.")
    ] = False,
    bare: Annotated[bool, Option("--bare", help="Print the number and its unit alone, with all its digits.")] = False,
    as_json: AsJson = False,
) -> None:
    """Print a reading or formula with its accuracy and what it rests on; the study is not changed."""
    evaluation = within(opened(study), interval)
    found = evaluation.value(formula)
    if without_noise and not isinstance(found, Scalar):
        raise _no_noise(formula)
    match found:
        case Scalar():
            asked = answer_of(evaluation, formula, found, with_accuracy=not bare)
            _give(_without_noise(evaluation, formula, asked) if without_noise else asked, as_json, bare)
        case Blocks():
            points, factor, symbol = series_points(evaluation, found), found.unit.factor, found.unit.symbol
            if as_json:
                say_json(
                    {
                        "formula": formula,
                        "kind": "series",
                        "unit": symbol,
                        "start_s": [point.start_s for point in points],
                        "stop_s": [point.stop_s for point in points],
                        "values": [point.value / factor for point in points],
                        "how": list(found.explained),
                    }
                )
            elif not points:
                raise StudyError(f'"{formula}": no piece has a value; {"; ".join(found.explained)}.')
            else:
                for point in points:
                    say(f"{point.start_s:.9g} {point.value / factor!r} {symbol}")
        case Condition():
            raise StudyError("A condition has no value of its own. Use it behind where.")
        case _:
            _print_waveform(evaluation, formula, found, as_json)


def _give(asked: Answer, as_json: bool, bare: bool) -> None:
    if as_json:
        say_json(_as_json(asked))
    elif asked.why_not:
        raise StudyError(f'"{asked.expression}" has no value: {asked.why_not}.')
    else:
        _say(asked, bare)


def _as_json(asked: Answer) -> dict[str, object]:
    return {
        "formula": asked.expression,
        "kind": "scalar",
        "value": asked.value,
        "unit": asked.of.symbol,
        "U": asked.expanded if math.isfinite(asked.expanded) else None,
        "U_remark": asked.remark,
        "why_not": asked.why_not,
        "how": list(asked.rests_on),
    }


def _say(asked: Answer, bare: bool) -> None:
    """Print a number, and below it what it rests on; with `bare` nothing but the number."""
    stated = not bare and math.isfinite(asked.expanded) and asked.expanded > 0
    figure, within = repr(asked.value), ""
    if stated:  # in the unit of the bare number, and with an ASCII minus: scripts read it
        decimals = decimals_of(asked.expanded)
        figure = rounded(asked.value, decimals).replace("\N{MINUS SIGN}", "-")
        within = f" ± {rounded(asked.expanded, decimals)} {asked.unit}"
    say(f"{figure} {asked.unit}".rstrip() + within.rstrip())
    if bare:
        return
    for line in asked.rests_on:
        say(f"  {line}")
    if asked.remark:
        say(f"  {'±: leaves out: ' if stated else 'no ±: '}{asked.remark}")


def _no_noise(formula: str) -> StudyError:
    from pantelos.reading.kinds import READINGS  # here, for the sake of a quick start

    able = ", ".join(one.name for one in READINGS if one.lift is not None)
    return StudyError(f'"{formula}": noise is taken off one reading at a time, of {able}. Ask for one of them.')


def _without_noise(evaluation: Evaluation, formula: str, asked: Answer) -> Answer:
    """Return a reading less what noise adds to it.

    Raises
    ------
    StudyError
        When the formula is more than one reading of a channel that states its noise.
    """
    from pantelos.engine.uncertainty import noise_lift
    from pantelos.formula.syntax import parse, single_reading  # here, for the sake of a quick start
    from pantelos.reading.kinds import reading_kind

    called = single_reading(parse(formula)[1])
    kind = reading_kind(called.name) if called is not None else None
    if called is None or kind is None or kind.lift is None:
        raise _no_noise(formula)
    lift = noise_lift(evaluation, kind, called.channels, called.interval)
    if not lift:
        raise StudyError(
            f'"{formula}": no noise is stated in the scaling of {", ".join(called.channels)}. State it, such as noise 1 mV.'
        )
    told = (*asked.rests_on, f"less {lift:.6g} that noise adds on the average")
    return replace(asked, si=asked.si - lift, rests_on=told)


def _print_waveform(evaluation: Evaluation, formula: str, found: Waveform, as_json: bool) -> None:
    """Print a waveform as its extremes in the active interval: all samples are what convert is for."""
    start, stop = (round(edge) for edge in evaluation.times.span(None))
    x = found.read(start, stop)
    x = x[np.isfinite(x)]
    if not len(x):
        raise StudyError(
            f'"{formula}" has no value at any sample of "{evaluation.times.name(None)}": all are missing or left out.'
        )
    low, high = (float(x.min()), float(x.max())) if len(x) else (float("nan"), float("nan"))
    if as_json:
        say_json(
            {
                "formula": formula,
                "kind": "signal",
                "unit": found.unit.symbol,
                "interval": evaluation.times.name(None),
                "samples": stop - start,
                "missing": stop - start - len(x),
                "min": low / found.unit.factor,
                "max": high / found.unit.factor,
            }
        )
        return
    say(
        f'{stop - start} samples in "{evaluation.times.name(None)}", {with_unit(low, found.unit, 6)} to '
        f"{with_unit(high, found.unit, 6)}; use convert to write them"
    )
