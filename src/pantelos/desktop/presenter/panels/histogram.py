"""Values or recorded codes by size."""

import msgspec

from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.panels.panel import Option, PanelKind
from pantelos.desktop.presenter.panels.subjects import place_text, waveforms
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.figures import Values, values_of
from pantelos.notation import number, with_unit
from pantelos.progress import Progress
from pantelos.study.model import Panel
from pantelos.units import ONE, Unit


class HistogramPicture(msgspec.Struct, frozen=True, eq=False):
    """How values or codes are distributed."""

    caption: str
    found: Values
    unit: Unit
    conductor: str
    lines: tuple[str, ...]


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> HistogramPicture:
    """Return the values or codes of a channel by size."""
    name = panel.channels[0]
    found, shown = values_of(evaluation, name, panel.interval, panel.codes, progress), evaluation.names.unit(name)
    if found.codes is not None:
        lines = [
            f"mean  {number(found.mean, 6)}",
            f"σ  {number(found.sigma, 4)}",
            f"{found.codes[0]} of {found.codes[1]} codes used",
        ]
        shown = ONE
    else:
        lines = [f"mean  {with_unit(found.mean, shown, 6)}", f"σ  {with_unit(found.sigma, shown, 4)}", f"{found.found.n} samples"]
    what = "codes" if panel.codes else "values"
    return HistogramPicture(
        f"{name} · {what} · {place_text(evaluation, panel)}", found, shown, hues.conductor(evaluation.study, name), tuple(lines)
    )


HISTOGRAM = PanelKind(
    id="histogram",
    title="Histogram",
    help="Values or recorded codes by size",
    subjects=waveforms,
    picture=picture_of,
    painter="pantelos.desktop.traces.panels.figure_painters:draw_histogram",
    narrowest=300,
    options=(Option("codes", (("values", False), ("codes as recorded", True))),),
    place=5,
)
