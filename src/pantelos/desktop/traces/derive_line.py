"""The derive line: type a formula, see its unit or what is wrong and where, and a preview of the curve."""

from html import escape

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QKeySequence, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.parts.labels import ShortLabel
from pantelos.desktop.presenter.completion import argument_help, call_at, offers, word_at
from pantelos.desktop.presenter.derive import Judgement, answer, judge, preview_curve, worth_a_preview
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.offer_popup import OfferPopup
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.paper.axis import fitted
from pantelos.paper.hues import Weight
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op

_WAIT_MS = 250
_BETWEEN = " \N{NO-BREAK SPACE}·\N{NO-BREAK SPACE} "  # a call and what is said of its argument
_SPARE = 40  # pixels: margins, and what bold letters take more


class DerivedSketch(QWidget):
    """A small picture of what the formula would give in the visible stretch."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.values: FloatArray | None = None
        self.setFixedSize(QSize(130, 26))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the curve."""
        if self.values is None or not len(self.values):
            return
        good = self.values[self.values == self.values]
        if not len(good):
            return
        painter = QPainter(self)
        rect = QRectF(self.rect()).adjusted(2, 2, -2, -2)
        step = rect.width() / max(len(self.values) - 1, 1)
        x = rect.left() + step * np.arange(len(self.values))
        scale = fitted(float(good.min()), float(good.max()))
        painting.draw_samples(
            painter, x, painting.to_y(self.values, rect, scale), QColor(self.theme.ink), Weight.THIN, points=False
        )


