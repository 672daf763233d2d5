"""Harmonics per order, and distortion per channel."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import Reference
from pantelos.errors import StudyError
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS
from pantelos.report.subjects import conductor_of, harmonic_channels, windows_used
from pantelos.report.table import Cell, Table, TableColumn, cell
from pantelos.signal.arrays import FloatArray
from pantelos.signal.harmonics import Orders, total_harmonic_distortion

SHARE = "% of 1st"
_PERCENT = 0.01  # of SI, as in units; so all ways to a number agree to the last digit


class _Part(msgspec.Struct, frozen=True, eq=False):
    """Orders of the channels that share a reference, in one interval."""

    place: str
    reference: str
    channels: list[str]
    orders: Orders


def _parts(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> tuple[list[str], list[_Part], list[str]]:
    """Return all channels, their orders per interval and reference, and what could not be given, why.

    Raises
    ------
    StudyError
        When there is nothing to tabulate at all.
    """
    channels = harmonic_channels(evaluation)
    if not channels:
        raise StudyError("There is no reference channel and no alternating connection, so there are no harmonics to tabulate.")
    shared: dict[str, tuple[Reference, list[str]]] = {}
    for name in channels:
        reference = evaluation.references.of([name])
        shared.setdefault(reference.channel or "", (reference, []))[1].append(name)
    found, not_given = [], list[str]()
    failure: StudyError | None = None
    for at, place in enumerate(places):
        for reference, names in shared.values():
            part = progress.part(at / len(places), (at + 1) / len(places))
            try:
                orders = evaluation.harmonics(names, place, part, reference)
            except StudyError as error:
                failure = error
                not_given.append(f"{place}, {', '.join(names)}: not given: {error}")
                continue
            found.append(_Part(place, reference.channel or "", names, orders))
            not_given += [
                f"{place}, {names[k]}: not given: samples are missing, and a spectrum needs every one"
                for k in range(len(names))
                if not np.isfinite(orders.rms[k, 1])
            ]
    if not found and failure is not None:
        raise failure
    return channels, found, not_given


_HARMONIC_METHOD = (
    "windows of about 200 ms (10 or 12 cycles), synchronised to the reference, rectangular; IEC 61000-4-7 components",
    "magnitude: rms, root of the mean of squares over the windows",
    "angle: against the fundamental of the reference, sine-referenced",
)


def harmonics_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return magnitude, share and angle per order of the channels in alternating connections."""
    channels, parts, not_given = _parts(evaluation, places, progress)
    hues = [conductor_of(evaluation.study, name) for name in channels]
    columns = [TableColumn("interval", "interval"), TableColumn("order", "order"), TableColumn("f", "f", "Hz")]
    columns += [
        TableColumn(name, name, evaluation.names.unit(name).symbol, "rms of the order", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns += [
        TableColumn(f"{name}_percent", name, SHARE, "share of the fundamental", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns += [
        TableColumn(f"{name}_angle", f"{name} angle", "°", "angle against the fundamental of the reference", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns.append(TableColumn("reference", "cycles of", "", "whose cycles the windows hold"))
    rows: list[tuple[Cell, ...]] = []
    for part in parts:
        figures = _figures(evaluation, part)
        for h in range(1, part.orders.highest + 1):
            row = [figures.get(name, _NOTHING)[:, h] for name in channels]
            cells = [cell(float(one[quantity])) for quantity in range(3) for one in row]
            rows.append((part.place, h, cell(h * part.orders.frequency_hz), *cells, part.reference))
    method = (*_HARMONIC_METHOD, *windows_used(evaluation, places), *not_given)
    return Table(
        "harmonics",
        "Harmonics",
        f"{len(channels)} channels, to order {evaluation.study.highest_order}",
        tuple(columns),
        tuple(rows),
        method,
    )


_NOTHING = np.full((3, 1001), np.nan)


def _figures(evaluation: Evaluation, part: _Part) -> dict[str, FloatArray]:
    """Return magnitude in the unit shown, share in percent and angle in degrees of every order, (3, highest + 1), per channel."""
    names = part.channels
    low = np.array([evaluation.samples.low_signal(name) for name in names])
    factors = np.array([evaluation.names.unit(name).factor for name in names])
    rms, angles = part.orders.rms[: len(names)], part.orders.relative_angles(len(names))[: len(names)]
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = np.where(rms[:, 1:2] > low[:, None], rms / rms[:, 1:2], np.nan)
        degrees = np.where(np.isfinite(shares) & (rms > 0), np.degrees(angles), np.nan)
        made = np.stack([rms / factors[:, None], shares / _PERCENT, degrees], axis=1)
    return dict(zip(names, made, strict=True))


def distortion_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return rms, fundamental and distortion of those channels, one row each."""
    channels, parts, not_given = _parts(evaluation, places, progress)
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("channel", "channel"),
        TableColumn("unit", "unit"),
        TableColumn("rms", "rms", "", "all orders and the mean"),
        TableColumn("fundamental", "fundamental", "", "rms of order 1"),
        TableColumn("dc", "mean", "", "order 0"),
        TableColumn("harmonics", "rms of orders 2 and up"),
        TableColumn("thd", "THD", "%", "against the fundamental"),
        TableColumn("thd_r", "THD_R", "%", "against the rms of all orders"),
        TableColumn("largest_order", "largest order", "", "of orders 2 and up"),
        TableColumn("largest_percent", "largest", SHARE),
        TableColumn("reference", "cycles of", "", "whose cycles the windows hold"),
    )
    rms_kind = next(kind for kind in READINGS if kind.name == "rms")
    rows: list[tuple[Cell, ...]] = []
    for part in parts:
        place, table = part.place, part.orders.rms
        for k, name in enumerate(part.channels):
            shown, row = evaluation.names.unit(name), table[k]
            given = row[1] > evaluation.samples.low_signal(name)
            thd = float(total_harmonic_distortion(row)) if given else math.nan
            upper = [x if math.isfinite(x) else -1.0 for x in row[2:].tolist()]
            largest = 2 + upper.index(max(upper))
            rows.append(
                (
                    place,
                    name,
                    shown.symbol,
                    cell(evaluation.reading(rms_kind, [name], place).value / shown.factor),
                    cell(float(row[1]) / shown.factor),
                    cell(float(row[0]) / shown.factor),
                    cell(thd * float(row[1]) / shown.factor),
                    cell(thd / _PERCENT),
                    cell(thd / math.hypot(1, thd) / _PERCENT),
                    largest if given else None,
                    cell(float(row[largest] / row[1]) / _PERCENT if given else math.nan),
                    part.reference,
                )
            )
    method = (
        "THD: orders 2 to the highest given, harmonic components, against the fundamental; THD_R against all orders",
        *_HARMONIC_METHOD,
        *windows_used(evaluation, places),
        *not_given,
    )
    return Table("distortion", "Distortion", f"{len(channels)} channels, {len(places)} intervals", columns, tuple(rows), method)
