"""Values at one instant: what every trace reads where the pointer or an edge stands."""

import math

import msgspec
import numpy as np

from pantelos.accuracy.budget import COVERAGE_FACTOR
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import inputs_here, moved_by, stated_inputs
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.units import Unit, unit


def value_at(evaluation: Evaluation, name: str, instant_s: float) -> float:
    """Return the value of a channel or series at an instant, SI; between samples on the line that joins them, NaN outside."""
    wave = evaluation.samples.waveform(name)
    (position,) = evaluation.times.positions(instant_s)
    low = math.floor(position + 1e-9)
    if not -1e-6 <= position <= wave.n_samples - 1 + 1e-6:
        return math.nan
    values = np.asarray(wave.read(max(low, 0), min(low + 2, wave.n_samples)))
    share = max(position - low, 0.0)
    if len(values) < 2 or share < 1e-9 or evaluation.names.kind(name) is Kind.SERIES:
        return float(values[0]) if len(values) else math.nan
    return float(values[0] + share * (values[1] - values[0]))


def accuracy_at(evaluation: Evaluation, name: str, instant_s: float) -> float:
    """Return the expanded uncertainty of a value at an instant, SI; NaN where it is not stated."""
    inputs, silent = stated_inputs(evaluation.study, [name])
    value = value_at(evaluation, name, instant_s)
    if silent or not inputs or not math.isfinite(value):
        return math.nan
    here = inputs_here(evaluation, inputs, [name], None)
    variance = sum((value_at(moved_by(evaluation, one), name, instant_s) - value) ** 2 for one in here if one.channel)
    return COVERAGE_FACTOR * math.sqrt(variance) if variance > 0 else math.nan


class EdgeValues(msgspec.Struct, frozen=True):
    """What a channel reads at both edges of an interval, and between them; SI, NaN where it has no value."""

    name: str
    unit: Unit
    at_a: float
    at_b: float
    accuracy_a: float
    accuracy_b: float
    length_s: float

    @property
    def difference(self) -> float:
        """Value at b minus value at a."""
        return self.at_b - self.at_a

    @property
    def slope(self) -> float:
        """Difference over time, per second."""
        return self.difference / self.length_s if self.length_s > 0 else math.nan

    @property
    def slope_unit(self) -> Unit:
        """Its unit."""
        return self.unit / unit("s")


def edge_values(evaluation: Evaluation, names: list[str], start_s: float, stop_s: float) -> list[EdgeValues]:
    """Return what channels read at two instants."""
    found = []
    for name in names:
        if name not in evaluation.names.types or evaluation.names.kind(name) is Kind.SCALAR:
            continue
        try:
            a, b = (value_at(evaluation, name, t) for t in (start_s, stop_s))
            near = [accuracy_at(evaluation, name, t) for t in (start_s, stop_s)]
        except PantelosError:
            continue
        found.append(EdgeValues(name, evaluation.names.unit(name), a, b, near[0], near[1], stop_s - start_s))
    return found


def riding_difference(
    evaluation: Evaluation, rides: tuple[str | None, str | None], edges: tuple[float, float]
) -> tuple[float, Unit] | None:
    """Return (Δy, unit) between the channels that the edges ride on, or None where they do not compare."""
    a, b = rides
    if a is None or b is None or a not in evaluation.names.types or b not in evaluation.names.types:
        return None
    if not evaluation.names.unit(a).like(evaluation.names.unit(b)):
        return None
    return value_at(evaluation, b, edges[1]) - value_at(evaluation, a, edges[0]), evaluation.names.unit(b)
