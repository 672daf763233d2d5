"""Powers of every connection over time: a row per cycle, per 200 ms, or per piece of a chosen length."""

import math
from collections.abc import Mapping, Sequence

from pantelos.engine.evaluation import Evaluation, power_series
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import counted
from pantelos.power.wirings import wiring
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.signal.arrays import FloatArray
from pantelos.tables.kind import TableKind

_MOST = 200_000  # rows
_WHOLE = (
    ("U", "V"), ("I", "A"), ("P", "W"), ("Q1", "var"), ("S", "VA"), ("PF", ""), ("N", "var"), ("U1", "V"), ("I1", "A"),
    ("P1", "W"), ("S1", "VA"), ("P_H", "W"), ("S_N", "VA"), ("D_I", "var"), ("D_V", "var"), ("S_H", "VA"), ("D_H", "var"),
    ("distortion_u", "%"), ("distortion_i", "%"), ("P1_plus", "W"), ("Q1_plus", "var"), ("S_U1", "VA"), ("u2", "%"), ("i2", "%"),
)  # fmt: skip
_TITLES = {"distortion_u": "U_H/U1", "distortion_i": "I_H/I1", "P1_plus": "P1+", "Q1_plus": "Q1+"}
_ELEMENT = (("U", "V"), ("I", "A"), ("P", "W"), ("Q1", "var"), ("S", "VA"), ("PF", ""))
_MOST_ELEMENTS = 3


def over_time_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the powers of every alternating connection over time, of the whole and of each element."""
    wired = [c for c in evaluation.study.connections if wiring(c.wiring).alternating]
    if not wired:
        raise StudyError("There is no alternating connection. Choose one on the Wiring page or with --connection.")
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("connection", "connection"),
        TableColumn("start", "from", "s"),
        TableColumn("stop", "to", "s"),
        TableColumn("cycles", "cycles"),
        TableColumn("f", "f", "Hz"),
        *(TableColumn(key, _TITLES.get(key, key), symbol) for key, symbol in _WHOLE),
        *(
            TableColumn(f"{key}_{k}", f"{key} {k}", symbol, f"of element {k}")
            for k in range(1, _MOST_ELEMENTS + 1)
            for key, symbol in _ELEMENT
        ),
    )
    rows: list[tuple[TableCell, ...]] = []
    said = []
    n_parts = len(places) * len(wired)
    for at, (place, connection) in enumerate((place, connection) for place in places for connection in wired):
        try:
            found = power_series(
                evaluation, connection, place, evaluation.study.every, progress.part(at / n_parts, (at + 1) / n_parts)
            )
        except PantelosError as error:
            said.append(f"{connection.name} in {place}: not given: {error}")
            continue
        if len(rows) + len(found.starts) > _MOST:
            raise StudyError(f"That is more than {_MOST} rows. Take longer pieces (--every) or shorter intervals.")
        rate = evaluation.record.rate_hz
        values = [_column(found.quantities, key, symbol, len(found.starts)) for key, symbol in _WHOLE]
        for k in range(_MOST_ELEMENTS):
            own = found.elements[k] if k < len(found.elements) else {}
            values += [_column(own, key, symbol, len(found.starts)) for key, symbol in _ELEMENT]
        for k, (a, b, n) in enumerate(zip(found.starts.tolist(), found.stops.tolist(), found.n_cycles.tolist(), strict=True)):
            ends = evaluation.times.instant(a), evaluation.times.instant(b)
            rows.append((place, connection.name, *ends, n, n * rate / (b - a), *(column[k] for column in values)))
    if not rows:
        raise StudyError("; ".join(said) + ".")
    method = (
        f"pieces of {evaluation.study.every} in whole cycles of the reference, the last one with the cycles that are left over",
        "means by trapezoids with fractional ends; fundamentals against the phase of the reference from crossing to crossing",
        "IEEE 1459; a whole of three phases by effective values (ρ = ξ = 1)",
        *said,
    )
    return Table("power_over_time", "Power over time", counted(len(rows), "row"), columns, tuple(rows), method)


def _column(values: Mapping[str, FloatArray], key: str, symbol: str, n: int) -> list[TableCell]:
    """Return a column of cells; empty where the quantity is not defined."""
    found = values.get(key)
    if found is None:
        return [None] * n
    factor = 100.0 if symbol == "%" else 1.0
    return [cell(factor * x) if math.isfinite(x) else None for x in found.tolist()]


POWER_OVER_TIME_TABLE = TableKind(
    "power_over_time",
    "Power over time",
    "IEEE 1459 per cycle, per 200 ms or per block",
    over_time_table,
    on_request=True,
    place=9,
)
