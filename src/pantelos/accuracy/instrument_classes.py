"""Accuracy classes of instrument transformers: what a class says of ratio and phase, by the load of a current transformer.

Source: IEC 61869-2 tables 201 and 202 (current, from 1, 5, 20 or 50 % of the rated current), IEC 61869-3 table 301 (voltage,
80 to 120 % of the rated voltage).
"""

import math
from typing import TypeAlias

import msgspec

from pantelos.errors import ScalingError

_MINUTE = math.radians(1 / 60)
_Limits: TypeAlias = tuple[float, float | None]  # ratio error, %; phase displacement, minutes of arc, None where none is stated

_CURRENT: dict[str, dict[float, _Limits]] = {
    "0.1": {5: (0.4, 15), 20: (0.2, 8), 100: (0.1, 5)},
    "0.2": {5: (0.75, 30), 20: (0.35, 15), 100: (0.2, 10)},
    "0.5": {5: (1.5, 90), 20: (0.75, 45), 100: (0.5, 30)},
    "1": {5: (3.0, 180), 20: (1.5, 90), 100: (1.0, 60)},
    "0.2S": {1: (0.75, 30), 5: (0.35, 15), 20: (0.2, 10)},
    "0.5S": {1: (1.5, 90), 5: (0.75, 45), 20: (0.5, 30)},
    "3": {50: (3.0, None)},
    "5": {50: (5.0, None)},
}
_VOLTAGE: dict[str, _Limits] = {"0.1": (0.1, 5), "0.2": (0.2, 10), "0.5": (0.5, 20), "1": (1.0, 40), "3": (3.0, None)}


class InstrumentClass(msgspec.Struct, frozen=True):
    """A class as the rating plate of a transformer names it, and the load of a current transformer it is taken at."""

    name: str
    load_percent: float = 100.0  # of the rated current

    def limits(self, of_current: bool) -> tuple[float, float | None]:
        """Return the limits of ratio error, %, and of phase displacement, rad (None where the class states none).

        Between two loads of the table the limits of the lower one hold.

        Raises
        ------
        ScalingError
            When there is no such class, or it states nothing at so small a load.
        """
        known = list(_CURRENT if of_current else _VOLTAGE)
        if self.name not in known:
            kind = "IEC 61869-2 (current)" if of_current else "IEC 61869-3 (voltage)"
            raise ScalingError(f"{kind} has no class {self.name}; it has {', '.join(known)}.")
        if of_current:
            loads = [load for load in _CURRENT[self.name] if load <= self.load_percent]
            if not loads:
                least = min(_CURRENT[self.name])
                raise ScalingError(f"Class {self.name} states nothing below {least:g} % of the rated current.")
            ratio, minutes = _CURRENT[self.name][max(loads)]
        else:
            ratio, minutes = _VOLTAGE[self.name]
        return ratio, None if minutes is None else minutes * _MINUTE

    @property
    def text(self) -> str:
        """The class as it is written in a chain."""
        return f"class {self.name}" + ("" if self.load_percent == 100 else f" at {self.load_percent:g} %")
