"""A panel as a picture."""

from pathlib import Path

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.saving import write_whole
from pantelos.study.shown import Panel
from pantelos.tables.panel_figures import panel_svg


class Figure:
    """What a panel shows, as SVG: a notebook draws it, `save` writes it."""

    def __init__(self, evaluation: Evaluation, panel: Panel) -> None:
        self.svg = panel_svg(evaluation, panel).decode()

    def save(self, path: str | Path) -> Path:
        """Write it as SVG and return where.

        Raises
        ------
        StudyError
            When the name asks for another kind of picture.
        FileAccessError
            When it cannot be written.
        """
        target = Path(path)
        if target.suffix.lower() != ".svg":
            raise StudyError(f"{target.name}: figures are written as SVG here. For pixels: pantelos spectrum … --to FILE.png.")
        write_whole(target, self.svg.encode())
        return target

    def _repr_svg_(self) -> str:
        return self.svg[self.svg.index("<svg") :]
