"""Where each text of a window stands, asked of the widgets and of the painters; what is cut, what overlaps."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from itertools import combinations

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QRadioButton,
    QStyledItemDelegate,
    QWidget,
)  # fmt: skip

from yarddial.ui.widgets.side_by_side import SideBySide

# A pixel of a letter's side-bearing is no overlap, nor is a descender on the line below.
SLACK = 1.5
ELLIPSIS = "…"


@dataclass
class Lettered:
    """One text as it stands.

    box : the ink in the window's pixels. room : what of the window its widget may paint on.
    cut : what is wrong with the text by itself, or "".
    """

    text: str
    box: QRectF
    room: QRectF
    owner: str
    cut: str = ""


@dataclass
class Looks:
    """What was found in one view."""

    texts: list[Lettered] = field(default_factory=list)

    def faults(self) -> list[str]:
        """One line for each text cut, elided or overlapped."""
        found = [f"{one.cut}: {one.text!r} ({one.owner})" for one in self.texts if one.cut]
        seen = [one for one in self.texts if not one.box.isEmpty()]
        for a, b in combinations(seen, 2):
            both = (a.box & a.room) & (b.box & b.room)
            if both.width() > SLACK and both.height() > SLACK and not _same(a, b):
                found.append(f"overlap: {a.text!r} ({a.owner}) and {b.text!r} ({b.owner})")
        return sorted(set(found))


def _same(a: Lettered, b: Lettered) -> bool:
    """A halo: the same text drawn twice on one place."""
    return a.text == b.text and (a.box.center() - b.box.center()).manhattanLength() < 6


def looks_of(window: QWidget) -> Looks:
    """Paint a window once and tell where its texts stand."""
    looks = Looks()
    with _listening(window, looks):
        window.grab()
    for widget in [window, *window.findChildren(QWidget)]:
        if widget.isVisible() and widget.window() is window and not _is_in_finder(widget):
            looks.texts += list(_of_widget(widget, window))
    return looks


def _is_in_finder(widget: QWidget) -> bool:
    return isinstance(widget.parentWidget(), QComboBox)


@contextmanager
def _listening(window: QWidget, looks: Looks) -> Iterator[None]:
    """Every text that a painter draws while this lasts."""
    kept, plain = QPainter.__dict__["drawText"], QPainter.drawText

    def told(painter: QPainter, *args: object) -> object:
        device = painter.device()
        if isinstance(device, QWidget) and device.window() is window and painter.opacity() > 0:
            one = _of_painter(painter, device, window, args)
            if one is not None:
                looks.texts.append(one)
        return plain(painter, *args)

    QPainter.drawText = told  # type: ignore[method-assign, assignment]
    try:
        yield
    finally:
        QPainter.drawText = kept


def _of_painter(painter: QPainter, device: QWidget, window: QWidget, args: tuple[object, ...]) -> Lettered | None:
    text = next((a for a in args if isinstance(a, str)), "")
    if not text.strip():
        return None
    metrics = QFontMetricsF(painter.font())
    given: QRectF | None = None
    if isinstance(args[0], QPointF | QPoint):
        ink = metrics.tightBoundingRect(text).translated(QPointF(args[0]))
    elif isinstance(args[0], QRectF | QRect):
        given = QRectF(args[0])
        flags = args[1] if isinstance(args[1], int) else 0
        box = painter.boundingRect(given, flags, text)
        ink = box
        if "\n" not in text and not flags & int(Qt.TextFlag.TextWordWrap):
            tight = metrics.tightBoundingRect(text)
            ink = QRectF(box.left(), box.top() + metrics.ascent() + tight.top(), box.width(), tight.height())
        if flags & int(Qt.TextFlag.TextDontClip):
            given = None
    else:
        return Lettered(text, QRectF(), QRectF(), _name(device), f"not understood: {args!r}")
    cut = ""
    if given is not None and not given.adjusted(-SLACK, -SLACK, SLACK, SLACK).contains(ink):
        cut = "cut by its own box"
    to_window = device.mapTo(window, QPoint(0, 0))
    ink = painter.transform().mapRect(ink).translated(QPointF(to_window))
    room = _room(device, window)
    if painter.hasClipping():
        clip = painter.transform().mapRect(painter.clipBoundingRect()).translated(QPointF(to_window))
        room = room & clip
    whole = QRectF(device.rect()).translated(QPointF(to_window))
    if not cut and not whole.adjusted(-SLACK, -SLACK, SLACK, SLACK).contains(ink):
        cut = "cut by its widget"
    return _with_ellipsis(Lettered(text, ink, room, _name(device), cut or _beside(ink, room)))


def _beside(ink: QRectF, room: QRectF) -> str:
    """Cut at a side; what is scrolled out above or below is not cut, it is further on."""
    if room.isEmpty() or ink.bottom() < room.top() or ink.top() > room.bottom():
        return ""
    return "cut at the side" if ink.left() < room.left() - SLACK or ink.right() > room.right() + SLACK else ""


def _with_ellipsis(one: Lettered) -> Lettered:
    if not one.cut and one.text.endswith(ELLIPSIS) and one.room.intersects(one.box):
        one.cut = "shortened"
    return one


def _room(widget: QWidget, window: QWidget) -> QRectF:
    """The part of the window that a widget may paint on: its parents, and the ports of scrolled pages."""
    room = QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())
    parent = widget.parentWidget()
    while parent is not None and widget is not window:
        room &= QRect(parent.mapTo(window, QPoint(0, 0)), parent.size())
        if parent is window:
            break
        parent = parent.parentWidget()
    return QRectF(room)


def _name(widget: QWidget) -> str:
    parent = widget.parentWidget()
    return f"{type(widget).__name__} in {type(parent).__name__}" if parent is not None else type(widget).__name__


def _of_widget(widget: QWidget, window: QWidget) -> Iterator[Lettered]:
    """Texts that Qt's own code paints."""
    at, room = QPointF(widget.mapTo(window, QPoint(0, 0))), _room(widget, window)
    paints_itself = "paintEvent" in type(widget).__dict__
    metrics = QFontMetricsF(widget.font())
    if isinstance(widget, QLabel) and widget.text().strip() and not paints_itself:
        inside, wrap = QRectF(widget.contentsRect()), Qt.TextFlag.TextWordWrap if widget.wordWrap() else Qt.TextFlag(0)
        flags = widget.alignment().value | wrap.value
        ink = metrics.boundingRect(inside, int(flags), widget.text())
        grown = inside.adjusted(-SLACK, -SLACK, SLACK, SLACK)
        cut = (
            ""
            if grown.contains(ink)
            else f"label cut ({ink.width():.0f}x{ink.height():.0f} in {inside.width():.0f}x{inside.height():.0f})"
        )
        one = Lettered(widget.text(), ink.translated(at), room, _name(widget), cut)
        one.cut = one.cut or _beside(one.box, room)
        yield _with_ellipsis(one)
    elif isinstance(widget, QAbstractButton) and widget.text() and not paints_itself:
        wanted = widget.sizeHint()
        cut = ""
        if widget.width() < wanted.width() - 1 or widget.height() < wanted.height() - 4:
            cut = f"button cut ({widget.width()}x{widget.height()}, wants {wanted.width()}x{wanted.height()})"
        wide, high = metrics.horizontalAdvance(widget.text().replace("&", "")), metrics.capHeight()
        inside = QRectF(widget.rect())
        left = inside.right() - wide if isinstance(widget, QCheckBox | QRadioButton) else inside.center().x() - wide / 2
        ink = QRectF(left, inside.center().y() - high / 2, wide, high).translated(at)
        yield Lettered(widget.text(), ink, room, _name(widget), cut or _beside(ink, room))
    elif isinstance(widget, QLineEdit):
        text = widget.text() or widget.placeholderText()
        margins = widget.textMargins()
        inside = QRectF(widget.contentsRect()).adjusted(margins.left() + 2, 0, -margins.right() - 2, 0)
        wide = metrics.horizontalAdvance(text)
        kind = "placeholder" if not widget.text() else "field"
        cut = f"{kind} cut ({wide:.0f} in {inside.width():.0f})" if wide > inside.width() + SLACK else ""
        high = metrics.capHeight()
        ink = QRectF(inside.left(), inside.center().y() - high / 2, min(wide, inside.width()), high)
        yield Lettered(text, ink.translated(at), room, _name(widget), cut if text else "")
    elif isinstance(widget, QListWidget) and type(widget.itemDelegate()) is QStyledItemDelegate:
        for row in range(widget.count()):
            item = widget.item(row)
            if item is None or not widget.visualItemRect(item).intersects(widget.viewport().rect()):  # type: ignore[union-attr]
                continue
            wide = QFontMetricsF(item.font()).horizontalAdvance(item.text())
            if item.text() and wide > widget.viewport().width() - 4:  # type: ignore[union-attr]
                yield Lettered(item.text(), QRectF(), room, _name(widget), "list row cut")
    if isinstance(widget, SideBySide) and not widget.is_stacked:
        upright = widget.verticalScrollBar()
        if upright is not None and upright.maximum() > 0:
            yield Lettered("", QRectF(), room, _name(widget), f"page cut by {upright.maximum()} pixels")
    if isinstance(widget, QAbstractScrollArea):
        bar = widget.horizontalScrollBar()
        if bar is not None and bar.isVisible() and not isinstance(widget, QListWidget):
            yield Lettered("", QRectF(), room, _name(widget), "scrolls sideways")


def settle(app: QApplication) -> None:
    """Let layouts come to rest."""
    for _ in range(8):
        app.processEvents()
