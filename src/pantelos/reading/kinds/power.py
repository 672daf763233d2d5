"""Power, energy, resistance."""

from pantelos.reading import alternating as alt
from pantelos.reading import electrical as ele
from pantelos.reading import likeness
from pantelos.reading.kinds.common import CYCLES, IEC62053, IEEE1459, PHASORS, SIGNED, energy, ohms, plain, watts
from pantelos.reading.reading import Group, ReadingKind
from pantelos.units import unit

PLACE = 5


ROWS = (
    ReadingKind("active", "active power", ("u", "i"), "Active power: the mean of u i.", CYCLES, watts, ele.active, "active(u1, i1)",
                Group.POWER, IEEE1459, per_piece=ele.piece_active, noise=None),
    ReadingKind("apparent", "apparent power", ("u", "i"), "Apparent power: rms of u times rms of i, DC and all orders included.", CYCLES,
                lambda of: unit("VA"), ele.apparent, "apparent(u1, i1)", Group.POWER, IEEE1459, per_piece=ele.piece_apparent, noise=None),
    ReadingKind("reactive", "reactive power", ("u", "i"), "Reactive power Q1 of the fundamentals; positive where the current lags.", PHASORS,
                lambda of: unit("var"), ele.of_fundamentals(ele.reactive_of, ratio=False), "reactive(u1, i1)", Group.ALTERNATING, IEEE1459,
                per_piece=alt.of_orders(ele.reactive_of, 1), noise=None),
    ReadingKind("power_factor", "power factor", ("u", "i"), "Active over apparent power, with the sign of the active power.", CYCLES, plain,
                ele.power_factor, "power_factor(u1, i1)", Group.POWER, IEEE1459, per_piece=ele.piece_power_factor, degree=0, noise=None),
    ReadingKind("displacement_factor", "displacement factor", ("u", "i"), "cos φ1: active over apparent power of the fundamentals.", PHASORS,
                plain, ele.of_fundamentals(ele.displacement_of, ratio=True), "displacement_factor(u1, i1)", Group.ALTERNATING, IEEE1459,
                per_piece=alt.of_orders(ele.displacement_of, 1), degree=0, noise=None),
    ReadingKind("resistance", "resistance", ("u", "i"), "Resistance: the sum of u i over the sum of i²; an offset of u is part of it.", CYCLES,
                ohms, ele.resistance, "resistance(u1, i1)", Group.POWER, "least squares through the origin",
                per_piece=ele.piece_resistance, noise=None),
    ReadingKind("resistance_with_offset", "resistance, offset removed", ("u", "i"),
                "Slope of u over i by least squares with an intercept: offsets and thermal voltages drop out.", CYCLES, ohms,
                ele.resistance_with_offset, "resistance_with_offset(u1, i1)", Group.POWER, "least squares with intercept", noise=None),
    ReadingKind("inductance", "inductance", ("u", "i"), "Inductance: X1 / 2πf1 over cycles; without any, from u = R i + L di/dt + u0.",
                "X1 / 2πf1 of the fundamentals", lambda of: unit("H"), ele.inductance, "inductance(u1, i1)", Group.ALTERNATING,
                "least squares, textbook definition", noise=None),
    ReadingKind("received", "energy received", ("p",), "Energy received: the integral of what is above zero.", SIGNED, energy,
                ele.energy(False), "received(p1) in \"whole record\"", Group.TREND, IEC62053, per_piece=ele.piece_energy(False), timed=True,
                noise=None),
    ReadingKind("returned", "energy returned", ("p",), "Energy returned: the integral of what is below zero, counted positive.", SIGNED,
                energy, ele.energy(True), "returned(p1) in \"whole record\"", Group.TREND, IEC62053, per_piece=ele.piece_energy(True),
                timed=True, noise=None),
    ReadingKind("correlation", "correlation", ("x", "y"), "Correlation coefficient of two channels, -1 to 1.", CYCLES, plain,
                likeness.correlation, "correlation(u1, i1)", Group.POWER, "K. Pearson", degree=0, noise=None),
)  # fmt: skip
