"""The header line: which interval every number belongs to, and whether it holds whole cycles."""

import math
from collections.abc import Sequence

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.instants import riding_difference
from pantelos.notation import duration, seconds, with_unit
from pantelos.signal.cycles.window import cycles_in, is_whole
from pantelos.units import unit


class Headline(msgspec.Struct, frozen=True):
    """The texts of the header line."""

    title: str
    interval: str = ""
    times: str = ""
    length: str = ""
    cycles: str = ""
    whole: bool | None = None  # None: not known, or nothing to be whole of
    why: str = ""  # why these cycles count, or why none do


def headline(evaluation: Evaluation | None, title: str, chosen: Sequence[str] = ()) -> Headline:
    """Return what the header line says, with the reference of the channels chosen; cycles only when known without work."""
    if evaluation is None:
        return Headline(title)
    place = evaluation.times.interval(None)
    step = 10 ** math.floor(math.log10(max(place.length_s, 1e-9))) / 1000
    times = f"{seconds(place.start_s, step)} – {seconds(place.stop_s, step)}"
    length = f"Δ {duration(place.length_s, 5)}"
    names = [name for name in chosen if name in evaluation.names.types]
    if not (evaluation.references.known_of(names) if names else evaluation.references.overall_known()):
        return Headline(title, place.name, times, length)
    reference = evaluation.references.of(names) if names else evaluation.references.overall
    n = cycles_in(reference.cycles, *evaluation.times.span(None))
    if not math.isfinite(n):
        said = f"no cycles of {reference.channel}" if reference.channel else "all samples: no cycles"
        return Headline(title, place.name, times, length, said, why=reference.why)
    whole = is_whole(n) if evaluation.study.active is not None else None
    return Headline(title, place.name, times, length, f"{n:.2f} cycles of {reference.channel}", whole, reference.why)


def riding_text(evaluation: Evaluation, edges: tuple[float, float]) -> str:
    """Return what lies between the channels that the edges ride on: `Δy 12.3 V   82 V/s`, or nothing."""
    interval = evaluation.study.active_interval
    if interval is None or not all(
        name is None or (name in evaluation.names.types and evaluation.drawing.can_draw(name)) for name in interval.rides
    ):
        return ""
    found = riding_difference(evaluation, interval.rides, edges)
    if found is None or not math.isfinite(found[0]) or edges[1] <= edges[0]:
        return ""
    difference, unit_of = found
    return f"Δy {with_unit(difference, unit_of, 4)}   {with_unit(difference / (edges[1] - edges[0]), unit_of / unit('s'), 4)}"


def edge_text(length_s: float, n_cycles: float) -> str:
    """Return the caption between the edges of the active interval."""
    parts = [f"Δt {duration(length_s)}", f"1/Δt {1 / length_s:.4g} Hz" if length_s > 0 else ""]
    if math.isfinite(n_cycles):
        parts.append(f"{n_cycles:.2f} cycles")
    return "   ".join(part for part in parts if part)