class DeriveLine(QWidget):
    """One line above the ledger. Enter takes a formula with a name, and answers one without."""

    taken = pyqtSignal(str)
    functions_wanted = pyqtSignal()

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="derive")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document, self._runner = document, runner
        self.edit = QLineEdit(placeholderText='derive a channel:  p1 = u1 * i1     or ask:  mean(p1) in "steady lift"')
        self.edit.setAccessibleName("Derive line")
        self.edit.setClearButtonEnabled(True)
        self.offers = OfferPopup(self.edit)
        self.offers.chosen.connect(self._complete)
        self.said = ShortLabel()
        self.preview = DerivedSketch(theme)
        functions = QToolButton(text="ƒ", toolTip="Functions by category, with examples that run on the open record")
        functions.setAccessibleName("Functions")
        functions.clicked.connect(lambda _=False: self.functions_wanted.emit())
        self.help = QLabel()
        self.help.setTextFormat(Qt.TextFormat.RichText)
        self.help.setProperty("soft", True)
        self.help.setContentsMargins(34, 0, 0, 5)
        self.help.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.help.hide()
        row = QHBoxLayout()
        row.addWidget(functions)
        row.addWidget(self.edit, 3)
        row.addWidget(self.preview)
        row.addWidget(self.said, 2)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 0, 12, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.help)
        self._later = QTimer(self, singleShot=True, interval=_WAIT_MS)
        self._later.timeout.connect(self._draw_preview)
        self._asked: str | None = None  # what the answer beside the line belongs to
        document.changed.connect(self._ask_again)
        self.edit.installEventFilter(self)
        self.edit.textEdited.connect(self._typed)
        self.edit.returnPressed.connect(self.enter)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.preview.theme = theme
        self.preview.update()

    def put(self, text: str) -> None:
        """Put a text into the line, ready to be changed."""
        self.edit.setText(text)
        self.edit.setFocus()
        self._typed(text)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Leave undo to the study where nothing typed is left to take back."""
        undo = isinstance(event, QKeyEvent) and event.matches(QKeySequence.StandardKey.Undo) and not self.edit.isUndoAvailable()
        redo = isinstance(event, QKeyEvent) and event.matches(QKeySequence.StandardKey.Redo) and not self.edit.isRedoAvailable()
        if event is not None and event.type() is QEvent.Type.ShortcutOverride and (undo or redo):
            event.ignore()
            return True
        return False

    def _typed(self, text: str) -> None:
        self._asked = None
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        at = self.edit.cursorPosition()
        self._explain(text, at)
        below = self.help.sizeHint().height() if self.help.isVisibleTo(self) else 0
        self.offers.offer(offers(evaluation, text, at), below)
        self._say(judge(evaluation, text, at))
        self.preview.values = None
        self.preview.update()
        self._later.start()

    def _explain(self, text: str, at: int) -> None:
        """Show the call one is in with its arguments, the current one strong."""
        inside = call_at(text, at)
        self.help.setVisible(inside is not None)
        if inside is not None:
            call, told = argument_help(inside)
            metrics = self.help.fontMetrics()
            room = self.width() - self.help.contentsMargins().left() - metrics.horizontalAdvance(call + _BETWEEN) - _SPARE
            told = metrics.elidedText(told, Qt.TextElideMode.ElideRight, room)
            strong = escape(call).replace("‹", "<b>").replace("›", "</b>")
            self.help.setText(f"{strong}{_BETWEEN}{escape(told)}")
            self.help.setToolTip(inside.function.help)

    def _complete(self, word: str) -> None:
        text, at = self.edit.text(), self.edit.cursorPosition()
        start = at - len(word_at(text, at))
        self.edit.setText(text[:start] + word + text[at:])
        self.edit.setCursorPosition(start + len(word))
        self._typed(self.edit.text())

    def _say(self, said: Judgement) -> None:
        """Show unit and kind, or the error with its place marked in the line."""
        self._mark(stale=False)
        if said.pending:
            said = Judgement(True, "")
        mark = "✓ " if said.good and said.text else ""
        self.said.setText(mark + said.text)
        self.said.setProperty("fault", not said.good)
        style = self.said.style()
        assert style is not None
        style.polish(self.said)
        if not said.good and said.stop > said.start:
            shown = self.edit.text()
            self.said.setText(f"{shown[said.start : said.stop]}  ←  {said.text}")

    def _tell_in_full(self, said: Judgement) -> None:
        """What is asked for with Enter and cannot be is told in a line of its own, however long it is."""
        if self.said.shortened():
            self.help.setText(escape(said.text))
            self.help.show()

    def _draw_preview(self) -> None:
        """Have a stretch of the result computed for the preview."""
        evaluation, text = self._document.evaluation, self.edit.text()
        if evaluation is None:
            return
        said = judge(evaluation, text)
        if not said.good or said.kind not in (Kind.SIGNAL, Kind.SERIES) or not worth_a_preview(evaluation, text):
            return
        expression = text.partition("=")[2] if said.names else text
        start_s, stop_s = self._document.view.start_s, self._document.view.stop_s

        def job(progress: Progress) -> FloatArray | None:
            return preview_curve(evaluation, expression, start_s, stop_s)

        self._runner.run("preview", job, self._show_preview, lambda error: None)

    def _show_preview(self, values: FloatArray | None) -> None:
        self.preview.values = values
        self.preview.update()

    def enter(self) -> None:
        """Take the formula, or answer it when it has no name."""
        evaluation, text = self._document.evaluation, self.edit.text()
        if evaluation is None or not text.strip():
            return
        said = judge(evaluation, text)
        self._say(said)
        if not said.good:
            self._tell_in_full(said)
            return
        if not said.names:
            self._ask(text)
            return
        name = text.partition("=")[0].strip()
        study = op.set_formula(self._document.study, text)
        if said.kind is not Kind.SCALAR and not any(name in lane.channels for lane in study.lanes):
            study = op.show_alone(study, name, len(study.lanes))
            if said.kind is Kind.SERIES:
                study = op.change_lane(study, len(study.lanes) - 1, drawing="steps")
        self._document.take(study, f"derive {name}")
        self.help.hide()
        self.edit.setText("")  # and nothing to take back in the line: undo takes back the step
        self.preview.values = None
        self.said.setText(f"{name} added")
        self.taken.emit(name)

    def _ask(self, text: str) -> None:
        """Have a text answered that defines nothing."""
        evaluation = self._document.evaluation
        if evaluation is not None:
            self._asked = text
            self._runner.run("answer", lambda progress: answer(evaluation, text), self._answer, self._refuse)

    def _ask_again(self) -> None:
        """The study has changed: what stands beside the line is no longer current, until it is answered anew."""
        if self._asked is None:
            return
        asked, evaluation = self._asked, self._document.evaluation
        self._asked = None
        self._mark(stale=True)
        if evaluation is None or self.edit.text() != asked:
            self.said.setText("")
        elif (said := judge(evaluation, asked)).good:
            self._ask(asked)
        else:
            self._say(said)

    def _answer(self, text: str) -> None:
        self._mark(stale=False)
        self.said.setText(text)

    def _mark(self, stale: bool) -> None:
        self.said.setEnabled(not stale)

    def _refuse(self, error: PantelosError) -> None:
        self._say(Judgement(False, str(error)))
