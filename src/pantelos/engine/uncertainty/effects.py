"""What an input does to a value, found by a second look with the input moved (GUM 5.1.4)."""

import math
from collections.abc import Callable, Iterator, Sequence
from itertools import combinations

import numpy as np

from pantelos.accuracy.budget import CERTIFIED_PHASE, PHASE, Contribution, Input, Shape
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty.moving import by_steps, moved_by, noisy_by

_STEPS = 2.0  # standard uncertainties that an input is moved by: what bends, as cos φ near 1, is seen over all it may be
_BOTH_WAYS = ("delay", PHASE, CERTIFIED_PHASE)
_DRAWS, _FEWER = 8, 4  # of noise, for values without a rule; fewer where only its scatter is asked for
MOST_PAIRS = 15  # of offsets, that are looked at together

Look = Callable[[Evaluation], float]


def effect(evaluation: Evaluation, one: Input, look: Look, value: float) -> float:
    """Return the standard uncertainty, signed, that an input causes in a value; a phase error is tried in both directions."""
    return larger(value, [look(moved) for moved in looks(evaluation, one)])


def nearest(found: float, value: float, turn: float) -> float:
    """Return what was found of an angle so many turns on that it lies nearest to a value; with `turn` 0 as it is."""
    return value + math.remainder(found - value, turn) if turn and math.isfinite(found) else found


def looks(evaluation: Evaluation, one: Input) -> list[Evaluation]:
    """Return the evaluation with an input moved ahead, and for a phase error back, too."""
    ways = (_STEPS, -_STEPS) if one.name in _BOTH_WAYS else (_STEPS,)
    return [moved_by(evaluation, by_steps(one, steps)) for steps in ways]


def larger(value: float, found: Sequence[float]) -> float:
    """Return the standard uncertainty, signed, from what is found with an input moved ahead, and back: the larger one counts."""
    ahead = (found[0] - value) / _STEPS
    back = (found[1] - value) / _STEPS if len(found) > 1 else 0.0
    return -back if abs(back) > abs(ahead) else ahead


def drawn(evaluation: Evaluation, inputs: tuple[Input, ...], look: Look, value: float, lifts: bool) -> float:
    """Return the standard uncertainty from what noise of some channels, added once more, does to a value; draws with fixed seeds.

    Its scatter; and where the value is shifted, as the largest of many is, what the noise in it has shifted it by:
    the shift over (sqrt 2 - 1), by simulation and extrapolation (J. R. Cook and L. A. Stefanski 1994), its square less what
    so few draws scatter by. Without `lifts` the scatter.
    """
    if not lifts:
        found = np.asarray([look(noisy_by(evaluation, inputs, seed)) - value for seed in range(_FEWER)])
        return float(found.std(ddof=1))
    found = np.asarray([look(noisy_by(evaluation, inputs, seed)) - value for seed in range(_DRAWS)])
    shifted = max(float(found.mean()) ** 2 - float(found.var(ddof=1)) / len(found), 0.0)
    return math.sqrt(float(np.mean(found**2)) + shifted / (math.sqrt(2) - 1) ** 2)


def scatter(evaluation: Evaluation, one: Input, look: Look, value: float) -> float:
    """Return what noise or rounding of a channel, small beside it, lets a value scatter by.

    It is drawn at the next power of two and scaled: intervals in which nearly as much is seen share what is drawn.
    """
    drawn_at = 2.0 ** math.ceil(math.log2(one.standard))
    evenly = Input(one.name, one.channel, one.shape, drawn_at)
    return drawn(evaluation, (evenly,), look, value, lifts=False) * one.standard / drawn_at


def pairs(inputs: Sequence[Input]) -> Iterator[tuple[Input, Input]]:
    """Yield the offsets of two channels that act together: near zero, their product is what is left (GUM 5.1.2 note)."""
    offsets = [one for one in inputs if one.name == "offset"]
    if len(offsets) * (len(offsets) - 1) // 2 <= MOST_PAIRS:
        yield from combinations(offsets, 2)


def together(one: Input, other: Input, amount: float) -> Contribution:
    """Return the contribution of the product of two inputs."""
    return Contribution(Input(f"{one.title} × {other.name}", other.channel, Shape.NORMAL, abs(amount)), amount)


def effect_together(evaluation: Evaluation, one: Input, other: Input, look: Look, value: float) -> float:
    """Return what two inputs moved at once do beyond what each does alone, which `effect` has looked at."""
    first, second = by_steps(one, _STEPS), by_steps(other, _STEPS)
    alone = look(moved_by(evaluation, first)) + look(moved_by(evaluation, second)) - 2 * value
    return (look(moved_by(evaluation, first, second)) - value - alone) / _STEPS**2
