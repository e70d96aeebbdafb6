"""What a person does in the window, and what they see."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QLabel, QLineEdit, QWidget
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.theme.palette import DAY, NIGHT, Palette
from yarddial.ui.widgets.spectrogram_chart import SpectrogramChart
from yarddial.ui.widgets.value_field import ValueField
from yarddial.yard.demo import DIRECT, VIA_LADDER
from yarddial.yard.parts import Converter, Receiver
from yarddial.yard.places import PLACE_NAMES


def named(window: QWidget, kind: type[QWidget], name: str) -> QWidget:
    return next(widget for widget in window.findChildren(kind) if widget.accessibleName() == name)


def type_dial(qtbot: QtBot, window: MainWindow, text: str) -> None:
    qtbot.keyClicks(window, "/")
    qtbot.keyClicks(window.dial.entry, text)
    qtbot.keyClick(window.dial.entry, Qt.Key.Key_Return)


def test_dialling_any_spelling_moves_the_points(qtbot: QtBot, window: MainWindow) -> None:
    for text, hertz, route in (
        ("145.2", 145.2e6, DIRECT),
        ("7100 kHz", 7.1e6, VIA_LADDER),
        ("145.650.000", 145.65e6, DIRECT),
        ("10", 10e6, VIA_LADDER),
    ):
        type_dial(qtbot, window, text)
        assert window.session.desk.station.dial_hz == hertz
        assert window.session.desk.station.route == route
    assert window.dial.entry.text() == "10.000\u202f000"


def test_a_refused_frequency_is_said_and_escape_takes_it_back(qtbot: QtBot, window: MainWindow) -> None:
    type_dial(qtbot, window, "14,305")
    assert window.session.desk.station.dial_hz == 10e6
    said = named(window, QLabel, "What the dial is good for")
    assert "can be read as" in said.text()  # type: ignore[attr-defined]
    qtbot.keyClick(window.dial.entry, Qt.Key.Key_Escape)
    assert window.dial.entry.text() == "10.000\u202f000"
    assert "can be read as" not in said.text()  # type: ignore[attr-defined]


def test_arrows_nudge_by_the_modes_step(qtbot: QtBot, window: MainWindow) -> None:
    window.session.desk.choose_mode("ssb")
    qtbot.keyClick(window, Qt.Key.Key_Up)
    qtbot.keyClick(window, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    qtbot.keyClick(window, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert window.session.desk.station.dial_hz == 10e6 + 100 + 1000 - 10


def test_brackets_go_through_the_known_stations(qtbot: QtBot, window: MainWindow) -> None:
    seen = []
    for _ in range(3):
        qtbot.keyClicks(window, "]")
        seen.append(window.session.desk.station.dial_hz)
    assert seen == [145.2e6, 145.65e6, 10.489e9]
    for _ in range(6):
        qtbot.keyClicks(window, "[")
    assert window.session.desk.station.dial_hz == 1.134e6


def test_the_strip_sets_the_points_and_opens_parts_by_keys(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.keyClicks(window, "y")
    plate = window.focusWidget()
    assert plate is not None
    assert plate.accessibleName().startswith("Long wire")
    qtbot.keyClick(plate, Qt.Key.Key_Down)
    discone = window.focusWidget()
    assert discone is not None
    qtbot.keyClick(discone, Qt.Key.Key_Return)
    assert window.session.desk.station.route == DIRECT
    qtbot.keyClick(discone, Qt.Key.Key_Return)
    field = window.focusWidget()
    assert isinstance(field, ValueField)
    assert field.accessibleName() == "Discone: from"


def test_editing_a_value_on_bench_is_live_and_undone(qtbot: QtBot, window: MainWindow) -> None:
    window.open_part("Ladder")
    field = named(window, ValueField, "Ladder: oscillator, as stated")
    assert isinstance(field, ValueField)
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "125M")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    ladder = window.session.desk.station.part("Ladder")
    assert isinstance(ladder, Converter)
    assert ladder.lo_hz.value == ladder.entered_lo_hz == 125e6
    assert any("135.000 MHz" in plate.accessibleName() for plate in window.strip.plates)
    field.selectAll()
    qtbot.keyClicks(field, "125,000")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "can be read as" in field.toolTip()
    assert window.session.desk.station.part("Ladder") == ladder
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    window.setFocus()
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    again = window.session.desk.station.part("Ladder")
    assert isinstance(again, Converter)
    assert again.entered_lo_hz == 120e6
    assert field.text() == "120.000 MHz"


def test_an_edit_that_does_not_hold_together_is_refused_in_place(qtbot: QtBot, window: MainWindow) -> None:
    window.open_part("Long wire")
    field = named(window, ValueField, "Long wire: to")
    assert isinstance(field, ValueField)
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "10 kHz")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "must rise" in field.toolTip()


def test_a_note_reaches_the_log_by_keys(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.keyClicks(window, "l")
    note = window.focusWidget()
    assert isinstance(note, QLineEdit)
    qtbot.keyClicks(note, "Rain since noon")
    qtbot.keyClick(note, Qt.Key.Key_Return)
    assert window.session.log.shown()[0].text == "Rain since noon"
    item = window.log.list.item(0)
    assert item is not None
    assert item.text() == "Rain since noon"


@pytest.mark.parametrize(
    ("key", "title", "words"), [("w", "The dial at 10.000", "f_shown"), ("c", "What to set", "route")]
)
def test_sheets_open_and_escape_closes(qtbot: QtBot, window: MainWindow, key: str, title: str, words: str) -> None:
    qtbot.keyClicks(window, key)
    sheet = next(w for w in window.findChildren(QWidget) if w.isWindow() and w.windowTitle().startswith(title))
    assert any(words in label.text() for label in sheet.findChildren(QLabel))
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)
    assert not sheet.isVisible()


def test_chart_only_hides_the_rest_and_brings_it_back(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F11)
    assert not window.strip.isVisible()
    assert window.true.recorder.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_F11)
    assert window.strip.isVisible()


def test_everything_that_takes_the_focus_has_a_name(window: MainWindow) -> None:
    nameless = [
        type(widget).__name__
        for widget in window.findChildren(QWidget)
        if widget.focusPolicy() & Qt.FocusPolicy.TabFocus
        and type(widget).__module__.startswith("yarddial")
        and not widget.accessibleName()
    ]
    assert nameless == []


def test_a_killed_receiver_process_leaves_the_window_alive(qtbot: QtBot, process_window: MainWindow) -> None:
    import multiprocessing
    import os
    import signal

    window = process_window
    qtbot.keyClicks(window, " ")
    qtbot.waitUntil(lambda: window.session.live_receiver.is_tuned, timeout=30_000)
    for child in multiprocessing.active_children():
        os.kill(child.pid or 0, signal.SIGKILL)
    qtbot.waitUntil(lambda: bool(window.session.live_receiver.trouble), timeout=10_000)
    assert "unexpectedly" in window.true.recorder.empty_text or "unexpectedly" in window.session.live_receiver.trouble
    qtbot.keyClicks(window, " ")
    qtbot.waitUntil(lambda: window.session.live_receiver.is_tuned, timeout=30_000)


def luminance(colour: str) -> float:
    """Relative luminance, WCAG 2.1."""
    parts = [QColor(colour).redF(), QColor(colour).greenF(), QColor(colour).blueF()]
    linear = [p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("palette", [DAY, NIGHT], ids=["day", "night"])
@pytest.mark.parametrize("role", ["ink", "quiet", "spruce", "vermilion", "ochre", "slate"])
def test_words_can_be_read_in_both_themes(palette: Palette, role: str) -> None:
    for ground in (palette.paper, palette.card):
        high, low = sorted((luminance(getattr(palette, role)), luminance(ground)), reverse=True)
        assert (high + 0.05) / (low + 0.05) >= 4.5
    high, low = sorted((luminance(palette.on_spruce), luminance(palette.spruce)), reverse=True)
    assert (high + 0.05) / (low + 0.05) >= 4.5


def test_the_pen_recorder_draws_a_line_where_the_carrier_is(qtbot: QtBot) -> None:
    """Colours at known points: ink on the line, card beside it, nothing drawn beyond the last column."""
    recorder = SpectrogramChart()
    qtbot.addWidget(recorder)
    recorder.resize(700, 360)
    recorder.begin(100.0, 0.1, 300)
    levels = np.full((200, 300), -100.0, np.float32)
    levels[:, 225] = -40.0
    recorder.add(levels)
    picture = recorder.grab().toImage()
    chart, _ = recorder.areas()
    y_line = round(recorder.y_of(chart, 50.5))
    dark = [picture.pixelColor(round(chart.left()) + 50, y_line + dy).lightness() for dy in (-1, 0, 1)]
    assert min(dark) < 90
    beside = picture.pixelColor(round(chart.left()) + 50, y_line + 40)
    assert abs(beside.lightness() - QColor(DAY.card).lightness()) < 12
    beyond = picture.pixelColor(round(chart.left()) + 300, y_line)
    assert beyond.lightness() > 230


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800), (1920, 1080)])
@pytest.mark.parametrize("place", PLACE_NAMES)
def test_nothing_sticks_out_of_the_window(window: MainWindow, qtbot: QtBot, size: tuple[int, int], place: str) -> None:
    window.resize(*size)
    window.go(place)
    qtbot.wait(50)
    assert (window.width(), window.height()) == size
    for widget in window.findChildren(QWidget):
        if widget.isVisible() and not widget.isWindow() and widget.parent() is window.stack.currentWidget():
            corner = widget.mapTo(window, QPoint(widget.width(), widget.height()))
            assert corner.x() <= window.width() + 1
            assert corner.y() <= window.height() + 1


def test_a_fault_of_the_program_is_shown_and_the_window_lives(
    window: MainWindow, capsys: pytest.CaptureFixture[str]
) -> None:
    window.report_fault(ValueError, ValueError("a made-up fault"), None)
    window.session.poll()
    sheets = [w for w in window.findChildren(QWidget) if w.isWindow() and w.windowTitle() == "A fault in the program"]
    assert any("a made-up fault" in label.text() for label in sheets[0].findChildren(QLabel))
    assert "a made-up fault" in capsys.readouterr().err
    assert window.isVisible()
    # Told once in a sheet; then it stands among the findings, and its details can be copied.
    window.report_fault(KeyError, KeyError("another"), None)
    window.session.poll()
    assert len([w for w in window.findChildren(QWidget) if w.windowTitle() == "A fault in the program"]) == 1
    assert any("1 more" in finding.what for finding in window.findings.findings)
    assert window.session.faults.details.count("KeyError") == 1


def test_out_of_reach_is_said_everywhere_and_nothing_else_is_claimed(qtbot: QtBot, window: MainWindow) -> None:
    type_dial(qtbot, window, "1.12 GHz")
    place = window.places.buttons[PLACE_NAMES.index("True")]
    qtbot.waitUntil(lambda: "out of reach" in place.accessibleName(), timeout=20_000)
    assert "out of reach" in window.true.headline.text()
    assert "hole" in window.findings.findings[0].why
    assert len(window.findings.findings) == 1


def test_a_correction_typed_by_hand_counts(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    type_dial(qtbot, window, "145.2")
    window.open_part("Finch")
    field = named(window, ValueField, "Finch: correction, entered")
    assert isinstance(field, ValueField)
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "27")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    finch = window.session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    assert finch.entered_ppm == 27.0
    # Believing the sheet (0 ppm), the dial now reads high by 27 ppm of 145.2 MHz.
    assert window.session.calibration.state().error_hz == pytest.approx(145.2e6 * 27e-6 / (1 + 27e-6), rel=1e-6)


def test_the_card_is_opened_by_a_key_and_saved_in_every_form(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    from yarddial.ui.places.bench.card_sheet import CardSheet

    qtbot.keyClicks(window, "c")
    sheet = window.findChildren(CardSheet)[0]
    assert any("+120.000 MHz" in label.text() for label in sheet.findChildren(QLabel))
    for name, begins in (("card.pdf", b"%PDF"), ("card.html", b"<!doctype"), ("card.md", b"# Quillet Lane")):
        sheet.target.setText(str(tmp_path / name))
        qtbot.keyClick(sheet.target, Qt.Key.Key_Return)
        assert (tmp_path / name).read_bytes().startswith(begins)
    for wrong in (tmp_path / "card.xyz", tmp_path / "none" / "card.md"):
        sheet.target.setText(str(wrong))
        qtbot.keyClick(sheet.target, Qt.Key.Key_Return)
        assert not wrong.exists()
        assert sheet.said.property("tone") == "vermilion"


def test_there_is_no_card_where_the_route_does_not_reach(qtbot: QtBot, window: MainWindow) -> None:
    type_dial(qtbot, window, "5 GHz")
    qtbot.keyClicks(window, "c")
    assert window.bench.headline.text() == "There is no card for this place."


@pytest.mark.parametrize(
    ("typed", "hertz", "route"),
    [
        ("northmark 5", 5e6, VIA_LADDER),
        ("harbour", 145.2e6, DIRECT),
        ("20 m", 14e6, VIA_LADDER),
        ("7.1", 7.1e6, VIA_LADDER),
    ],
)
def test_anything_is_found_by_a_few_letters(
    qtbot: QtBot, window: MainWindow, typed: str, hertz: float, route: str
) -> None:
    from yarddial.ui.widgets.finder import Finder

    qtbot.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    finder = window.findChildren(Finder)[0]
    qtbot.keyClicks(finder.line, typed)
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    assert window.session.desk.station.dial_hz == hertz
    assert window.session.desk.station.route == route


def test_a_part_of_another_route_is_found_and_opened(qtbot: QtBot, window: MainWindow) -> None:
    from yarddial.ui.widgets.finder import Finder

    qtbot.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    finder = window.findChildren(Finder)[0]
    qtbot.keyClicks(finder.line, "part disc")
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    assert window.session.desk.station.route == DIRECT
    field = window.focusWidget()
    assert field is not None
    assert field.accessibleName() == "Discone: from"


def test_space_starts_the_receiver_from_a_button_too_and_brackets_say_where_nothing_is(
    qtbot: QtBot, window: MainWindow
) -> None:
    qtbot.waitUntil(lambda: window.is_furnished, timeout=10_000)
    window.true.everything.setFocus()
    qtbot.keyClick(window.true.everything, Qt.Key.Key_Space)
    assert window.session.live_receiver.wanted
    window.places.buttons[0].setFocus()
    qtbot.keyClick(window.places.buttons[0], Qt.Key.Key_Space)
    assert not window.session.live_receiver.wanted
    window.session.desk.dial(11e9)
    window.setFocus()
    qtbot.keyClicks(window, "]")
    assert "No known station lies above the dial" in window.strip.accessibleDescription()
