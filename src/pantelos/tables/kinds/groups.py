"""Groups of lines around orders, bands from 2 to 9 kHz, power per order with its direction, over windows of 10 or 12 cycles."""

import math
from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.power.wirings import wiring
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.signal.cycles.coherent import USUAL_WINDOWS
from pantelos.signal.harmonics.harmonic_windows import BAND_CENTRES_HZ, HarmonicWindows, over_windows, prevailing
from pantelos.tables.kind import TableKind
from pantelos.tables.kinds.orders import by_reference

_KINDS = (
    ("component", "component", "the line of the order"),
    ("harmonic", "group", "the lines half way to the neighbours: emission"),
    ("subgroup", "subgroup", "the order with the lines beside it: power quality"),
    ("interharmonic", "interharmonic group", "all lines up to the next order"),
    ("centred", "interharmonic subgroup", "the same without the lines beside the orders"),
)
_STATISTICS = (("rms", "rms"), ("max", "max"), ("p95", "95 %"))
_PREVAILS = 0.8  # ratio from which on an angle is given
_BELOW = 0.977  # of what a scatter leaves possible: 95 % lie within as much on either side
_METHOD = (
    f"{USUAL_WINDOWS}, one after the other, rectangular, synchronised; IEC 61000-4-7",
    "rms: root of the mean square over the windows; max and 95 %: over the values of the windows",
)


class _Part(msgspec.Struct, frozen=True, eq=False):
    """Windows of the channels that share a reference, in one interval."""

    place: str
    channels: list[str]
    reference: str
    found: HarmonicWindows


def _parts(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> tuple[list[_Part], list[str]]:
    """Return the windows of the channels in alternating connections, and what is not given."""
    _, shared = by_reference(evaluation)
    found, not_given = [], list[str]()
    n_parts = len(places) * len(shared)
    asked = [(place, *one) for place in places for one in shared]
    for at, (place, reference, names) in enumerate(asked):
        try:
            made = evaluation.harmonic_windows(names, place, progress.part(at / n_parts, (at + 1) / n_parts), reference)
        except StudyError as error:
            not_given.append(f"{place}, {', '.join(names)}: not given: {error}")
            continue
        found.append(_Part(place, names, reference.channel or "", made))
    if not found:
        raise StudyError("; ".join(not_given))
    return found, not_given


def groups_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return groups and subgroups of every order and between them, over the windows of every interval."""
    parts, not_given = _parts(evaluation, places, progress)
    columns = [
        TableColumn("interval", "interval"),
        TableColumn("channel", "channel"),
        TableColumn("order", "order"),
        TableColumn("f", "f", "Hz"),
        TableColumn("unit", "unit"),
    ]
    columns += [
        TableColumn(f"{kind}_{key}", f"{title} {said}", "", help_) for kind, title, help_ in _KINDS for key, said in _STATISTICS
    ]
    columns += [
        TableColumn("angle", "angle", "°", "against the fundamental of the reference, where it prevails"),
        TableColumn("ratio", "prevailing ratio", "", "|Σz| over Σ|z| over the windows"),
    ]
    rows: list[tuple[TableCell, ...]] = []
    for part in parts:
        turned = part.found.turned(len(part.channels))
        frequency = _frequency(evaluation, part.found)
        for k, name in enumerate(part.channels):
            shown = evaluation.names.unit(name)
            made = np.concatenate([over_windows(part.found.sizes(kind)[:, k]) for kind, _, _ in _KINDS]) / shown.factor
            angles, ratios = prevailing(turned[:, k])
            for h in range(part.found.highest + 1):
                angle = math.degrees(angles[h]) if h and ratios[h] >= _PREVAILS else math.nan
                ends = (cell(angle), cell(float(ratios[h])) if h else None)
                rows.append((part.place, name, h, h * frequency, shown.symbol, *(cell(x) for x in made[:, h].tolist()), *ends))
    method = (*_METHOD, *_left_over(parts), *not_given)
    return Table("groups", "Groups and interharmonics", _subtitle(parts), tuple(columns), tuple(rows), method)


def bands_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the bands of 200 Hz from 2 to 9 kHz over the windows of every interval."""
    parts, not_given = _parts(evaluation, places, progress)
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("channel", "channel"),
        TableColumn("centre", "centre", "Hz"),
        TableColumn("unit", "unit"),
        *(TableColumn(key, said) for key, said in _STATISTICS),
    )
    rows: list[tuple[TableCell, ...]] = []
    for part in parts:
        made = over_windows(part.found.bands)
        for k, name in enumerate(part.channels):
            shown = evaluation.names.unit(name)
            for at, centre in enumerate(BAND_CENTRES_HZ.tolist()):
                values = (cell(x / shown.factor) for x in made[:, k, at].tolist())
                rows.append((part.place, name, centre, shown.symbol, *values))
    method = (*_METHOD, "lines above the lower and up to the upper edge of a band; blank above 0.4 of the rate", *not_given)
    return Table("bands", "Bands 2 to 9 kHz", _subtitle(parts), columns, tuple(rows), method)


