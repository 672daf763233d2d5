"""Pantelos: power, energy and harmonics from recorded voltages and currents.

    study = pantelos.read("run.csv").with_formula("p1 = u1 * i1")
    v = study.value("mean(p1)")
    float(v), v.unit, v.plus_minus, v.method

Everything public is here; the packages below are the program's own and may change. Importing this costs nothing: what is called
is loaded when it is called.
"""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from pantelos.errors import PantelosError
from pantelos.version import __version__

if TYPE_CHECKING:
    from os import PathLike

    from pantelos.scripting.campaign import Campaign
    from pantelos.scripting.study import Study

__all__ = ["PantelosError", "__version__", "campaign", "from_arrays", "functions", "new", "open", "read"]


def open(path: "str | PathLike[str]") -> "Study":  # noqa: A001 - as in pantelos.open
    """Return the study in a file, its record opened.

    Raises
    ------
    PantelosError
        When the study or its record is not there, or is not what it was.
    """
    from pantelos.scripting.making import open_study

    return open_study(_text(path))


def read(
    *recordings: "str | PathLike[str]",
    rate: str | None = None,
    delimiter: str | None = None,
    decimal: str | None = None,
    columns: Sequence[str] = (),
) -> "Study":
    """Return a new study of a recording, or of several that are parts of one; nothing is written.

    Parameters
    ----------
    recordings : files, folders or patterns such as `run_*.csv`
    rate : sample rate such as `20 kHz`, where the file states none
    delimiter, decimal : `comma`, `semicolon`, `tab` …; `point` or `comma`
    columns : corrections by number, such as `4=i1 [A]`, `1=time:ms`, `7=skip`

    Raises
    ------
    PantelosError
        When a file is not understood: saying what, where, and what to do.
    """
    from pantelos.scripting.making import read_recordings

    return read_recordings([_text(path) for path in recordings], rate, delimiter, decimal, columns)


def new(path: "str | PathLike[str]", *recordings: "str | PathLike[str]", **changes: Any) -> "Study":
    """Return a new study of recordings, saved in a file; `changes` are those of `Study.edited`.

    Raises
    ------
    PantelosError
        When there is such a file already, or a recording or change is not understood.
    """
    from pathlib import Path

    from pantelos.errors import StudyError
    from pantelos.scripting.making import read_recordings

    if Path(path).exists():
        raise StudyError(f"{_text(path)} exists already. Open it, or choose another name.")
    return read_recordings([_text(one) for one in recordings]).edited(**changes).save(_text(path))


def from_arrays(*, rate: str | float, units: "dict[str, str] | None" = None, **arrays: Any) -> "Study":
    """Return a study of arrays in memory: `from_arrays(u1=…, i1=…, rate="20 kHz", units={"u1": "V", "i1": "A"})`.

    Parameters
    ----------
    rate : samples per second, as a number or as text with its unit
    units : the unit of each array; those left out are ratios
    arrays : samples of each channel, shape (n,), NaN where missing

    Raises
    ------
    PantelosError
        When lengths differ, or a name, unit or rate is not understood.
    """
    from pantelos.scripting.making import of_arrays

    return of_arrays(rate, units or {}, arrays)


def campaign(path: "str | PathLike[str]", recipe: "Study | None" = None, values: Sequence[str] = ()) -> "Campaign":
    """Return the campaign in a file; with a recipe and values a new one.

    Raises
    ------
    PantelosError
        When the file is no campaign, or there is one already.
    """
    from pantelos.scripting.campaign import campaign as made

    return made(_text(path), recipe, values)


def functions() -> dict[str, str]:
    """Return the functions of the formula language: how each is called, and what it does."""
    from pantelos.formula.functions import all_functions

    return {function.call: function.help for function in all_functions()}


def _text(path: "str | PathLike[str]") -> str:
    import os

    return os.fspath(path)
