"""The documentation in a window of its own: pages at the left, a search above them, the text beside."""

from PyQt6.QtCore import Qt, QTimer, QUrl
from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from pantelos.help_pages import HelpPage, help_pages, search_pages

KEYS = "keys"
_ABOVE = 6  # pixels above a heading that is gone to


class HelpWindow(QDialog):
    """Reads and searches the pages; it stays open beside the work."""

    def __init__(self, keys_html: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help")
        self.setModal(False)
        self.resize(920, 640)
        self._pages, self._keys = help_pages(), keys_html
        self.search = QLineEdit(placeholderText="search the documentation", clearButtonEnabled=True)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.text = QTextBrowser()
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._follow)
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        row = QHBoxLayout(self)
        row.addLayout(left, 1)
        row.addWidget(self.text, 3)
        self.search.textChanged.connect(self._fill)
        self.list.currentItemChanged.connect(lambda item, _: self._show(item))
        self._fill("")
        self.list.setCurrentRow(0)

    def _fill(self, wanted: str) -> None:
        """List the pages, or the places that hold what is looked for."""
        self.list.blockSignals(True)
        self.list.clear()
        if wanted.strip():
            for found in search_pages(self._pages, wanted)[:200]:
                self._add(f"{found.page.title} · {found.heading}\n{found.line[:120]}", found.page.name, found.line)
        else:
            for page in self._pages:
                self._add(page.title, page.name, "")
            self._add("Keys and gestures", KEYS, "")
        self.list.blockSignals(False)
        if wanted.strip():
            self.list.setCurrentRow(0)

    def _add(self, text: str, page: str, line: str) -> None:
        item = QListWidgetItem(text)
        item.setData(Qt.ItemDataRole.UserRole, (page, line))
        self.list.addItem(item)

    def _show(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        name, line = item.data(Qt.ItemDataRole.UserRole)
        if name == KEYS:
            self.text.setHtml(self._keys)
            return
        page = self._page(name)
        if page is None:
            return
        self.text.setMarkdown(page.text)
        words = sorted(self.search.text().split(), key=len)
        if line and words and not self.text.find(line[:40]):
            self.text.find(words[-1])

    def _page(self, name: str) -> HelpPage | None:
        return next((page for page in self._pages if page.name == name), None)

    def open_at(self, name: str, heading: str = "") -> None:
        """Show a page, from a heading on."""
        self.search.clear()
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None and item.data(Qt.ItemDataRole.UserRole)[0] == name:
                self.list.setCurrentRow(row)
                self._show(item)
        self.show()
        self.raise_()
        if heading:
            QTimer.singleShot(0, lambda: self._scroll_to(heading))  # once the page is laid out

    def _scroll_to(self, heading: str) -> None:
        """Put a heading at the top."""
        document, bar = self.text.document(), self.text.verticalScrollBar()
        assert document is not None and bar is not None
        block = document.begin()
        while block.isValid() and not (block.blockFormat().headingLevel() and block.text() == heading):
            block = block.next()
        if block.isValid():
            self.text.setTextCursor(QTextCursor(block))
            bar.setValue(bar.value() + self.text.cursorRect().top() - _ABOVE)

    def _follow(self, link: QUrl) -> None:
        """Go to another page that a page speaks of."""
        name = link.path().rsplit("/", 1)[-1].removesuffix(".md")
        if self._page(name) is not None:
            self.open_at(name)
