"""The dial widget."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from yarddial.session.calibration.verdict import dial_verdict
from yarddial.session.rig.verdict import rig_verdict
from yarddial.session.session import Session
from yarddial.ui.dial.scale import SlideRule
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import mark_role
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import ElidedWords, Words, repolish
from yarddial.yard.dial_sentence import DialWish, read_dial_sentence
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import (
    format_hertz,
    format_sigma,
    group_digits,
    group_fraction,
    parse_range,
)
from yarddial.yard.modes import ALL_MODES, mode_named
from yarddial.yard.reach import reached_spans


class Dial(QWidget):
    """Entry, slide rule, error, and whether that serves the mode."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.entry = DialEntry(lambda text: read_dial_sentence(text, session.desk.station))
        self.entry.wished.connect(session.listening.obey)
        self.entry.nudged.connect(self.nudge)
        self.entry.refused.connect(self._show_refusal)
        self.mode = ChoiceBox("Mode")
        for mode in ALL_MODES:
            self.mode.addItem(mode.name, mode.key)
        self.mode.activated.connect(lambda i: session.desk.choose_mode(self.mode.itemData(i)))
        self._unit = Words("MHz", 15, tone="quiet")
        self._error = Words("", 13, weight=600)
        self._error.setAccessibleName("Dial error")
        self.rule = SlideRule()
        self.rule.dialled.connect(session.desk.dial_typed)
        self.serves = Words("", 12, wrap=True)
        self.serves.setAccessibleName("What the dial is good for")
        self.rig_words = ElidedWords("", 12)
        self.rig_words.setAccessibleName("Transceiver")
        self._lay_out()
        session.rig.on_rig_changed(self._show_rig)
        session.desk.on_yard_changed(self._show_rig)
        session.desk.on_dial_changed(self._show)
        session.calibration.on_calibration_changed(self._show)
        self._show()

    def _lay_out(self) -> None:
        top, row = QHBoxLayout(), QHBoxLayout()
        top.setSpacing(px(6))
        top.addWidget(Words("Dial", 12, tone="quiet"))
        top.addWidget(self.rig_words)
        top.addStretch()
        top.addWidget(self.mode)
        row.setSpacing(px(6))
        row.addWidget(self.entry, 1)
        row.addWidget(self._unit, 0, Qt.AlignmentFlag.AlignBottom)
        self._unit.setContentsMargins(0, 0, 0, px(7))
        below = QHBoxLayout()
        below.setSpacing(px(10))
        below.addWidget(self._error)
        below.addWidget(self.serves, 1)
        self.serves.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(20), px(8), px(18), px(6))
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addLayout(row)
        layout.addWidget(self.rule)
        layout.addLayout(below, 1)

    def nudge(self, steps: float) -> None:
        """Move by a number of the mode's steps."""
        station = self._session.desk.station
        step_hz = mode_named(station.mode).step_hz
        self._session.desk.dial(round((station.dial_hz + steps * step_hz) * 1000) / 1000)

    def _show(self) -> None:
        station, calibration = self._session.desk.station, self._session.calibration
        route = self._session.desk.route
        self.mode.blockSignals(True)
        self.mode.setCurrentIndex(self.mode.findData(station.mode))
        self.mode.blockSignals(False)
        number, unit = _split(station.dial_hz)
        self.entry.show_text(number)
        self._unit.setText(unit)
        known = tuple((r.frequency_hz, r.name) for r in station.references)
        self.rule.show_place(station.dial_hz, reached_spans(route), known, station.bands)
        self._show_rig()
        why_not = route.why_not(station.dial_hz)
        if why_not:
            self._say("look", "Out of reach", f"{why_not}")
            return
        mode = mode_named(station.mode)
        state = calibration.state()
        verdict = dial_verdict(state, mode, measured=calibration.touches_active_route())
        if calibration.touches_active_route():
            text = f"{format_hertz(state.error_hz, state.sigma_hz)} {format_sigma(state.sigma_hz)}"
        else:
            text = f"{format_sigma(state.sigma_hz)}, unmeasured"
        served = abs(state.error_hz) + 2 * state.sigma_hz <= mode.tolerance_hz
        allows = f"{mode.name} allows {format_sigma(mode.tolerance_hz)[1:]}"
        self._say(verdict.mark, text, allows if served else f"too much: {allows}")

    def _show_rig(self) -> None:
        """Show the transceiver beside the title, and its two frequencies on the slide rule."""
        rig = self._session.rig
        if rig.status == "off":
            self.rig_words.setText("")
            self.rule.show_rig(None, None)
            return
        verdict = rig_verdict(rig)
        self.rig_words.setText(f"\u00b7 {rig.name} {verdict.short}")
        tone = {"stop": "vermilion", "look": "ochre"}.get(verdict.mark, "spruce" if rig.is_following else "quiet")
        self.rig_words.set_tone(tone)
        self.rule.show_rig(rig.place_hz() if not rig.is_following else None, rig.transmit_place_hz())

    def _say(self, mark: str, error: str, sentence: str) -> None:
        self._error.setText(error)
        self._error.set_tone("" if mark == "unknown" else mark_role(mark))
        self.serves.setText(sentence)
        self.serves.set_tone("quiet" if mark == "unknown" else mark_role(mark))

    def _show_refusal(self, sentence: str) -> None:
        if sentence:
            self._say("stop", "", sentence[:1].upper() + sentence[1:] + ".")
        else:
            self._show()


