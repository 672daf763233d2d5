"""How much is recorded and what starts it, as a sentence with gaps to fill."""

import msgspec
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from pantelos.amounts import figure
from pantelos.errors import StudyError
from pantelos.recorder.order import Order, Start, WantedChannel, gate_from, start_from
from pantelos.recorder.signals import outputs_from
from pantelos.study.operations import rate_from, time_from
from pantelos.units import unit

_STRETCHED = 1000  # pixels: a gap without a width of its own


class OrderForm(QWidget):
    """Lines to read and to fill."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.length = self._gap("16384 samples", 122, "Samples, or a time such as 200 ms; empty: until it is stopped")
        self.rate = self._gap("50 kHz", 84, "Samples per second")
        self.before = self._gap("0 s", 76, "How much of it lies before the start: samples or a time")
        self.start = self._gap(
            "now",
            0,
            "now, digital input, command, or as in: u1 rises through 10 V, hysteresis 1 V, hold-off 20 ms, else after 2 s",
        )
        self.shots = self._gap("1", 48, "How often; 0: until it is stopped")
        self.gate = self._gap("", 0, "Record only while a channel is above a level, as in: u1 above 10 V; empty: always")
        self.gate.setPlaceholderText("always")
        self.headroom = self._gap("2", 48, "A machine that starts takes more than one at rest: room for it, 1 to 1000 times")
        self.outputs = self._gap(
            "", 0, "What outputs give meanwhile, with ; between them, as in: 1 = sine 50 Hz, 1 V; 2 = noise 0.1 V"
        )
        self.outputs.setPlaceholderText("nothing, or as in: 1 = sine 50 Hz, 1 V; 2 = noise 0.1 V")
        self.loop = QCheckBox("into the inputs", toolTip="Every output is wired into the input of its number")
        self.loop.toggled.connect(lambda _: self.changed.emit())
        for edit, told in (
            (self.length, "How much is recorded"),
            (self.rate, "Sample rate"),
            (self.before, "How much of it before the start"),
            (self.shots, "How often"),
            (self.start, "What starts it"),
            (self.gate, "While what"),
            (self.headroom, "How many times what is seen at rest"),
            (self.outputs, "What outputs give"),
        ):
            edit.setAccessibleName(told)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for line in (
            ("Record", self.length, "at", self.rate, None),
            (self.before, "of it before the start,", self.shots, "times.", None),
            ("Start", self.start),
            ("while", self.gate),
            ("Measured ranges hold", self.headroom, "times what is seen before the start.", None),
            ("Outputs give", self.outputs, self.loop),
        ):
            row = QHBoxLayout()
            row.setSpacing(6)
            for part in line:
                if part is None:
                    row.addStretch(1)
                elif isinstance(part, str):
                    row.addWidget(QLabel(part))
                else:
                    row.addWidget(part, 1 if isinstance(part, QLineEdit) and part.maximumWidth() > _STRETCHED else 0)
            column.addLayout(row)

    def _gap(self, text: str, wide: int, help_: str) -> QLineEdit:
        edit: QLineEdit = QLineEdit(text, toolTip=help_)
        if wide:
            edit.setFixedWidth(wide)
        edit.textChanged.connect(lambda _: self.changed.emit())
        return edit

    def order(self, channels: tuple[WantedChannel, ...]) -> Order:
        """Return the order for some channels.

        Raises
        ------
        StudyError
            When a gap cannot be read, or the order cannot be.
        """
        rate = rate_from(self.rate.text())
        made = Order(
            channels, rate, self._samples(self.length.text(), rate), self._samples(self.before.text(), rate),
            n_shots=self._whole(self.shots.text()), headroom=figure(self.headroom.text()),
        )  # fmt: skip
        start = start_from(self.start.text().strip() or "now", made)
        gate = gate_from(self.gate.text(), made) if self.gate.text().strip() else None
        found = msgspec.structs.replace(made, start=start, gate=gate)
        found.check()
        return found

    def _samples(self, text: str, rate_hz: float) -> int:
        text = text.removesuffix("samples").strip()
        if not text:
            return 0
        return int(text) if text.isdigit() else round(time_from(text) * rate_hz)

    def _whole(self, text: str) -> int:
        if not text.strip().isdigit():
            raise StudyError(f'"{text}" is no number of shots. Write 1, or 0 for until it is stopped.')
        return int(text)

    def outputs_given(self, n: int) -> tuple[str, ...]:
        """Return what each of `n` outputs gives, as texts that can be read; recorded channels are looked at when they are sent.

        Raises
        ------
        StudyError
            When one cannot.
        """
        texts = tuple(text.strip() for text in self.outputs.text().split(";") if text.strip())
        outputs_from([text for text in texts if not text.partition("=")[2].strip().startswith("played ")], n)
        return texts

    def move_level(self, order: Order, level: float) -> None:
        """Show another level of the start condition, SI."""
        start = order.start
        symbol = order.channel(start.channel).scaling.resolve(unit("V"))[2].symbol
        moved = Start(
            "edge", start.channel, start.direction, level, start.hysteresis, start.hold_off_s, start.delay_s, start.alone_after_s
        )
        self.start.setText(moved.text(symbol))
