"""Printing of simple pages."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from yarddial.records.whole_file import write_whole
from yarddial.ui.theme.lettering import font
from yarddial.yard.errors import NotWritten

if TYPE_CHECKING:
    from PyQt6.QtGui import QPdfWriter, QTextDocument, QTextTable

# Margins of A4 in points; resolution; pixels for the page number below the text.
MARGIN_PT, RESOLUTION_DPI, FOOT_PX = 48, 120, 34


def write_page(path: Path, html: Callable[[], str], markdown: Callable[[], str]) -> None:
    """Write a page as PDF, HTML or Markdown, by the ending; raises NotWritten."""
    if path.suffix == ".pdf":
        write_pdf(path, html())
    elif path.suffix in (".html", ".md"):
        write_whole(path, (html if path.suffix == ".html" else markdown)().encode())
    else:
        raise NotWritten(f"'{path.name}' has no ending that tells its form: use .pdf, .html or .md")


def write_pdf(path: Path, html: str, *, across: bool = False, size: int = 13) -> None:
    """Print HTML to a PDF on A4, landscape with `across`, without splitting table rows.

    Raises NotWritten, and leaves no partial file then.
    """
    from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QSizeF
    from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument

    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    side = QPageLayout.Orientation.Landscape if across else QPageLayout.Orientation.Portrait
    margins = QMarginsF(MARGIN_PT, MARGIN_PT, MARGIN_PT, MARGIN_PT)
    writer.setPageLayout(QPageLayout(QPageSize(QPageSize.PageSizeId.A4), side, margins))
    writer.setResolution(RESOLUTION_DPI)
    document = QTextDocument()
    layout = document.documentLayout()
    if layout is not None:
        layout.setPaintDevice(writer)
    document.setDocumentMargin(0)
    document.setDefaultFont(font(size))
    # A narrow no-break space breaks in a text document, the plain one does not.
    document.setHtml(html.replace("\u202f", "\u00a0"))
    document.setPageSize(QSizeF(writer.width(), writer.height() - FOOT_PX))
    _keep_rows_whole(document)
    _paint(document, writer)
    del writer
    write_whole(path, bytes(buffer.data().data()))


def _paint(document: "QTextDocument", writer: "QPdfWriter") -> None:
    """Paint every page, numbered where there is more than one."""
    from PyQt6.QtCore import QRectF, Qt
    from PyQt6.QtGui import QPainter

    wide, high, count = document.pageSize().width(), document.pageSize().height(), document.pageCount()
    painter = QPainter(writer)
    for number in range(count):
        if number:
            writer.newPage()
        painter.save()
        painter.translate(0, -number * high)
        document.drawContents(painter, QRectF(0, number * high, wide, high))
        painter.restore()
        if count > 1:
            painter.setFont(font(11))
            right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom)
            painter.drawText(QRectF(0, high, wide, FOOT_PX), right, f"{number + 1} of {count}")
    painter.end()


def _keep_rows_whole(document: "QTextDocument") -> None:
    """Move a row that would be split to the next page, by padding the tops of its cells."""
    from PyQt6.QtGui import QTextTable

    root = document.rootFrame()
    for frame in [] if root is None else root.childFrames():
        if isinstance(frame, QTextTable):
            for row in range(frame.rows()):
                _keep_row_whole(document, frame, row)


def _keep_row_whole(document: "QTextDocument", table: "QTextTable", row: int) -> None:
    layout, high = document.documentLayout(), document.pageSize().height()
    if layout is None:
        return
    cells = [table.cellAt(row, column) for column in range(table.columns())]
    tops = [layout.blockBoundingRect(cell.firstCursorPosition().block()).top() for cell in cells]
    bottoms = [layout.blockBoundingRect(cell.lastCursorPosition().block()).bottom() for cell in cells]
    top, bottom = min(tops), max(bottoms)
    if int(top // high) == int((bottom - 1) // high) or bottom - top > high:
        return
    for cell in cells:
        changed = cell.format().toTableCellFormat()
        changed.setTopPadding(changed.topPadding() + (int(top // high) + 1) * high - top)
        cell.setFormat(changed)
