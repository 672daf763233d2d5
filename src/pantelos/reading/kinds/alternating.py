"""What is alternating: frequency, phase, orders, groups of lines, purity, sequences."""

import math

from pantelos.reading import alternating as alt
from pantelos.reading import distortion as dis
from pantelos.reading import fundamental as fun
from pantelos.reading import groups
from pantelos.reading import phase as pha
from pantelos.reading import purity as pure
from pantelos.reading.kinds.common import (
    GROUPS,
    IEC407,
    IEC430,
    IEEE1241,
    ORDERS,
    PHASORS,
    SPECTRUM,
    decibel,
    hertz,
    percent,
    plain,
    same,
)
from pantelos.reading.reading import Group, ReadingKind, Setting, Suits
from pantelos.signal.harmonics import distortion as figures
from pantelos.units import unit

PLACE = 2


def _distortion(
    name: str, title: str, help_: str, figure: figures.DistortionFigure, source: str, call: str = "i1", *settings: Setting
) -> ReadingKind:
    """Return a figure of the rms of orders as a reading."""
    unit_of = same if figure.against is figures.Against.NOTHING else plain if figure.squared else percent
    return ReadingKind(
        name, title, ("x",), help_, ORDERS, unit_of, dis.of_figure(figure), f"{name}({call})", Group.ALTERNATING, source,
        per_piece=dis.piece_figure(figure), degree=1 if unit_of is same else 0, shift=0.0, noise=None, settings=settings,
    )  # fmt: skip


def _group(name: str, help_: str, pick: groups.Pick, lowest: int, call: str) -> ReadingKind:
    """Return a group of spectral lines of an order as a reading."""
    return ReadingKind(
        name, name.replace("_", " "), ("x",), help_, GROUPS, same, groups.one_group(pick, lowest), f"{name}({call})",
        Group.ALTERNATING, IEC407, degree=1, shift=0.0, noise=None, settings=(Setting("order"),), of_a_line=True,
    )  # fmt: skip


