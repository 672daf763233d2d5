"""The accuracy of the powers of a connection."""

import math
from collections.abc import Sequence
from typing import TypeAlias

from pantelos.accuracy.budget import MEASURED_NOISE, RANDOM, RESOLUTION, Contribution, Input, Shape
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.remembered import remembered
from pantelos.engine.uncertainty.effects import effect, larger, looks, nearest
from pantelos.engine.uncertainty.inputs import inputs_here, phaseless, stated_inputs, steps_rested_on, supposed_phases, why_none
from pantelos.engine.uncertainty.stated import Stated, stated
from pantelos.power.quantity_rows import budgeted, parts_of
from pantelos.power.resolved_rows import RESOLVED_QUANTITIES
from pantelos.power.wirings import Wiring
from pantelos.study.model import Connection

_BUDGETED = (*budgeted(), *RESOLVED_QUANTITIES)
_TURN = {quantity.id: 360.0 for quantity in _BUDGETED if quantity.symbol == "°"}
_OF_PHASE = ("P", "Q1", "PF", "DPF", "phi1", "P1", "N", "I_a", "I_na")  # what a phase error reaches first
_OF_PRODUCT = ("P", "P_H")  # what the product of two offsets is added to
_SCATTERING = ("U", "I", "P", "Q1", "DPF", "phi1")  # what noise that is seen lets scatter by its rule; it lifts nothing
_Key: TypeAlias = tuple[str, str]  # element, or "total", and quantity
_PowerValues: TypeAlias = dict[_Key, float]  # SI


def power_accuracy(evaluation: Evaluation, connection: Connection, interval: str | None) -> dict[_Key, Stated]:
    """Return the accuracy of the powers of a connection by (name of the element or "total", quantity)."""
    channels = list(connection.sockets.values())
    inputs, silent = stated_inputs(evaluation.study, channels)
    reason = why_none(evaluation, silent, channels, interval)
    if reason:
        return dict.fromkeys(_power_values(evaluation, connection, interval), Stated(None, reason))
    phases = supposed_phases(evaluation, phaseless(evaluation.study, channels), interval)
    here = inputs_here(evaluation, inputs, channels, interval)
    return _power_accuracy(evaluation, connection, interval, here, tuple(one.channel for one in phases))


def phase_would_add(evaluation: Evaluation, connection: Connection, interval: str | None, size_rad: float) -> float:
    """Return what a phase error of that size, unstated today, would add to ± of the total P (k = 2), W."""
    channels = list(connection.sockets.values())
    supposed = supposed_phases(evaluation, phaseless(evaluation.study, channels), interval, size_rad)
    value = float(evaluation.power(connection, interval).total.P)
    found = [effect(evaluation, one, lambda other: float(other.power(connection, interval).total.P), value) for one in supposed]
    return 2 * math.hypot(0.0, *found)


@remembered(always_kept=True)
def _power_accuracy(
    evaluation: Evaluation, connection: Connection, interval: str | None, here: tuple[Input, ...], silent: tuple[str, ...]
) -> dict[_Key, Stated]:
    values = _power_values(evaluation, connection, interval)
    found: dict[_Key, list[Contribution]] = {key: [] for key in values}
    for one in here:
        if one.name in RANDOM or one.name == RESOLUTION:
            amounts = _power_noise(evaluation, connection, interval, one)
        else:
            amounts = _effects(evaluation, connection, interval, one, values)
        for key in values:
            found[key].append(Contribution(one, amounts[key]))
    for key, product in _offsets_together(evaluation, connection, here, values).items():
        found[key].append(product)
    return {
        key: stated(contributions, values[key], silent if key[1] in _OF_PHASE else ()) for key, contributions in found.items()
    }


def _effects(
    evaluation: Evaluation, connection: Connection, interval: str | None, one: Input, values: _PowerValues
) -> _PowerValues:
    """Return what a moved input does to each power; all come from the same second look."""
    moved = [_power_values(other, connection, interval) for other in looks(evaluation, one)]
    return {
        key: larger(value, [nearest(found[key], value, _TURN.get(key[1], 0.0)) for found in moved])
        for key, value in values.items()
    }


def _offsets_together(
    evaluation: Evaluation, connection: Connection, inputs: Sequence[Input], values: _PowerValues
) -> dict[_Key, Contribution]:
    """Return the product of the offsets of voltage and current of each element: of an idle load it is most of what is left."""
    kind = evaluation.wiring_of(connection)
    offsets = [one for one in inputs if one.name == "offset"]
    of_all, found = [], {}
    for element in kind.elements:
        u, i = (
            math.hypot(0.0, *(_share_of(one, connection, kind, name) for one in offsets))
            for name in (element.voltage, element.current)
        )
        of_all.append(u * i)
        found[element.name] = u * i
    found["total"] = math.hypot(0.0, *of_all)
    named = {name: Input("offsets of u × i", "", Shape.NORMAL, amount) for name, amount in found.items()}
    return {(name, id_): Contribution(named[name], named[name].standard) for name, id_ in values if id_ in _OF_PRODUCT}


def _power_noise(evaluation: Evaluation, connection: Connection, interval: str | None, one: Input) -> _PowerValues:
    """Return what noise or rounding of one channel does to the powers, uncorrelated with the waveforms.

    Noise is independent in every sample; rounding is the same in all that rest on the same step.
    """
    power, kind = evaluation.power(connection, interval), evaluation.wiring_of(connection)
    n = max(power.window.stop - power.window.start, 1.0)
    if one.name == RESOLUTION:
        n = min(n, steps_rested_on(evaluation, one, interval))
    parts = parts_of(power, [element.name for element in kind.elements])
    found: _PowerValues = {}
    for quantity in _BUDGETED:
        assert quantity.noise is not None
        seen = one.name == MEASURED_NOISE
        shares = []
        for element in kind.elements:
            sigma_u, sigma_i = (_share_of(one, connection, kind, name) for name in (element.voltage, element.current))
            of, energy = parts[element.name]
            if not seen:
                amount = quantity.noise(of, sigma_u, sigma_i, n)
            elif quantity.id in ("U", "I"):
                amount = (sigma_u if quantity.id == "U" else sigma_i) / math.sqrt(n)
            else:
                amount = quantity.noise(of, sigma_u, sigma_i, n) if quantity.id in _SCATTERING else 0.0
            found[element.name, quantity.id] = amount
            shares.append((amount, float(quantity.value(of, energy))))
        found["total", quantity.id] = quantity.noise_of_total(shares, float(quantity.value(*parts["total"])))
    return found


def _share_of(one: Input, connection: Connection, kind: Wiring, name: str) -> float:
    """Return what the noise of a channel is in the voltage or current of an element."""
    shares = kind.virtual.get(name, {name: 1.0})
    return one.standard * math.hypot(
        0.0, *(share for socket, share in shares.items() if connection.sockets[socket] == one.channel)
    )


@remembered()
def _power_values(evaluation: Evaluation, connection: Connection, interval: str | None) -> _PowerValues:
    elements = [element.name for element in evaluation.wiring_of(connection).elements]
    parts = parts_of(evaluation.power(connection, interval), elements)
    return {(name, quantity.id): float(quantity.value(*of)) for name, of in parts.items() for quantity in _BUDGETED}
