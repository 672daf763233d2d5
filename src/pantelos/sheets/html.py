"""A hand-over as one file of HTML: figures inside as SVG, no scripts, printable; the same study gives the same bytes."""

from base64 import b64encode
from itertools import count
from pathlib import Path

from pantelos.paper.colours import DAY
from pantelos.paper.paper import Box, Ink, Role
from pantelos.paper.svg import SvgPaper, colour
from pantelos.sheets.bars import HEIGHT, WIDTH, draw_bar
from pantelos.sheets.blocks import Bar, Block, CellGrid, Composition, FactList, Figure, Picture, SectionHeading, Words
from pantelos.sheets.fitting import TypeSetting, grouped, groups, parted

_SETTING = TypeSetting(12.5, 10.0, 12.5, 6.4, 1.0)
_WIDTH = 950.0  # pixels
_TEMPLATE = Path(__file__).parent / "page.html"
# What the page calls the kinds of block.
_KINDS: dict[type, str] = {
    SectionHeading: "heading",
    Words: "words",
    FactList: "facts",
    Figure: "figure",
    Picture: "picture",
    CellGrid: "grid",
}
_MEDIA = {"png": "image/png", "svg": "image/svg+xml"}


def html(of: Composition) -> bytes:
    """Return the page."""
    from jinja2 import Environment  # here, for the sake of a quick start
    from markupsafe import Markup, escape

    numbers = count(1)

    def drawn(figure: Figure) -> Markup:
        paper = SvgPaper(figure.width, figure.height, f"f{next(numbers)}")
        figure.draw(paper, Box(0, 0, figure.width, figure.height))
        return Markup(paper.svg(figure.title))

    def source(picture: Picture) -> str:
        return f"data:{_MEDIA[picture.kind]};base64,{b64encode(picture.data).decode()}"

    def bar(one: Bar) -> Markup:
        paper = SvgPaper(WIDTH, HEIGHT)
        draw_bar(paper, Box(0, 0, WIDTH, HEIGHT), one)
        return Markup(paper.svg(f"{one.value:.2f} of the limit"))

    def ink(of_text: Ink) -> Markup:
        return Markup("") if of_text is Role.INK else Markup(' style="color:{}"').format(escape(colour(of_text)))

    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    template = environment.from_string(_TEMPLATE.read_text(encoding="utf-8"))
    page = template.render(
        of=of,
        colours=DAY,
        kind_of=lambda block: _KINDS[type(block)],
        drawn=drawn,
        source=source,
        bar=bar,
        ink=ink,
        grouped=grouped,
        fitting=fitting,
        groups=groups,
    )
    return page.encode("utf-8")


def fitting(blocks: tuple[Block, ...]) -> list[Block]:
    """Return blocks with grids that are too wide in parts."""
    found: list[Block] = []
    for block in blocks:
        found += parted(block, _WIDTH, _SETTING) if isinstance(block, CellGrid) else [block]
    return found
