"""Questions in words, without signs of alarm."""

from PyQt6.QtWidgets import QMessageBox, QWidget

Answer = QMessageBox.StandardButton


def ask(parent: QWidget, text: str, answers: Answer) -> Answer:
    """Ask, and return which of the answers was chosen; closing the question is *Cancel*."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Pantelos", text, answers, parent)
    return Answer(box.exec())
