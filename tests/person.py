"""A person at the window, by mouse or by keys, who answers "What have you got?"."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QCheckBox, QComboBox, QLineEdit, QRadioButton, QWidget
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.receiver.receiver_choice import ChoiceHelpers
from yarddial.session.session import Session
from yarddial.ui.from_the_box.sheet import FromTheBox
from yarddial.ui.main_window import MainWindow
from yarddial.ui.start import dressed_application
from yarddial.yard.station import Station

TONE = Path(__file__).parents[1] / "docs" / "example-program" / "tone.py"
MOST_ACTIONS = 25


class NoFiles:
    """Nothing to open; asked only whether it is there."""

    def recent(self) -> tuple[Path, ...]:
        return ()


class Person:
    """Does things by mouse or by keys, and counts them."""

    def __init__(self, qtbot: QtBot, window: MainWindow, *, by_keys: bool) -> None:
        self.qtbot, self.window, self.by_keys = qtbot, window, by_keys
        self.actions = 0

    def press(self, button: QWidget | None) -> None:
        assert isinstance(button, QAbstractButton)
        assert button.isEnabled()
        self.actions += 1
        if self.by_keys:
            button.setFocus()
            key = Qt.Key.Key_Space if isinstance(button, QCheckBox | QRadioButton) else Qt.Key.Key_Return
            self.qtbot.keyClick(button, key)
        else:
            # A mark with words is pressed on its mark.
            at = QPoint(8, button.height() // 2) if isinstance(button, QCheckBox | QRadioButton) else QPoint()
            self.qtbot.mouseClick(button, Qt.MouseButton.LeftButton, pos=at)

    def choose(self, box: QComboBox, text: str) -> None:
        """From a drop-down, by its first letters or from its open list."""
        self.actions += 1
        assert box.findText(text) >= 0
        box.setFocus()
        if self.by_keys:
            self.qtbot.keyClicks(box, text)
        else:
            box.setCurrentText(text)
        box.textActivated.emit(text)

    def write(self, field: QLineEdit, text: str) -> None:
        """Into a field, and Enter."""
        self.actions += 1
        field.setFocus()
        field.selectAll()
        self.qtbot.keyClicks(field, text)

    def dial(self, text: str) -> None:
        if self.by_keys:
            self.actions += 1
            self.qtbot.keyClicks(self.window, "/")
        self.write(self.window.dial.entry, text)
        self.actions += 1
        self.qtbot.keyClick(self.window.dial.entry, Qt.Key.Key_Return)

    def listen(self) -> None:
        if self.by_keys:
            self.actions += 2
            # A window manager would hand the focus back by itself; here it goes with the sheet, a moment later.
            self.qtbot.waitUntil(lambda: QApplication.activeWindow() is None, timeout=5_000)
            self.window.activateWindow()
            self.qtbot.waitUntil(self.window.isActiveWindow, timeout=5_000)
            target = self.window.focusWidget() or self.window
            self.qtbot.keyClick(target, Qt.Key.Key_8, Qt.KeyboardModifier.ControlModifier)
            self.qtbot.waitUntil(lambda: self.window.stack.shown == "Listen", timeout=5_000)
            self.window.setFocus()
            self.qtbot.keyClicks(self.window, " ")
            return
        self.press(self.window.places.buttons[7])
        self.press(self.window.places.owner.start)


def named(parent: QWidget, name: str) -> QWidget:
    """Widget of a name; pages that were left are deleted first, as a running loop of events does."""
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    return next(widget for widget in parent.findChildren(QWidget) if widget.accessibleName() == name)


def choose_receiver(person: "Person", sheet: FromTheBox, kind: str) -> None:
    """Answer the question about the receiver."""
    qtbot, page = person.qtbot, sheet.receiver
    match kind:
        case "Finch" | "Heron":
            qtbot.waitUntil(lambda: any(b.accessibleName() == f"Choose {kind}" for b in sheet.findChildren(QWidget)))
            person.press(named(sheet, f"Choose {kind}"))
        case "sound":
            person.press(page.others)
            person.press(page.sound.heading)
            qtbot.waitUntil(lambda: page.sound.input.currentText() == "Line in")
            person.write(page.sound.centre, "7.05 MHz")
            person.press(named(sheet, "Choose the sound card"))
        case "program":
            person.press(page.others)
            person.press(page.program.heading)
            person.write(page.program.command, str(TONE))
            allow = named(sheet, "Choose a program of mine")
            assert isinstance(allow, QAbstractButton)
            assert "Allow" in allow.text()
            person.press(allow)
        case _:
            person.choose(page.kind, kind)
    qtbot.waitUntil(lambda: sheet.answers.receiver is not None and sheet.next.isEnabled(), timeout=15_000)


def answer(person: "Person", sheet: FromTheBox, receiver: str, options: dict[str, tuple[str, ...]]) -> None:
    """Go through all questions: the receiver, the options named, and nothing else; then build."""
    while (question := sheet.question) is not None:
        if question.name == "receiver":
            choose_receiver(person, sheet, receiver)
        for words in options.get(question.name, ()):
            field, _, text = words.partition("= ")
            box, _, choice = words.partition(": ")
            if text:
                line = named(sheet, field)
                assert isinstance(line, QLineEdit)
                person.write(line, text)
            elif choice:
                combo = named(sheet, box)
                assert isinstance(combo, QComboBox)
                person.choose(combo, choice)
            else:
                person.press(named(sheet, words))
        person.press(sheet.next)
    person.press(sheet.build)


def session_of(station: Station, tmp_path: Path, helpers: Callable[[], ChoiceHelpers] | None = None) -> Session:
    return Session(
        station,
        EngineInline(wiring.open_device_flat_out),
        lambda: Logbook(tmp_path / "log.sqlite"),
        begin_check=wiring.begin_check_flat_out,
        helpers=helpers or partial(wiring.choice_helpers, inline=True),
    )


def shown(qtbot: QtBot, session: Session, files: object = None) -> MainWindow:
    dressed_application("day", 1.0)
    window = MainWindow(session, files)  # type: ignore[arg-type]
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitActive(window)
    return window