ROWS = (
    ReadingKind("frequency", "frequency", ("x",), "Frequency of the fundamental.",
                "whole cycles over their time, between filtered zero crossings", hertz, alt.frequency, "frequency(u1)",
                Group.ALTERNATING, "IEC 61000-4-30 clause 5.1", own_cycles=True, degree=0, shift=0.0,
                timed=True, per_piece=alt.piece_frequency, piece_u=alt.frequency_errors, noise=alt.frequency_noise, usual=True, suits=Suits.ELECTRICAL),
    ReadingKind("phase", "phase", ("x", "reference"),
                "Angle of the fundamental of x against that of the reference, or of the component at a frequency; positive when x leads.",
                "fundamental phasors over whole cycles", lambda of: unit("°"), pha.phase, "phase(i1, u1)", Group.ALTERNATING,
                "IEC 60050-131", per_piece=pha.piece_phase, degree=0, noise=pha.phase_noise, settings=(Setting("f", math.nan, "Hz"),)),
    ReadingKind("order_phase", "phase of an order", ("x", "reference"),
                "Angle of a harmonic order of x against the same order of the reference; positive when x leads.",
                PHASORS, lambda of: unit("°"), fun.of_order(pha.angle_between), "order_phase(i1, u1, 5)", Group.ALTERNATING,
                "IEC 61000-4-7 clause 5.5", per_piece=alt.of_orders(pha.angle_between), degree=0, noise=None, settings=(Setting("order"),)),
    ReadingKind("thd", "THD", ("x",), "Total harmonic distortion against the fundamental, orders 2 to 50.",
                ORDERS, percent, dis.of_figure(figures.THD), "thd(i1)",
                Group.ALTERNATING, "IEC 61000-4-7", per_piece=dis.piece_figure(figures.THD), degree=0, shift=0.0, noise=alt.distortion_noise, rounding=alt.rounded_distortion,
                lift=alt.distortion_lift, usual=True, suits=Suits.HARMONIC),
    ReadingKind("total_distortion", "total distortion", ("x",),
                "All that alternates beside the fundamental, against it: every order, what lies between, carrier and noise.",
                "rms without mean and fundamental over {cycles}, against the fundamental", percent, dis.total_distortion,
                "total_distortion(u1)", Group.ALTERNATING, "IEEE 1459 clause 3.1 (U_H, without DC)", degree=0, shift=0.0, noise=None),
    _distortion("thd_r", "THD_R", "Orders 2 and up against the rms of all orders.", figures.THD_R, "IEC 61000-4-7"),
    ReadingKind("thd_g", "THDG", ("x",), "Distortion of harmonic groups: what lies half way to the next order belongs to it.", GROUPS, percent,
                groups.distortion_of_groups(lambda found: found.harmonic), "thd_g(i1)", Group.ALTERNATING, "IEC 61000-4-7", degree=0, shift=0.0, noise=None),
    ReadingKind("thd_s", "THDS", ("x",), "Distortion of harmonic subgroups: an order with the lines beside it.", GROUPS, percent,
                groups.distortion_of_groups(lambda found: found.subgroup), "thd_s(u1)", Group.ALTERNATING, "IEC 61000-4-7", degree=0, shift=0.0, noise=None),
    _group("harmonic_group", "Rms of an order with the lines half way to its neighbours: emission.", lambda found: found.harmonic, 1, "i1, 5"),
    _group("harmonic_subgroup", "Rms of an order with the lines beside it: power quality.", lambda found: found.subgroup, 1, "u1, 5"),
    _group("interharmonic_group", "Rms of all lines between an order and the next; 0 is below the fundamental.", lambda found: found.interharmonic, 0, "i1, 3"),
    _group("interharmonic_subgroup", "Rms of the lines between an order and the next, but for those beside the two.", lambda found: found.centred, 0, "u1, 3"),
    _distortion("tdd", "TDD", "Orders 2 to 50 against the maximum demand current.", figures.TDD, "IEEE 519", "i1, 16 A", Setting("I_L", None, "")),
    _distortion("pwhd", "PWHD", "Orders 14 to 40, each weighted by its order, against the fundamental.", figures.PWHD, "IEC 61000-3-12"),
    _distortion("k_factor", "K factor", "Sum of h² (I_h / I_R)²; without a rated current that of the rms of the orders, which is the loss factor F_HL.",
                figures.K_FACTOR, "IEEE C57.110", "i1", Setting("I_R", math.nan, "")),
    _distortion("stray_loss_factor", "stray loss factor", "Sum of h^0.8 I_h² over that of I_h².", figures.STRAY_LOSS_FACTOR, "IEEE C57.110"),
    _distortion("thc", "THC", "Rms of orders 2 to 40.", figures.THC, "IEC 61000-3-12"),
    _distortion("pohc", "POHC", "Rms of orders 21, 23, … 39.", figures.POHC, "IEC 61000-3-12"),
    ReadingKind("snr", "signal to noise", ("x",), "Largest tone to noise; DC and orders 2 to 5 belong to neither.", SPECTRUM, decibel, pure.of_purity(pure.snr),
                "snr(u1)", Group.PURITY, IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("sinad", "SINAD", ("x",), "Largest tone to everything else but DC.", SPECTRUM, decibel, pure.of_purity(pure.sinad),
                "sinad(u1)", Group.PURITY, IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("thd_n", "THD+N", ("x",), "Everything but DC beside the largest tone, against it.", SPECTRUM, percent, pure.of_purity(pure.thd_n),
                "thd_n(u1)", Group.PURITY, IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("sfdr", "SFDR", ("x",), "Largest tone to the largest other line.", SPECTRUM, decibel, pure.of_purity(pure.sfdr),
                "sfdr(u1)", Group.PURITY, IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("enob", "effective bits", ("x",), "Bits of an ideal converter as good as this, over the stated range, else over that of the tone.", SPECTRUM, plain,
                pure.of_purity(pure.enob), "enob(u1)", Group.PURITY, IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("fundamental", "fundamental", ("x",), "Rms of the fundamental.", PHASORS, same, fun.of_order(fun.order_size, 1),
                "fundamental(u1)", Group.ALTERNATING, "IEC 61000-4-7", per_piece=alt.of_orders(fun.order_size, 1), degree=1, shift=0.0,
                noise=None),
    ReadingKind("harmonic", "harmonic", ("x",), "Rms of a harmonic order.", PHASORS, same, fun.of_order(fun.order_size),
                "harmonic(i1, 5)", Group.ALTERNATING, "IEC 61000-4-7", per_piece=alt.of_orders(fun.order_size), degree=1, shift=0.0,
                noise=None, settings=(Setting("order"),), of_a_line=True),
    ReadingKind("harmonic_angle", "harmonic angle", ("x",), "Angle of a harmonic order against so many times the angle of the fundamental.",
                PHASORS + "; both against a sine", lambda of: unit("°"), fun.of_order(fun.order_angle), "harmonic_angle(i1, 5)",
                Group.ALTERNATING, "IEC 61000-4-7", per_piece=alt.of_orders(fun.order_angle), degree=0, shift=0.0, noise=None,
                settings=(Setting("order"),)),
    ReadingKind("positive_sequence", "positive sequence", ("a", "b", "c"), "Positive sequence of three fundamentals, rms.", PHASORS, same,
                fun.of_three(fun.sequence("positive")), "positive_sequence(u1, u2, u3)", Group.ALTERNATING, IEC430,
                per_piece=alt.of_orders(fun.sequence("positive"), 1), noise=None, alike=True),
    ReadingKind("negative_sequence", "negative sequence", ("a", "b", "c"), "Negative sequence of three fundamentals, rms.", PHASORS, same,
                fun.of_three(fun.sequence("negative")), "negative_sequence(u1, u2, u3)", Group.ALTERNATING, IEC430,
                per_piece=alt.of_orders(fun.sequence("negative"), 1), noise=None, alike=True),
    ReadingKind("zero_sequence", "zero sequence", ("a", "b", "c"), "Zero sequence of three fundamentals, rms.", PHASORS, same,
                fun.of_three(fun.sequence("zero")), "zero_sequence(u1, u2, u3)", Group.ALTERNATING, IEC430,
                per_piece=alt.of_orders(fun.sequence("zero"), 1), noise=None, alike=True),
    ReadingKind("unbalance", "unbalance", ("a", "b", "c"), "Negative over positive sequence of three fundamentals.", PHASORS, percent,
                fun.of_three(fun.unbalance_of, ratio=True), "unbalance(u1, u2, u3)", Group.ALTERNATING, IEC430,
                per_piece=alt.of_orders(fun.unbalance_of, 1), degree=0, noise=None, alike=True),
)  # fmt: skip