class DialEntry(QLineEdit):
    """Text entry for a frequency in any notation with a mode, a band or station by its name, or a range."""

    wished = pyqtSignal(object)
    ranged = pyqtSignal(float, float)
    nudged = pyqtSignal(float)
    refused = pyqtSignal(str)

    def __init__(self, read: Callable[[str], DialWish]) -> None:
        """read : reads what was typed; raises BadFrequency."""
        super().__init__()
        self._shown, self._read = "", read
        self.setAccessibleName("Dial frequency")
        set_tip(
            self,
            "Any way of writing a frequency: 14.305M, 14305 kHz. Also 7.1 usb, 40 m, or a known station's name. "
            "A range, 9.4-9.9, is shown in Listen. Arrows nudge the dial.",
        )
        self._dress()

    def show_text(self, text: str) -> None:
        """Show the dial unless something is being typed."""
        if (self.isModified() and self.hasFocus()) or text == self._shown == self.text():
            return
        # On first entering the field, typing replaces the whole text.
        whole = self.hasFocus() and self.selectedText() == self.text()
        self._shown = text
        self.setText(text)
        self.setCursorPosition(0)
        if whole:
            self.selectAll()
        self._fit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter dials, Escape takes back, up and down nudge."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._try()
        elif event.key() == Qt.Key.Key_Escape:
            self._restore()
            self.clearFocus()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.setModified(False)
            self.nudged.emit(nudge_steps(event))
        else:
            super().keyPressEvent(event)
            self._fit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Select the whole number, not one group of its digits."""
        self.selectAll()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Nudge the dial with the wheel."""
        if event is not None and event.angleDelta().y():
            self.nudged.emit(1.0 if event.angleDelta().y() > 0 else -1.0)
            event.accept()

    def changeEvent(self, event: QEvent | None) -> None:
        """Keep the font after a style change."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.StyleChange:
            self._dress()

    def resizeEvent(self, event: object) -> None:
        """Choose the largest font size that fits."""
        self._fit()

    def _dress(self) -> None:
        if self.font().pixelSize() < px(17):
            self.setFont(font(30, "mono"))
        self._fit()

    def _fit(self) -> None:
        """Shrink long frequencies rather than cut them off."""
        for size in (30, 28, 25, 22, 19, 17):
            chosen = font(size, "mono")
            if QFontMetrics(chosen).horizontalAdvance(self.text()) <= self.width() - px(10):
                break
        if chosen != self.font():
            self.setFont(chosen)

    def _try(self) -> None:
        # An unmodified text is the present dial frequency.
        if not self.isModified():
            self.clearFocus()
            return
        try:
            ends = _range(self.text())
            wish = self._read(self.text()) if ends is None else None
        except BadFrequency as error:
            self.setProperty("wrong", True)
            repolish(self)
            self.refused.emit(str(error))
            return
        self._restore()
        self.clearFocus()
        if ends is None:
            self.wished.emit(wish)
        else:
            self.ranged.emit(*ends)
        self.refused.emit("")

    def _restore(self) -> None:
        self.setModified(False)
        self.setText(self._shown)
        self.setProperty("wrong", False)
        repolish(self)
        self.refused.emit("")


def _range(text: str) -> tuple[float, float] | None:
    """A range of frequencies; None for another sentence, whose words may hold a dash."""
    try:
        return parse_range(text, "MHz")
    except BadFrequency:
        if any(sign.isdigit() for sign in text[:1]):
            raise
        return None


def nudge_steps(event: QKeyEvent) -> float:
    """Steps for an arrow key: ten with Shift, a tenth with Alt."""
    sign = 1.0 if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Right) else -1.0
    if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        return 10 * sign
    return sign / 10 if event.modifiers() & Qt.KeyboardModifier.AltModifier else sign


def _split(hertz: float) -> tuple[str, str]:
    """The dial's digits and unit: at least three decimals in MHz, more as needed."""
    whole, _, fraction = f"{round(hertz * 1000) / 1000 / 1e6:.9f}".partition(".")
    fraction = fraction.rstrip("0").ljust(6, "0")
    return f"{group_digits(whole)}.{group_fraction(fraction)}", "MHz"
