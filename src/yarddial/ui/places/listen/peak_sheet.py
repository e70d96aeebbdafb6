"""The sheet "Peak by hand": a bar that is read from across the room."""

from math import floor

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.session.listening.peaking import Peaking
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.frequency import format_frequency

# Span of the bar in decibels, and the level below the best that counts as peaked.
BAR_DB, PEAKED_DB = 30.0, 0.5
HOW = (
    "Move one thing at a time, slowly, and take your hand away before you read: it is part of the antenna. Peak on "
    "noise or on a steady station; a fading one moves the bar by itself. Never peak while a transmitter is on."
)


class PeakBar(QWidget):
    """Level below the best: a bar, a line for the best, and the number in large figures."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Level against the best")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(px(170))
        self._now: float | None = None
        self._best: float | None = None

    def show_level(self, now_dbfs: float | None, best_dbfs: float | None) -> None:
        """Show a level and the best one."""
        self._now, self._best = now_dbfs, best_dbfs
        self.setAccessibleDescription(self.words)
        self.update()

    @property
    def words(self) -> str:
        """The number shown."""
        if self._now is None:
            return "nothing is heard yet"
        if self._best is None:
            return "settling"
        below = max(self._best - self._now, 0.0)
        return "at the best" if below < PEAKED_DB else f"−{below:.1f} dB"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the scale, the bar and the best."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(46, "mono", 500))
        painter.setPen(c.colour("ink"))
        figures = QRectF(0, 0, self.width(), px(70))
        painter.drawText(figures, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), self.words)
        bar = QRectF(0, px(80), self.width(), self.height() - px(110))
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.setBrush(c.colour("card"))
        painter.drawRect(bar)
        if self._now is None:
            return
        # The top of the bar is a round number of decibels above the best, so that it moves seldom.
        top = 5 * (floor(max(self._best or self._now, self._now) / 5) + 1)
        self._draw_scale(painter, bar, top)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(c.colour("spruce"))
        painter.drawRect(QRectF(bar.left(), bar.top(), self._x(bar, self._now, top) - bar.left(), bar.height()))
        if self._best is not None:
            x = self._x(bar, self._best, top)
            painter.setPen(QPen(c.colour("ochre"), px(4)))
            painter.drawLine(int(x), int(bar.top() - px(6)), int(x), int(bar.bottom() + px(6)))

    def _x(self, bar: QRectF, level_dbfs: float, top: float) -> float:
        share = (level_dbfs - (top - BAR_DB)) / BAR_DB
        return bar.left() + bar.width() * min(max(share, 0.0), 1.0)

    def _draw_scale(self, painter: QPainter, bar: QRectF, top: float) -> None:
        painter.setFont(font(11, "mono"))
        painter.setPen(palette().colour("quiet"))
        for step in range(0, int(BAR_DB) + 1, 5):
            x = self._x(bar, top - BAR_DB + step, top)
            painter.drawLine(int(x), int(bar.bottom()), int(x), int(bar.bottom() + px(5)))
            room = QRectF(x - px(30), bar.bottom() + px(7), px(60), px(18))
            # The outer numbers stay inside the widget.
            room.moveLeft(min(max(room.left(), 0.0), self.width() - room.width()))
            place = Qt.AlignmentFlag.AlignLeft if step == 0 else (
                Qt.AlignmentFlag.AlignRight if step == int(BAR_DB) else Qt.AlignmentFlag.AlignHCenter
            )  # fmt: skip
            painter.drawText(room, int(place), f"{top - BAR_DB + step:.0f}".replace("-", "−"))


class PeakSheet(Sheet):
    """Follows the channel at the dial while it is open."""

    manual_page = "listen"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Peak by hand", 820)
        self._session, self.peaking = session, Peaking()
        self.headline, self.bar = Headline(), PeakBar()
        again = button("Start again", strong=True, tip="Forget the best level")
        again.clicked.connect(self._restart)
        self.body.addWidget(self.headline)
        self.body.addWidget(self.bar, 1)
        self.body.addWidget(Words(HOW, 13, tone="quiet", wrap=True))
        self.buttons.insertWidget(1, again)
        self._heard_s = session.listening.heard_s
        soon = Soon(self, self._show)
        self.when_left(
            session.listening.on_heard(self._hear), session.live_receiver.on_receiver_changed(soon),
            session.listening.on_listening_changed(soon), session.desk.on_dial_changed(soon),
        )  # fmt: skip
        self._show()
        self.resize(px(820), px(520))

    def _restart(self) -> None:
        self.peaking.restart()
        self._show()

    def _hear(self) -> None:
        listening, tuning = self._session.listening, self._session.live_receiver.tuning
        seconds_s, self._heard_s = listening.heard_s - self._heard_s, listening.heard_s
        if listening.level_dbfs is None or tuning is None or seconds_s <= 0:
            return
        # As the receiver acknowledged it: a changed gain moves the bar, and must not look like a better antenna.
        place = (listening.settings, self._session.desk.station.dial_hz, tuning.actual.gains_db, tuning.actual.port)
        self.peaking.take(listening.level_dbfs, seconds_s, place)
        self._show()

    def _show(self) -> None:
        listening = self._session.listening
        is_live = self._session.live_receiver.running and listening.level_dbfs is not None and not listening.is_muted
        self.bar.show_level(self.peaking.now_dbfs if is_live else None, self.peaking.best_dbfs)
        below = self.peaking.below_best_db
        dial = format_frequency(self._session.desk.station.dial_hz)
        if not self._session.live_receiver.running:
            self.headline.show_verdict("unknown", "The receiver is off.", "Start it in Listen, then peak.")
        elif listening.is_muted:
            self.headline.show_verdict("unknown", "Reception is muted.", "Let it sound again in Listen, then peak.")
        elif not is_live or not listening.is_open:
            self.headline.show_verdict("unknown", "Nothing is heard now.", "Open Listen, which hears what is peaked.")
        elif below is None:
            self.headline.show_verdict("unknown", f"Settling at {dial}.", "Leave everything as it is for a second.")
        elif below < PEAKED_DB:
            self.headline.show_verdict("good", "This is the best so far.", f"{dial}; go on until it falls again.")
        else:
            self.headline.show_verdict("look", f"{below:.1f} dB below the best.", f"{dial}; go back to where it was.")
