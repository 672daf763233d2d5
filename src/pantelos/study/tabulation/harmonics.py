"""Harmonics per order, and distortion per channel."""

import math
from collections.abc import Sequence

import numpy as np

from pantelos.errors import StudyError
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS
from pantelos.signal.harmonics import Orders, total_harmonic_distortion
from pantelos.study.evaluation import Evaluation
from pantelos.study.tabulation.places import conductor_of, harmonic_channels, windows_used
from pantelos.tables.table import Cell, Table, TableColumn, cell

SHARE = "% of 1st"
_PERCENT = 0.01  # of SI, as in units; so all ways to a number agree to the last digit


def _all_orders(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> tuple[list[str], dict[str, Orders]]:
    channels = harmonic_channels(evaluation)
    if not channels:
        raise StudyError("There is no reference channel and no alternating connection, so there are no harmonics to tabulate.")
    found = {}
    for at, place in enumerate(places):
        found[place] = evaluation.harmonics(channels, place, progress.part(at / len(places), (at + 1) / len(places)))
    return channels, found


_HARMONIC_METHOD = (
    "windows of about 200 ms (10 or 12 cycles), synchronised to the reference, rectangular; IEC 61000-4-7 components",
    "magnitude: rms, root of the mean of squares over the windows",
    "angle: against the fundamental of the reference, sine-referenced",
)


def harmonics_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return magnitude, share and angle per order of the channels in alternating connections."""
    channels, found = _all_orders(evaluation, places, progress)
    low = np.array([evaluation.low_signal(name) for name in channels])
    hues = [conductor_of(evaluation.study, name) for name in channels]
    columns = [TableColumn("interval", "interval"), TableColumn("order", "order"), TableColumn("f", "f", "Hz")]
    columns += [TableColumn(name, name, evaluation.unit(name).symbol, "rms of the order", hue)
                for name, hue in zip(channels, hues, strict=True)]  # fmt: skip
    columns += [TableColumn(f"{name}_percent", name, SHARE, "share of the fundamental", hue)
                for name, hue in zip(channels, hues, strict=True)]  # fmt: skip
    columns += [TableColumn(f"{name}_angle", f"{name} angle", "°", "angle against the fundamental of the reference", hue)
                for name, hue in zip(channels, hues, strict=True)]  # fmt: skip
    factors = np.array([evaluation.unit(name).factor for name in channels])
    rows: list[tuple[Cell, ...]] = []
    for place, orders in found.items():
        rms, angles = orders.rms[: len(channels)], orders.relative_angles(len(channels))[: len(channels)]
        with np.errstate(invalid="ignore", divide="ignore"):
            shares = np.where(rms[:, 1:2] > low[:, None], rms / rms[:, 1:2], np.nan)
        degrees = np.where(np.isfinite(shares) & (rms > 0), np.degrees(angles), np.nan)
        for h in range(1, orders.highest + 1):
            figures = np.concatenate([rms[:, h] / factors, shares[:, h] / _PERCENT, degrees[:, h]])
            rows.append((place, h, cell(h * orders.frequency_hz), *(cell(x) for x in figures.tolist())))
    method = (*_HARMONIC_METHOD, *windows_used(evaluation, places))
    return Table("harmonics", "Harmonics", f"{len(channels)} channels, to order {evaluation.study.highest_order}",
                 tuple(columns), tuple(rows), method)  # fmt: skip


def distortion_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return rms, fundamental and distortion of those channels, one row each."""
    channels, found = _all_orders(evaluation, places, progress)
    columns = (
        TableColumn("interval", "interval"), TableColumn("channel", "channel"), TableColumn("unit", "unit"),
        TableColumn("rms", "rms", "", "all orders and the mean"), TableColumn("fundamental", "fundamental", "", "rms of order 1"),
        TableColumn("dc", "mean", "", "order 0"), TableColumn("harmonics", "rms of orders 2 and up"),
        TableColumn("thd", "THD", "%", "against the fundamental"),
        TableColumn("thd_r", "THD_R", "%", "against the rms of all orders"),
        TableColumn("largest_order", "largest order", "", "of orders 2 and up"),
        TableColumn("largest_percent", "largest", SHARE),
    )  # fmt: skip
    rms_kind = next(kind for kind in READINGS if kind.name == "rms")
    rows: list[tuple[Cell, ...]] = []
    for place, orders in found.items():
        table = orders.rms
        for k, name in enumerate(channels):
            shown, row = evaluation.unit(name), table[k]
            given = row[1] > evaluation.low_signal(name)
            thd = float(total_harmonic_distortion(row)) if given else math.nan
            upper = [x if math.isfinite(x) else -1.0 for x in row[2:].tolist()]
            largest = 2 + upper.index(max(upper))
            rows.append((
                place, name, shown.symbol, cell(evaluation.reading(rms_kind, [name], place).value / shown.factor),
                cell(float(row[1]) / shown.factor), cell(float(row[0]) / shown.factor),
                cell(thd * float(row[1]) / shown.factor), cell(thd / _PERCENT), cell(thd / math.hypot(1, thd) / _PERCENT),
                largest if given else None, cell(float(row[largest] / row[1]) / _PERCENT if given else math.nan),
            ))  # fmt: skip
    method = ("THD: orders 2 to the highest given, harmonic components, against the fundamental; THD_R against all orders",
               *_HARMONIC_METHOD, *windows_used(evaluation, places))  # fmt: skip
    return Table("distortion", "Distortion", f"{len(channels)} channels, {len(places)} intervals", columns, tuple(rows), method)
