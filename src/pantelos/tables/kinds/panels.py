"""The panels of the study as figures: spectra, harmonics, phasors, X–Y, as they are set below the traces."""

from pantelos.errors import PantelosError, StudyError
from pantelos.notation import counted
from pantelos.panels import panel_kind
from pantelos.paper.paper import Role
from pantelos.sheets.blocks import Block, Figure, Sheet, Words
from pantelos.study.model import Study
from pantelos.study.shown import Panel
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.tables.panel_figures import panel_figure

_WIDTH, _HEIGHT = 720.0, 220.0  # pixels


def _lacking(study: Study) -> str:
    drawn = any(panel_kind(panel.kind).paint is not None for panel in study.panels)
    return "" if drawn else "No panel is drawn below the traces. Add one there, such as a spectrum."


def panels_sheet(given: Given) -> Sheet:
    """Return a figure for each panel that is drawn; lists are left out."""
    drawn = [panel for panel in given.evaluation.study.panels if panel_kind(panel.kind).paint is not None]
    blocks = [_figure(given, panel, k / len(drawn)) for k, panel in enumerate(drawn)]
    if not any(isinstance(block, Figure) for block in blocks):
        raise StudyError(next(block.text for block in blocks if isinstance(block, Words)))
    return Sheet("panels", "Spectra, panels", f"{counted(len(drawn), 'panel')} as set below the traces", tuple(blocks))


def _figure(given: Given, panel: Panel, done: float) -> Block:
    try:
        caption, draw = panel_figure(given.evaluation, panel, given.progress.quiet())
    except PantelosError as error:
        return Words(f"{panel_kind(panel.kind).title} of {', '.join(panel.channels)}: not given: {error}", Role.CAUTION)
    given.progress.at(done)
    return Figure(caption, _WIDTH, _HEIGHT, draw)


PANELS_SHEET = TableKind(
    "panels",
    "Spectra, panels",
    "the panels below the traces, as figures",
    layout=SheetLayout(panels_sheet, place=5, lacks=_lacking),
)
