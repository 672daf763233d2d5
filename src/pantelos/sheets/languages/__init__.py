"""The language of a hand-over: every text of a sheet passes here on its way to a file.

A catalogue is a gettext file beside this module, `de.po`; what is added there is a language, under its `X-Name`. Its texts hold
braces where something changes: `{0} samples at {1} Hz`, `{n0} dips` where only a number may stand. What stands there is looked
up in its turn, so that one text serves every place; names that the user gave stay as they are, and what a catalogue does not
know stays English.
"""

import re
from collections.abc import Collection
from contextlib import AbstractContextManager
from functools import cache
from pathlib import Path

import msgspec
from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.paper.paper import Align, Box, Dash, Ink, Paper
from pantelos.sheets.blocks import (
    Block,
    Cell,
    Composition,
    FactList,
    Figure,
    GridColumn,
    GridRow,
    Picture,
    SectionHeading,
    Sheet,
    Words,
)
from pantelos.signal.arrays import AnyArray, FloatArray

ENGLISH = "en"
_NAMED = re.compile(r'"X-Name: (.+?)\\n"')  # in the head of a catalogue
_FACT = "fact"  # the context of labels of a title page
_PLACE = re.compile(r"\{n?\d\}")
_PARTS = (", ", "; ", ": ", " · ", " + ", "   ", "  ")  # between texts that stand side by side: tried last
_WORD = re.compile(r"(?<![\w.(\[])[^\W\d_]{4,}(?![\w.(=\]])")  # more than a symbol, a unit, a call or the name of a file
_NUMBER = re.compile(r"(?<![\w.])(\d+)\.(\d+)(?![\w.]*\.\d)")
_ALONE = re.compile(r"[−+±<>≤≥ -]*\d[\d.–]*( [^\s?]{1,6})?( \?)?")  # a number or a range with its unit, and nothing else


def languages() -> tuple[str, ...]:
    """Return the codes of all languages that a report is written in, English first."""
    return (ENGLISH, *sorted(path.stem for path in Path(__file__).parent.glob("*.po")))


def language_names() -> dict[str, str]:
    """Return what each language calls itself, by its code."""
    files = {code: Path(__file__).with_name(f"{code}.po").read_text(encoding="utf-8") for code in languages()[1:]}
    return {ENGLISH: "English"} | {code: _NAMED.search(text)[1] for code, text in files.items()}  # type: ignore[index]


def check_language(code: str) -> None:
    """Check that there is a language.

    Raises
    ------
    StudyError
        When there is none of that code.
    """
    if code not in languages():
        raise StudyError(f'"{code}" is no language of reports; there are {", ".join(languages())}.')


class _Pattern(msgspec.Struct, frozen=True):
    """A text with places where something changes."""

    form: re.Pattern[str]
    places: tuple[str, ...]  # in the order of the English text
    said: str


class Language:
    """Says texts of sheets in a language; `names` of the user stay as they are."""

    def __init__(self, code: str, names: Collection[str] = ()) -> None:
        check_language(code)
        self._exact, self._patterns, self._point = _catalogue(code) if code != ENGLISH else ({}, (), ".")
        self._names = frozenset(names)
        self._said: dict[tuple[str, str], str] = {}
        self.unknown: dict[str, None] = {}  # texts that stayed English, each once

    def text(self, text: str, context: str = "") -> str:
        """Return a text in the language, as it is where the catalogue does not know it."""
        if (context, text) not in self._said:
            self._said[context, text] = self._of(text, context)
        return self._said[context, text]

    def number(self, text: str) -> str:
        """Return a number, alone or with its unit, with the decimal sign of the language."""
        return _NUMBER.sub(rf"\1{self._point}\2", text) if self._point != "." and _ALONE.fullmatch(text) else text

    def _of(self, text: str, context: str) -> str:
        if not text or text in self._names:
            return text
        found = self._exact.get((context, text)) or self._exact.get(("", text))
        if found is not None:
            return found
        if _ALONE.fullmatch(text):
            return self.number(text)
        if any(letter.isalpha() for letter in text):
            for pattern in self._patterns:
                matched = pattern.form.fullmatch(text)
                if matched is not None:
                    return self._filled(pattern, matched)
        if self._exact and _WORD.search(text):
            self.unknown[text] = None
        return text

    def _filled(self, pattern: _Pattern, matched: re.Match[str]) -> str:
        parts = {place: self.text(part) for place, part in zip(pattern.places, matched.groups(), strict=True)}
        return _PLACE.sub(lambda place: parts[place.group()], pattern.said)


