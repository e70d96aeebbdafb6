"""Manual offline: list of pages, one page, and a full-text search."""

from collections.abc import Mapping
from typing import cast

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QTextBlockFormat, QTextCursor, QTextDocument
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.words import Words
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.manual.pages import PAGES, search, text_of, title_of


class ManualSheet(Sheet):
    """Typing searches; Enter opens the first result."""

    manual_page = "start"

    def __init__(self, parent: QWidget, page: str = "start") -> None:
        super().__init__(parent, "Manual", 920)
        self.words = QLineEdit()
        self.words.setPlaceholderText("search")
        self.words.setAccessibleName("Search the manual")
        self.words.setClearButtonEnabled(True)
        self.words.textChanged.connect(self._search)
        self.words.returnPressed.connect(self._open_first)
        self.pages = QListWidget()
        self.pages.setAccessibleName("Pages")
        self.pages.setSpacing(px(3))
        self.pages.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.pages.currentItemChanged.connect(self._open)
        self.none_found = Words("", 12, tone="quiet", wrap=True)
        self.text = QTextBrowser()
        self.text.setAccessibleName("Page")
        self.text.setOpenLinks(False)
        self.text.setFont(font(13))
        self.text.setFrameShape(QFrame.Shape.NoFrame)
        left = QVBoxLayout()
        left.setSpacing(px(6))
        for widget in (self.words, self.pages, self.none_found):
            left.addWidget(widget)
        row = QHBoxLayout()
        row.setSpacing(px(20))
        row.addLayout(left, 2)
        row.addWidget(self.text, 5)
        self.body.addLayout(row)
        self.resize(px(920), px(620))
        self._search("")
        self.open_page(page)

    def open_page(self, page: str) -> None:
        """Show a page and mark it in the list."""
        for number in range(self.pages.count()):
            item = self.pages.item(number)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == page:
                self.pages.setCurrentRow(number)

    def _search(self, words: str) -> None:
        matches = search(words) if words.strip() else None
        self.pages.blockSignals(True)
        self.pages.clear()
        for page in PAGES if matches is None else [match.page for match in matches]:
            item = QListWidgetItem(title_of(page))
            item.setData(Qt.ItemDataRole.UserRole, page)
            self.pages.addItem(item)
        for number, found_page in enumerate(matches or ()):
            row = self.pages.item(number)
            if row is not None and found_page.line != row.text():
                row.setData(Qt.ItemDataRole.ToolTipRole, found_page.line)
        self.pages.blockSignals(False)
        self.none_found.setText("Nothing found: try fewer or other words." if matches == [] else "")

    def _open_first(self) -> None:
        self.pages.setCurrentRow(0)
        self._open(self.pages.item(0))

    def _open(self, item: QListWidgetItem | None, _: QListWidgetItem | None = None) -> None:
        if item is None:
            return
        self.text.setMarkdown(text_of(item.data(Qt.ItemDataRole.UserRole)))
        document = self.text.document()
        if document is not None:
            document.setDocumentMargin(px(16))
            _set_in_type(document)
        self.text.moveCursor(QTextCursor.MoveOperation.Start)
        words = self.words.text().split()
        if words and self.text.find(words[0]):
            self.text.ensureCursorVisible()


def _set_in_type(document: QTextDocument) -> None:
    """Set headings in serif, with space between lines."""
    block = document.begin()
    while block.isValid():
        cursor, form = QTextCursor(block), block.blockFormat()
        level = form.headingLevel()
        form.setLineHeight(120.0, cast(int, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value))
        if not level and QTextCursor(block).currentTable() is None:
            form.setBottomMargin(px(7))
        if level:
            cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
            letters = cursor.charFormat()
            letters.setFont(QFont(font(20 if level == 1 else 16, "serif")))
            cursor.setCharFormat(letters)
            form.setTopMargin(0 if level == 1 else px(14))
            form.setBottomMargin(px(6))
        cursor.setBlockFormat(form)
        block = block.next()


def page_of_focus(pages: Mapping[QWidget, str], otherwise: str) -> str:
    """Manual page for the focused widget; `otherwise` without one."""
    widget = QApplication.focusWidget()
    while widget is not None:
        if widget in pages:
            return pages[widget]
        widget = widget.parentWidget()
    return otherwise
