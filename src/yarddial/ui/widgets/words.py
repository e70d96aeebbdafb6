"""Text on the page: headings, sentences, hairlines."""

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetrics, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QFrame, QLabel, QMainWindow, QPushButton, QSizePolicy, QWidget

from yarddial.ui.theme.fitting import whole_clauses
from yarddial.ui.theme.lettering import Face, font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.tip import set_tip

_WRAPPED_FLAGS = int(Qt.AlignmentFlag.AlignVCenter.value | Qt.TextFlag.TextWordWrap.value)

# A window lower than this spares no room for texts that may come.
LOW_WINDOW_PX = 760


class Words(QLabel):
    """A text in one of the page's styles; optionally wraps, selectable and readable by screen readers."""

    def __init__(
        self,
        text: str = "",
        size: float = 13,
        face: Face = "sans",
        weight: int = 400,
        *,
        tone: str = "",
        wrap: bool = False,
    ) -> None:
        super().__init__(text)
        # Lines for which room is kept, and as many in a low window.
        self._kept_lines = (0, 0)
        self._lettering = (size, face, weight)
        self.setFont(font(*self._lettering))
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setWordWrap(wrap)
        self.set_tone(tone)

    def set_tone(self, tone: str) -> None:
        """Set the colour by role: quiet, spruce, ochre, vermilion or plain ink."""
        if self.property("tone") != tone:
            self.setProperty("tone", tone)
            repolish(self)

    def keep_lines(self, count: int, in_low_window: int | None = None) -> "Words":
        """Keep room for so many lines, so that nothing below moves when the text comes, goes or wraps.

        in_low_window : lines kept where the window is too low to spare more; as many by default.
        """
        self._kept_lines = (count, count if in_low_window is None else in_low_window)
        self.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self._keep_room()
        return self

    def _keep_room(self) -> None:
        window = self.window()
        is_low = window is not None and window.height() < px(LOW_WINDOW_PX)
        self.setMinimumHeight(self._kept_lines[is_low] * (self.fontMetrics().lineSpacing() + 1))

    def showEvent(self, event: QShowEvent | None) -> None:
        """Follow the window's height from now on."""
        super().showEvent(event)
        window = self.window()
        if self._kept_lines[0] and window is not None:
            window.installEventFilter(self)
            self._keep_room()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Keep less room in a low window."""
        if event is not None and event.type() == QEvent.Type.Resize and self._kept_lines[0]:
            self._keep_room()
        return super().eventFilter(watched, event)

    def changeEvent(self, event: QEvent | None) -> None:
        """Keep the style when the application's font or style changes."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.StyleChange and hasattr(self, "_lettering"):
            wanted = font(*self._lettering)
            if self.font() != wanted:
                self.setFont(wanted)


class ElidedWords(Words):
    """A line that drops its last clauses where there is no room; the tool tip has the whole text."""

    def sizeHint(self) -> QSize:
        """Slightly wider than the text, so that rounding never costs a letter."""
        return QSize(super().sizeHint().width() + px(6), super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        """It may shrink to a few letters."""
        return QSize(px(40), super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the text that fits."""
        painter = QPainter(self)
        painter.setPen(self.palette().windowText().color())
        painter.setFont(self.font())
        metrics, room = self.fontMetrics(), self.width()
        shown = whole_clauses(self.text(), QFontMetricsF(self.font()), room) or metrics.elidedText(
            self.text(), Qt.TextElideMode.ElideRight, room
        )
        painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignVCenter), shown)


class PressButton(QPushButton):
    """A button for Enter; Space presses it in a sheet, but starts the receiver elsewhere in the window."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Press on Enter."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif event is not None and event.key() == Qt.Key.Key_Space and isinstance(self.window(), QMainWindow):
            event.ignore()
        else:
            super().keyPressEvent(event)


class LinkButton(PressButton):
    """A quiet text that can be pressed; wraps where there is no room for one line."""

    def __init__(self, name: str, size: float = 12) -> None:
        super().__init__()
        self._size = size
        self.setAccessibleName(name)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        policy = QSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def sizeHint(self) -> QSize:
        """As high as its text."""
        return QSize(px(60), QFontMetrics(font(self._size)).height() + px(4))

    def minimumSizeHint(self) -> QSize:
        """As narrow as a short word."""
        return QSize(px(60), self.sizeHint().height())

    def hasHeightForWidth(self) -> bool:
        """True: a narrower text is higher."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Height of all its lines."""
        box = QFontMetrics(font(self._size)).boundingRect(0, 0, max(width, 1), 10_000, _WRAPPED_FLAGS, self.text())
        return box.height() + px(4)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the text, underlined with the focus."""
        painter, awake = QPainter(self), self.hasFocus() or self.underMouse()
        lettering = QFont(font(self._size))
        lettering.setUnderline(awake)
        painter.setFont(lettering)
        painter.setPen(palette().colour("slate" if self.hasFocus() else "quiet"))
        painter.drawText(self.rect(), _WRAPPED_FLAGS, self.text())


def hairline(*, vertical: bool = False) -> QFrame:
    """A thin separating line."""
    line = QFrame()
    line.setProperty("hairline", True)
    if vertical:
        line.setFixedWidth(1)
    else:
        line.setFixedHeight(1)
    return line


def button(text: str, *, strong: bool = False, plain: bool = False, tip: str = "") -> QPushButton:
    """A button: one strong one per page, the others outlined, plain ones in running text."""
    pressed = PressButton(text)
    pressed.setFont(font(13, "sans", 500))
    pressed.setProperty("strong", strong)
    pressed.setProperty("plain", plain)
    pressed.setAccessibleName(text)
    set_tip(pressed, tip)
    pressed.setCursor(Qt.CursorShape.PointingHandCursor)
    return pressed


def repolish(widget: QWidget) -> None:
    """Apply the style sheet to a changed property."""
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def keep_width(pressed: QPushButton, *texts: str) -> None:
    """Make a button as wide as its longest text needs, so that its neighbours stay when the text changes."""
    shown = pressed.text()
    widths = []
    for text in texts:
        pressed.setText(text)
        widths.append(pressed.sizeHint().width())
    pressed.setText(shown)
    pressed.setMinimumWidth(max(widths))