def harmonic_power_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return active and reactive power, angle and direction of every order of every element."""
    wired = [c for c in evaluation.study.connections if wiring(c.wiring).alternating]
    if not wired:
        raise StudyError("There is no alternating connection. Choose one on the Wiring page or with --connection.")
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("connection", "connection"),
        TableColumn("element", "element"),
        TableColumn("order", "order"),
        TableColumn("P", "P", "W", "positive: taken up by the load side"),
        TableColumn("P_u", "± of P", "W", "95 %, from the scatter between the windows; wider for few of them"),
        TableColumn("Q", "Q", "var", "of this order; not to be summed over orders"),
        TableColumn("phi", "φ", "°", "voltage against current, where it prevails"),
        TableColumn("direction", "direction", "", "a single place does not prove where a distortion comes from"),
    )
    rows: list[tuple[TableCell, ...]] = []
    not_given = []
    for place in places:
        for connection in wired:
            kind = evaluation.wiring_of(connection)
            names = [connection.sockets[socket.name] for socket in kind.sockets]
            try:
                found = evaluation.harmonic_windows(names, place, progress, evaluation.references.of_connection(connection))
            except StudyError as error:
                not_given.append(f"{connection.name} in {place}: not given: {error}")
                continue
            phasors = kind.extended(np.moveaxis(found.phasors[:, : len(names)], 1, 0))
            least = kind.extended(np.diag([evaluation.samples.low_signal(name) for name in names])).sum(axis=1)
            for element in kind.elements:
                at = [kind.names.index(name) for name in (element.voltage, element.current)]
                rows += _powers(place, connection.name, element.name, phasors[at[0]], phasors[at[1]], np.abs(least[at]))
    if not rows:
        raise StudyError("; ".join(not_given))
    method = (
        *_METHOD[:1],
        "P + jQ: mean over the windows of U_h conj(I_h); ± from their scatter; order 0 is the power of the means",
        "direction where |P| is beyond its ±; angle where its prevailing ratio is 0.8 or more",
        *not_given,
    )
    return Table("harmonic_power", "Power per order", counted(len(wired), "connection"), columns, tuple(rows), method)


def _powers(
    place: str, connection: str, element: str, u: np.ndarray, i: np.ndarray, least: np.ndarray
) -> Iterator[tuple[TableCell, ...]]:
    """Yield a row per order of phasors (n_windows, orders)."""
    from scipy.special import stdtrit  # a tenth of a second to load

    products = u * np.conj(i)
    n = len(products)
    mean = products.mean(axis=0)
    within = np.full(mean.shape, np.nan)
    if n > 1:
        within = stdtrit(n - 1, _BELOW) * products.real.std(axis=0, ddof=1) / math.sqrt(n)
    angles, ratios = prevailing(products)
    sizes = [np.sqrt((np.abs(x) ** 2).mean(axis=0)) for x in (u, i)]
    seen = (sizes[0] > least[0]) & (sizes[1] > least[1])
    for h in range(len(mean)):
        if not np.isfinite(mean[h]):
            continue
        p, u_p = float(mean[h].real), float(within[h])
        clear = bool(seen[h]) and math.isfinite(u_p) and abs(p) > u_p and abs(p) > 0
        direction = ("absorbed" if p > 0 else "injected") if clear else "undetermined"
        phi = math.degrees(angles[h]) if h and seen[h] and ratios[h] >= _PREVAILS else math.nan
        q = float(mean[h].imag) if h else math.nan
        yield place, connection, element, h, cell(p), cell(u_p), cell(q), cell(phi), direction


def _frequency(evaluation: Evaluation, found: HarmonicWindows) -> float:
    seconds = (found.stops - found.starts).sum() / evaluation.record.rate_hz  # where the reference pauses there are none
    return float(found.n_cycles * len(found.starts) / seconds)


def _left_over(parts: Sequence[_Part]) -> list[str]:
    return [f"{p.place}, cycles of {p.reference}: {len(p.found.starts)} windows of {p.found.n_cycles} cycles" for p in parts]


def _subtitle(parts: Sequence[_Part]) -> str:
    return counted(len({name for part in parts for name in part.channels}), "channel")


GROUPS_TABLE = TableKind(
    "groups", "Groups and interharmonics", "IEC 61000-4-7, rms, max, 95 %", groups_table, on_request=True, place=4
)
BANDS_TABLE = TableKind("bands", "Bands 2 to 9 kHz", "of 200 Hz, rms, max, 95 %", bands_table, on_request=True, place=4)
HARMONIC_POWER_TABLE = TableKind(
    "harmonic_power", "Power per order", "P, Q, φ and direction", harmonic_power_table, on_request=True, place=4
)
