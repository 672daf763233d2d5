"""The command value: a reading or formula."""

import math
from typing import Annotated

import numpy as np

from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import AsJson, OneInterval, StudyPath, opened, within
from pantelos.cli.reporting import say_json
from pantelos.engine.evaluation import Evaluation, series_points
from pantelos.errors import StudyError
from pantelos.formula.derived import Blocks, Condition, Scalar
from pantelos.notation import with_unit
from pantelos.record.waveform import Waveform


def value(
    study: StudyPath,
    formula: Annotated[str, Argument(help="A reading or formula, such as 'mean(p1) in braking'.")],
    interval: OneInterval = None,
    without_noise: Annotated[
        bool, Option("--without-noise", help="Take off what the stated noise adds to a reading such as rms, max or thd.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Print a reading or formula; the study is not changed."""
    evaluation = within(opened(study), interval)
    found = evaluation.value(formula)
    if without_noise:
        found = _without_noise(evaluation, formula, found)
    match found:
        case Scalar():
            shown = found.unit
            if as_json:
                say_json(
                    {
                        "formula": formula,
                        "kind": "scalar",
                        "value": found.value / shown.factor,
                        "unit": shown.symbol,
                        "how": list(found.explained),
                    }
                )
            elif not math.isfinite(found.value):
                why = next(
                    (line for line in found.explained if "not given" in line), "; ".join(found.explained) or "it divides by 0"
                )
                raise StudyError(f'"{formula}" has no value: {why}.')
            else:
                say(f"{found.value / shown.factor!r} {'' if shown.symbol == '1' else shown.symbol}".rstrip())
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


def _without_noise(evaluation: Evaluation, formula: str, found: object) -> Scalar:
    """Return a reading less what noise adds to it.

    Raises
    ------
    StudyError
        When the formula is more than one reading of a channel that states its noise.
    """
    from pantelos.engine.uncertainty import noise_lift
    from pantelos.formula.syntax import parse, single_reading  # here, for the sake of a quick start
    from pantelos.reading.kinds import READINGS, reading_kind

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
