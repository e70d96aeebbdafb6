"""The guide's bar with the next step, and the outline that points at its control."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QPoint, QRectF, Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.first_hour.steps import STEPS, Step, control_of
from yarddial.ui.theme.lettering import px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.yard.places import PlaceName

CHECK_INTERVAL_MS = 300


class Outline(QWidget):
    """A line around a control of the window, transparent to mouse and keys."""

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self._around: QWidget | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        over.installEventFilter(self)
        self.resize(over.size())

    def point_at(self, control: QWidget | None) -> None:
        """Draw around a control, or around nothing."""
        self._around = control
        self.setVisible(control is not None)
        self.raise_()
        self.update()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Follow the size of the window."""
        over = self.parentWidget()
        if event is not None and event.type() == QEvent.Type.Resize and over is not None:
            self.resize(over.size())
        return super().eventFilter(watched, event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the frame around the control."""
        over = self.parentWidget()
        if self._around is None or over is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(palette().colour("vermilion"), px(2.5)))
        at = self._around.mapTo(over, QPoint(0, 0))
        box = QRectF(at.x(), at.y(), self._around.width(), self._around.height()).adjusted(-px(4), -px(4), px(4), px(4))
        edge = QRectF(self.rect()).adjusted(px(2), px(2), -px(2), -px(2))
        painter.drawRoundedRect(box & edge, px(6), px(6))


class Guide(QWidget):
    """One step after the other. It can be left at any time without losing anything."""

    def __init__(self, window: QWidget, session: Session, go: Callable[[PlaceName], QWidget]) -> None:
        """`go` opens a place and returns its page."""
        super().__init__()
        self._window, self._session, self._go = window, session, go
        self._number = 0
        self.page: QWidget | None = None
        self._mark = MarkSign(size=12)
        self.title = Words("", 14, "serif")
        self.words = Words("", 13, wrap=True)
        self.back, self.next, self.leave = button("Back", plain=True), button("Next"), button("Leave", plain=True)
        self.back.clicked.connect(lambda: self.show_step(self._number - 1))
        self.next.clicked.connect(lambda: self.show_step(self._number + 1))
        self.leave.clicked.connect(self.end)
        self.outline = Outline(window)
        text = QVBoxLayout()
        text.setSpacing(px(2))
        text.addWidget(self.title)
        text.addWidget(self.words)
        row = QHBoxLayout()
        row.setContentsMargins(px(16), px(8), px(16), px(8))
        row.setSpacing(px(12))
        row.addWidget(self._mark)
        row.addLayout(text, 1)
        for widget in (self.back, self.next, self.leave):
            row.addWidget(widget)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(hairline())
        layout.addLayout(row)
        self.setAccessibleName("First hour")
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._check)

    @property
    def step(self) -> Step:
        """The step shown."""
        return STEPS[self._number]

    def begin(self) -> None:
        """Begin with the first step that is not done yet."""
        open_steps = (n for n, step in enumerate(STEPS) if step.is_done is None or not step.is_done(self._session))
        self.show()
        self._timer.start(CHECK_INTERVAL_MS)
        self.show_step(next(open_steps, 0))

    def show_step(self, number: int) -> None:
        """Go to the step's place and point at its control; the guide ends after the last one."""
        if number >= len(STEPS):
            self.end()
            return
        self._number = max(number, 0)
        step = self.step
        self.page = self._go(step.place) if step.place else None
        self.title.setText(f"{self._number + 1} of {len(STEPS)}: {step.title}")
        self.words.setText(step.words)
        self.back.setEnabled(self._number > 0)
        self.next.setText("Next" if self._number + 1 < len(STEPS) else "Finish")
        self._check()

    def end(self) -> None:
        """Leave the guide; the menu brings it back."""
        self._timer.stop()
        self.outline.point_at(None)
        self.hide()

    def _check(self) -> None:
        """Check whether the step is done, and where its control is."""
        done = self.step.is_done is not None and self.step.is_done(self._session)
        self._mark.set_mark("good" if done else "unknown")
        self.setAccessibleDescription("done" if done else "to do")
        shown = self.page is None or self.page.isVisible()
        self.outline.point_at(control_of(self.step, self._window, self.page) if shown and not done else None)
