"""Readings as functions: one value over an interval, or one per piece."""

import math

from pantelos.formula.derived import Scalar
from pantelos.formula.functions.function import NUMBERS, Function, Parameter
from pantelos.reading.reading import ReadingKind, Setting
from pantelos.units import unit


def reading_function(kind: ReadingKind) -> Function:
    """Return a kind of reading as a function of the language."""
    channels = tuple(Parameter(name) for name in kind.arguments)
    n = len(channels)
    return Function(
        kind.name,
        str(kind.group),
        (*channels, *(_parameter(setting) for setting in kind.settings)),
        kind.help,
        kind.example,
        lambda units: kind.unit(units[:n]),
        reading=kind,
        source=kind.source,
        formula=kind.method.replace("{cycles}", "whole cycles, or all samples without any").replace("{rule}", ""),
    )


def _parameter(setting: Setting) -> Parameter:
    """Return a setting as a parameter; one in no unit is in that of the channel."""
    units = [unit(setting.unit)] if setting.unit else []
    known = setting.default is not None and math.isfinite(setting.default)
    value = Scalar(setting.default * units[0].factor, units[0]) if known and setting.default is not None else None
    return Parameter(setting.name, NUMBERS, tuple(units), value, left_out=setting.default is not None and not known)
