"""Orders of the channels in alternating connections, for the tables of them."""

from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import Reference
from pantelos.errors import StudyError
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.coherent import USUAL_WINDOWS
from pantelos.signal.harmonics.harmonics import Orders

SHARE = "% of 1st"
PERCENT = 0.01  # of SI, as in units; so all ways to a number agree to the last digit
HARMONIC_METHOD = (
    f"{USUAL_WINDOWS}, synchronised to the reference, rectangular; IEC 61000-4-7 components",
    "magnitude: rms, root of the mean of squares over the windows",
    "angle: against the fundamental of the reference, sine-referenced",
)
NO_FIGURES = np.full((3, 1001), np.nan)


class Part(msgspec.Struct, frozen=True, eq=False):
    """Orders of the channels that share a reference, in one interval."""

    place: str
    reference: str
    channels: list[str]
    orders: Orders


def by_reference(evaluation: Evaluation) -> tuple[list[str], list[tuple[Reference, list[str]]]]:
    """Return the channels in alternating connections, all of them and by the reference that they share.

    Raises
    ------
    StudyError
        When there is none.
    """
    channels = evaluation.references.harmonic_channels()
    if not channels:
        raise StudyError("There is no reference channel and no alternating connection, so there are no harmonics to tabulate.")
    shared: dict[str, tuple[Reference, list[str]]] = {}
    for name in channels:
        reference = evaluation.references.of([name])
        shared.setdefault(reference.channel or "", (reference, []))[1].append(name)
    return channels, list(shared.values())


def parts(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> tuple[list[str], list[Part], list[str]]:
    """Return all channels, their orders per interval and reference, and what could not be given, why.

    Raises
    ------
    StudyError
        When there is nothing to tabulate at all.
    """
    channels, shared = by_reference(evaluation)
    found, not_given = [], list[str]()
    failure: StudyError | None = None
    for at, place in enumerate(places):
        for reference, names in shared:
            part = progress.part(at / len(places), (at + 1) / len(places))
            try:
                orders = evaluation.harmonics(names, place, part, reference)
            except StudyError as error:
                failure = error
                not_given.append(f"{place}, {', '.join(names)}: not given: {error}")
                continue
            found.append(Part(place, reference.channel or "", names, orders))
            not_given += [
                f"{place}, {names[k]}: not given: samples are missing, and a spectrum needs every one"
                for k in range(len(names))
                if not np.isfinite(orders.rms[k, 1])
            ]
    if not found and failure is not None:
        raise failure
    return channels, found, not_given


def figures(evaluation: Evaluation, part: Part) -> dict[str, FloatArray]:
    """Return magnitude in the unit shown, share in percent and angle in degrees of every order, (3, highest + 1), per channel."""
    names = part.channels
    low = np.array([evaluation.samples.low_signal(name) for name in names])
    factors = np.array([evaluation.names.unit(name).factor for name in names])
    rms, angles = part.orders.rms[: len(names)], part.orders.relative_angles(len(names))[: len(names)]
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = np.where(rms[:, 1:2] > low[:, None], rms / rms[:, 1:2], np.nan)
        degrees = np.where(np.isfinite(shares) & (rms > 0), np.degrees(angles), np.nan)
        made = np.stack([rms / factors[:, None], shares / PERCENT, degrees], axis=1)
    return dict(zip(names, made, strict=True))
