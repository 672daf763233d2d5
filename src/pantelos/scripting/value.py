"""A number with all that belongs to it."""

import math
import re
from collections.abc import Callable
from html import escape
from importlib.util import find_spec
from typing import Any

from pantelos.engine.asking import Answer
from pantelos.errors import StudyError
from pantelos.notation import with_accuracy
from pantelos.units import Unit

_PLACE = re.compile(r' in "([^"]+)"')


class Value:
    """A reading or formula of a study: `float(v)` is the number in `v.unit`."""

    def __init__(self, answer: Answer, place: str, explained: Callable[[], str]) -> None:
        if answer.why_not:
            raise StudyError(f'"{answer.expression}" has no value: {answer.why_not}.')
        self._answer, self._place, self._explained = answer, place, explained

    @property
    def expression(self) -> str:
        """What was asked for."""
        return self._answer.expression

    @property
    def value(self) -> float:
        """The number, in `unit`."""
        return self._answer.value

    @property
    def unit(self) -> str:
        """The symbol of the unit; empty for a ratio."""
        return self._answer.unit

    @property
    def plus_minus(self) -> float | None:
        """The expanded uncertainty, k = 2, in `unit`; None where it is not stated. Source: GUM."""
        return self._answer.expanded if math.isfinite(self._answer.expanded) else None

    @property
    def place(self) -> str:
        """The interval, or intervals, that it was taken over."""
        return ", ".join(dict.fromkeys(_PLACE.findall("\n".join(self._answer.rests_on)))) or self._place

    @property
    def method(self) -> tuple[str, ...]:
        """What it rests on: a line for each reading in it, of place, method and rule."""
        return self._answer.rests_on

    @property
    def remarks(self) -> tuple[str, ...]:
        """What the ± leaves out, or why there is none."""
        return (self._answer.remark,) if self._answer.remark else ()

    def explain(self) -> str:
        """Return all that stands behind it: formula, place, method, standard, accuracy budget, and what speaks against it."""
        return self._explained()

    def to_pint(self, ureg: Any = None) -> Any:
        """Return it as a quantity of `pint`, a measurement where its ± is stated and `uncertainties` is there.

        Parameters
        ----------
        ureg : a `pint.UnitRegistry`; the application's where it is left out
        """
        import pint

        known: Any = ureg if ureg is not None else pint.application_registry
        quantity = known.Quantity(self.value, _PINT.get(self.unit, self.unit or "dimensionless"))
        measured = self.plus_minus is not None and find_spec("uncertainties") is not None  # pint needs it for measurements
        return quantity.plus_minus(0.5 * (self.plus_minus or 0.0)) if measured else quantity

    def to_uncertain(self) -> Any:
        """Return it as a number of the package `uncertainties`, with its standard uncertainty (half of ±).

        Raises
        ------
        StudyError
            When no ± is stated.
        """
        from uncertainties import ufloat  # type: ignore[import-not-found, unused-ignore]

        if self.plus_minus is None:
            raise StudyError(f'"{self.expression}" has no ±: {self._answer.remark}.')
        return ufloat(self.value, 0.5 * self.plus_minus)

    def __float__(self) -> float:
        return self.value

    def __format__(self, form: str) -> str:
        return format(self.value, form) if form else str(self)

    def __str__(self) -> str:
        if self.plus_minus is None:
            return f"{self.value:.8g} {self.unit}".rstrip()
        return with_accuracy(self.value, self.plus_minus, Unit(self.unit or "1"))

    def __repr__(self) -> str:
        return f"<{self.expression} = {self}>"

    def _repr_html_(self) -> str:
        return f'<span title="{escape("; ".join(self.method))}">{escape(self.expression)} = <b>{escape(str(self))}</b></span>'


_PINT = {"min⁻¹": "rpm", "°": "degree", "Ω": "ohm", "var": "V*A", "%": "percent"}  # what pint calls them
