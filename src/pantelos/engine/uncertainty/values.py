"""The accuracy of formulas that are single values."""

import math

from pantelos.accuracy.budget import MEASURED_NOISE, METHOD, RANDOM, RESOLUTION, Contribution, Input, Shape
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import recorded_behind
from pantelos.engine.remembered import remembered
from pantelos.engine.uncertainty.effects import drawn, effect, effect_together, nearest, pairs, scatter, together
from pantelos.engine.uncertainty.inputs import inputs_here, phaseless, stated_inputs, steps_rested_on, supposed_phases, why_none
from pantelos.engine.uncertainty.readings import matters, try_accuracy
from pantelos.engine.uncertainty.stated import Stated, stated
from pantelos.formula.derived import Scalar
from pantelos.formula.syntax import parse, single_reading
from pantelos.reading.kinds import reading_kind

_FEW_STEPS = 100  # that a channel rests on: on more, rounding is as good as new in each sample


def value_accuracy(evaluation: Evaluation, name: str) -> Stated:
    """Return the accuracy of a formula that is a single value; of one that is a reading of channels that of the reading."""
    formula = evaluation.study.formula(name)
    called = single_reading(parse(formula.text)[1]) if formula is not None else None
    kind = reading_kind(called.name) if called is not None else None
    if called is not None and kind is not None and len(called.channels) == len(kind.arguments):
        return try_accuracy(evaluation, kind, called.channels, called.interval)
    inputs, silent = stated_inputs(evaluation.study, [name])
    reason = why_none(evaluation, silent, (), None)
    if reason:
        return Stated(None, reason)
    several = len(recorded_behind(evaluation.study, [name])) > 1
    phases = supposed_phases(evaluation, phaseless(evaluation.study, [name]), None) if several else ()
    here = inputs_here(evaluation, inputs, [name], None)
    unstated = tuple(one for one in here if one not in inputs and one.name in (MEASURED_NOISE, RESOLUTION))
    return _value_accuracy(evaluation, name, tuple(one for one in here if one not in unstated), unstated, phases)


@remembered(always_kept=True)
def _value_accuracy(
    evaluation: Evaluation, name: str, here: tuple[Input, ...], unstated: tuple[Input, ...], supposed: tuple[Input, ...]
) -> Stated:
    scalar = evaluation.samples.scalar(name)
    value, turn = scalar.value, 2 * math.pi if scalar.turns else 0.0
    if not math.isfinite(value):
        return Stated(None, "the value is not given")

    def look(other: Evaluation) -> float:
        found = other.samples.resolve(name)
        return nearest(found.value, value, turn) if isinstance(found, Scalar) else math.nan

    found = []
    for one in here:
        if one.name == RESOLUTION:
            rested = steps_rested_on(evaluation, one, None)
            of_all = effect(evaluation, one, look, value) / math.sqrt(rested)
            amount = math.hypot(scatter(evaluation, one, look, value), of_all)
        elif one.name in RANDOM:
            amount = drawn(evaluation, (one,), look, value, lifts=True)
        else:
            amount = effect(evaluation, one, look, value)
        found.append(Contribution(one, amount))
    if unstated:
        steps = {one: steps_rested_on(evaluation, one, None) for one in unstated if one.name == RESOLUTION}
        alike = [effect(evaluation, one, look, value) / math.sqrt(n) for one, n in steps.items() if n < _FEW_STEPS]
        seen = math.hypot(drawn(evaluation, unstated, look, value, lifts=False), *alike)
        found.append(Contribution(Input("noise and steps that are seen", "", Shape.NORMAL, seen), seen))
    found += [together(a, b, effect_together(evaluation, a, b, look, value)) for a, b in pairs(here)]
    if scalar.method_u > 0:
        found.append(Contribution(Input(METHOD, "", Shape.NORMAL, scalar.method_u), scalar.method_u))
    return stated(found, value, matters(evaluation, supposed, look, value, found))
