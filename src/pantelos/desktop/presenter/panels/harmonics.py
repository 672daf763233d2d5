"""Share of the fundamental per order."""

import msgspec
import numpy as np

from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.panels.panel import PanelKind
from pantelos.desktop.presenter.panels.subjects import place_text
from pantelos.engine.evaluation import Evaluation
from pantelos.notation import with_unit
from pantelos.progress import Progress
from pantelos.report.subjects import harmonic_channels
from pantelos.signal.arrays import FloatArray
from pantelos.signal.harmonics import total_harmonic_distortion
from pantelos.study.model import Panel


class HarmonicsPicture(msgspec.Struct, frozen=True, eq=False):
    """Share of the fundamental per order, percent, order 1 first."""

    caption: str
    percent: FloatArray
    headline: str
    conductor: str


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> HarmonicsPicture:
    """Return the orders of a channel against its fundamental."""
    name = panel.channels[0]
    orders = evaluation.harmonics([name], panel.interval, progress)
    rms = orders.rms[0]
    caption = f"{name} · {place_text(evaluation, panel)} · {int(orders.weights.sum())} cycles"
    given = rms[1] > evaluation.samples.low_signal(name)
    with np.errstate(invalid="ignore", divide="ignore"):
        percent = np.where(given, 100 * rms[1:] / rms[1], np.nan)
    thd = 100 * float(total_harmonic_distortion(rms))
    headline = (
        f"THD {thd:.2f} %   {with_unit(float(rms[1]), evaluation.names.unit(name), 4)}" if given else "no fundamental to speak of"
    )
    return HarmonicsPicture(caption, percent, headline, hues.conductor(evaluation.study, name))


HARMONICS = PanelKind(
    id="harmonics",
    title="Harmonics",
    help="Share of the fundamental per order",
    subjects=harmonic_channels,
    picture=picture_of,
    painter="pantelos.desktop.traces.panels.spectral_painters:draw_harmonics",
    place=2,
)