@cache
def _catalogue(code: str) -> tuple[dict[tuple[str, str], str], tuple[_Pattern, ...], str]:
    """Return the texts of a language by context and English text, those with places (most letters first), the decimal sign."""
    from babel.messages.pofile import read_po  # here, for the sake of a quick start
    from babel.numbers import get_decimal_symbol

    with (Path(__file__).parent / f"{code}.po").open("rb") as file:
        entries = {
            (one.context or "", str(one.id)): str(one.string) for one in read_po(file, locale=code) if one.id and one.string
        }
    exact = {key: said for key, said in entries.items() if not _PLACE.search(key[1])}
    placed = [(id_, said) for (_, id_), said in entries.items() if _PLACE.search(id_)]
    placed.sort(key=lambda one: (_PLACE.sub("", one[0]) in _PARTS, -len(_PLACE.sub("", one[0]))))
    patterns = tuple(_Pattern(_form(id_), tuple(_PLACE.findall(id_)), said) for id_, said in placed)
    return exact, patterns, get_decimal_symbol(code)


def _form(text: str) -> re.Pattern[str]:
    parts = [r"([\d .]+)" if place.startswith("{n") else "(.+?)" for place in _PLACE.findall(text)]
    between = [re.escape(part) for part in _PLACE.split(text)]
    return re.compile("".join(a + b for a, b in zip(between, [*parts, ""], strict=True)), re.DOTALL)


def in_language(of: Composition, numbers: bool = True) -> Composition:
    """Return a hand-over in its language; without `numbers` these stay as they are, for a file whose reader writes them."""
    if of.language == ENGLISH:
        return of
    said = Language(of.language, of.names)
    sheets = tuple(_sheet(sheet, said, numbers) for sheet in of.sheets)
    not_given = tuple((said.text(title), said.text(why)) for title, why in of.not_given)
    return replace(of, sheets=sheets, not_given=not_given, left_out=(said.text(of.left_out[0]), said.text(of.left_out[1])))


def untranslated(of: Composition) -> tuple[str, ...]:
    """Return the texts of a hand-over that its language does not know, each once."""
    said = Language(of.language, of.names)
    for sheet in of.sheets:
        _sheet(sheet, said, True)
    return tuple(said.unknown)


def _sheet(sheet: Sheet, said: Language, numbers: bool) -> Sheet:
    blocks = tuple(_block(block, said, numbers) for block in sheet.blocks)
    return replace(sheet, title=said.text(sheet.title), subtitle=said.text(sheet.subtitle), blocks=blocks)


def _block(block: Block, said: Language, numbers: bool) -> Block:
    if isinstance(block, SectionHeading):
        return SectionHeading(said.text(block.text))
    if isinstance(block, Words):
        return replace(block, text=said.text(block.text))
    if isinstance(block, FactList):
        return FactList(tuple((said.text(label, _FACT), said.text(text)) for label, text in block.pairs))
    if isinstance(block, Picture):
        return replace(block, title=said.text(block.title))
    if isinstance(block, Figure):
        draw = block.draw
        return replace(block, title=said.text(block.title), draw=lambda paper, box: draw(_PaperInLanguage(paper, said), box))
    columns = tuple(_column(column, said) for column in block.columns)
    return replace(block, columns=columns, rows=tuple(_row(row, said, numbers) for row in block.rows))


def _column(column: GridColumn, said: Language) -> GridColumn:
    return replace(column, title=said.text(column.title), group=said.text(column.group))


def _row(row: GridRow, said: Language, numbers: bool) -> GridRow:
    def cell(one: Cell) -> Cell:
        if one.value is not None and not numbers:
            return one
        return replace(one, text=said.text(one.text), within=said.number(one.within))

    return GridRow(tuple(cell(one) for one in row.cells), said.text(row.group))


class _PaperInLanguage:
    """Paper on which words are written in a language."""

    def __init__(self, paper: Paper, said: Language) -> None:
        self._paper, self._said = paper, said

    def line(self, x: FloatArray, y: FloatArray, ink: Ink, width: float = 1.0, dash: Dash = Dash.SOLID) -> None:
        self._paper.line(x, y, ink, width, dash)

    def rule(self, x0: float, y0: float, x1: float, y1: float, ink: Ink, dash: Dash = Dash.SOLID) -> None:
        self._paper.rule(x0, y0, x1, y1, ink, dash)

    def shape(self, x: FloatArray, y: FloatArray, ink: Ink) -> None:
        self._paper.shape(x, y, ink)

    def bar(self, box: Box, ink: Ink) -> None:
        self._paper.bar(box, ink)

    def ring(self, x: float, y: float, radius: float, ink: Ink) -> None:
        self._paper.ring(x, y, radius, ink)

    def shades(self, box: Box, shares: AnyArray, ink: Ink) -> None:
        self._paper.shades(box, shares, ink)

    def clipped(self, box: Box) -> AbstractContextManager[None]:
        return self._paper.clipped(box)

    def words(
        self, box: Box, text: str, ink: Ink, size: float = 8.0, bold: bool = False, align: Align = Align.LEFT, wrap: bool = False
    ) -> None:
        self._paper.words(box, self._said.text(text), ink, size, bold, align, wrap)

    def extent(self, text: str, size: float, bold: bool = False) -> tuple[float, float]:
        return self._paper.extent(self._said.text(text), size, bold)
