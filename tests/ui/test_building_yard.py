"""Building a yard in the window: on the strip, on Bench, from files; by keys and by mouse."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QLabel, QLineEdit, QMenu, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.records.part_file import load_part
from yarddial.ui.main_window import MainWindow
from yarddial.ui.opener import Opener
from yarddial.ui.places.bench.finding_list import FindingRow
from yarddial.ui.places.bench.origin_sheet import OriginSheet
from yarddial.ui.places.bench.route_list import ROW_HEIGHT
from yarddial.ui.places.bench.which_lo_sheet import WhichLoSheet
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.finder import Finder
from yarddial.ui.widgets.line_sheet import LineSheet
from yarddial.ui.yard_strip.gap import Gap
from yarddial.ui.yard_strip.plate import Plate
from yarddial.yard.demo import HEARTH_IF, LADDER, VIA_HEARTH, VIA_LADDER
from yarddial.yard.parts import Converter

Key, Alt = Qt.Key, Qt.KeyboardModifier.AltModifier


def plate(window: MainWindow, part: str) -> Plate:
    return next(p for p in window.strip.findChildren(Plate) if p.part == part and p.isVisible())


def parts(window: MainWindow) -> tuple[str, ...]:
    return window.session.desk.station.route_named().parts


def choose(qtbot: QtBot, window: MainWindow, text: str) -> None:
    finder = window.findChildren(Finder)[-1]
    qtbot.keyClicks(finder.line, text)
    qtbot.keyClick(finder.line, Key.Key_Return)


def test_a_part_is_put_in_moved_and_taken_out_on_the_strip_by_keys(qtbot: QtBot, window: MainWindow) -> None:
    plate(window, "Ladder").setFocus()
    qtbot.keyClick(plate(window, "Ladder"), Key.Key_A)
    choose(qtbot, window, "attenuator 10")
    assert parts(window) == ("Long wire", "Patch", "Ladder", "Attenuator 10 dB", "Finch")
    qtbot.keyClick(plate(window, "Attenuator 10 dB"), Key.Key_Left, Alt)
    assert parts(window)[2:4] == ("Attenuator 10 dB", "Ladder")
    assert plate(window, "Attenuator 10 dB").hasFocus()
    qtbot.keyClick(plate(window, "Finch"), Key.Key_Left, Alt)
    assert "end of its route" in window.strip.accessibleDescription()
    qtbot.keyClick(plate(window, "Attenuator 10 dB"), Key.Key_Delete)
    assert parts(window) == ("Long wire", "Patch", "Ladder", "Finch")
    for _ in range(3):
        qtbot.keyClick(window, Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert parts(window) == ("Long wire", "Patch", "Ladder", "Finch")
    assert [part.name for part in window.session.desk.station.unused()] == []


def test_a_plate_is_dragged_along_its_track_and_a_gap_is_clicked(qtbot: QtBot, window: MainWindow) -> None:
    ladder, patch = plate(window, "Ladder"), plate(window, "Patch")
    qtbot.mousePress(ladder, Qt.MouseButton.LeftButton, pos=QPoint(20, 10))
    qtbot.mouseRelease(ladder, Qt.MouseButton.LeftButton, pos=QPoint(20 + patch.x() - ladder.x(), 10))
    assert parts(window) == ("Long wire", "Ladder", "Patch", "Finch")
    gap = next(g for g in window.strip.findChildren(Gap) if g.isVisible() and g.index == 1)
    qtbot.mouseClick(gap, Qt.MouseButton.LeftButton)
    choose(qtbot, window, "FM notch")
    assert parts(window)[1] == "FM notch"


def test_the_plates_menu_offers_everything_and_copies(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.keyClick(plate(window, "Ladder"), Key.Key_Menu)
    menu = window.strip.findChildren(QMenu)[-1]
    labels = {action.text().split("\t")[0]: action for action in menu.actions()}
    labels["Lay a copy beside it"].trigger()
    assert window.session.desk.station.part("Ladder 2").note == "up-converter"
    menu.close()
    qtbot.keyClicks(window, "a")
    finder = window.findChildren(Finder)[-1]
    assert finder.things[0].name == "Ladder 2"
    assert "lies unused" in finder.things[0].kind


def test_a_new_route_grows_from_nothing_and_names_itself(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.keyClicks(window, "n")
    assert window.session.desk.route.missing
    assert "still needs an antenna and a receiver" in window.bench.headline.text()
    for text in ("short whip", "wide preamplifier", "wide-band receiver"):
        qtbot.keyClick(window.focusWidget() or window, Key.Key_A)
        choose(qtbot, window, text)
    assert parts(window) == ("Short whip", "Wide preamplifier", "Wide-band receiver")
    assert window.session.desk.station.route == "Short whip direct"
    qtbot.waitUntil(lambda: any("Wide preamplifier" in f.what for f in window.findings.findings), timeout=20_000)


def test_routes_are_chosen_preferred_renamed_and_taken_up_in_the_list(qtbot: QtBot, window: MainWindow) -> None:
    routes = window.bench.routes
    qtbot.mouseClick(routes, Qt.MouseButton.LeftButton, pos=QPoint(40, px(ROW_HEIGHT) + px(10)))
    assert window.session.desk.station.route == VIA_HEARTH
    qtbot.keyClick(routes, Key.Key_Down)
    qtbot.keyClick(routes, Key.Key_P)
    assert window.session.desk.station.route_named(HEARTH_IF).preferred
    row = [choice.route.name for choice in routes.choices].index(HEARTH_IF)
    routes.row = row
    qtbot.keyClick(routes, Key.Key_F2)
    sheet = window.findChildren(LineSheet)[-1]
    sheet.line.setText(VIA_LADDER)
    qtbot.keyClick(sheet.line, Key.Key_Return)
    assert "is there already" in sheet.said.text()
    sheet.line.setText("Panorama")
    qtbot.keyClick(sheet.line, Key.Key_Return)
    assert "Panorama" in [route.name for route in window.session.desk.station.routes]
    qtbot.waitUntil(lambda: "Panorama" in [choice.route.name for choice in routes.choices], timeout=20_000)
    routes.row = [choice.route.name for choice in routes.choices].index("Panorama")
    qtbot.keyClick(routes, Key.Key_Delete)
    assert "Panorama" not in [route.name for route in window.session.desk.station.routes]
    assert routes.words_at(QPointF(routes.x_of(1e6), 10)) == "100 kHz to 30 MHz: reached"


def test_a_finding_is_mended_by_its_button_and_another_acknowledged_with_a_note(
    qtbot: QtBot, window: MainWindow
) -> None:
    window.session.building.set_value("Patch", "output", "BNC jack")
    window.session.building.set_value("Hearth", "isolation_db", "45 dB")
    window.go("Bench")

    def button(words: str, about: str) -> QPushButton:
        def found() -> list[QPushButton]:
            buttons = [b for b in window.bench.findings.findChildren(QPushButton) if b.isVisible()]
            return [b for b in buttons if b.accessibleName().startswith(words) and about in b.accessibleName()]

        qtbot.waitUntil(lambda: bool(found()), timeout=20_000)
        return found()[0]

    qtbot.waitUntil(lambda: any(f.safety for f in window.findings.findings[:1]), timeout=20_000)
    qtbot.mouseClick(button("Put in the adapter", "Ladder"), Qt.MouseButton.LeftButton)
    assert "Adapter BNC–UHF" in parts(window)
    acknowledge = button("Acknowledge", "Heron (limit")
    qtbot.mouseClick(acknowledge, Qt.MouseButton.LeftButton)
    note = window.focusWidget()
    assert isinstance(note, QLineEdit)
    qtbot.keyClick(note, Key.Key_Return)
    assert window.bench.headline.text() == "That was not done."
    qtbot.keyClicks(note, "10 dB pad in the lead")
    qtbot.keyClick(note, Key.Key_Return)

    def notes() -> list[str]:
        rows = [row.finding for row in window.bench.findings.findChildren(FindingRow) if row.isVisible()]
        return [f.seen.note for f in rows if f.key == "transmit:Hearth:Heron:A" and f.seen is not None]

    qtbot.waitUntil(lambda: notes() == ["10 dB pad in the lead"], timeout=20_000)
    qtbot.waitUntil(lambda: all("Heron (limit" not in f.what for f in window.findings.findings), timeout=20_000)


def test_where_a_value_comes_from_is_said_in_a_sheet(qtbot: QtBot, window: MainWindow) -> None:
    window.open_part("Ladder")
    form = window.bench.sheet.route_points["Ladder"].form
    assert form is not None
    link = form.origins["gain_db"]
    qtbot.mouseClick(link, Qt.MouseButton.LeftButton)
    sheet = window.findChildren(OriginSheet)[-1]
    sheet.provenance.setCurrentText("measured")
    sheet.note.setText("signal generator")
    qtbot.keyClick(sheet.note, Key.Key_Return)
    qtbot.waitUntil(lambda: link.text().startswith("measured 2"), timeout=20_000)
    assert link.text().endswith("signal generator")
    # A name typed in the form is the part's name everywhere.
    form.name.selectAll()
    qtbot.keyClicks(form.name, "Stile")
    qtbot.keyClick(form.name, Key.Key_Return)
    assert parts(window)[2] == "Stile"


def test_a_part_goes_to_a_file_and_comes_back_by_dropping_it(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    window.bench.export_part("Ladder")
    sheet = window.findChildren(FileSheet)[-1]
    for wrong, right in ((tmp_path / "no" / "x.part.json", False), (tmp_path / "ladder.part.json", True)):
        sheet.line.setText(str(wrong))
        qtbot.keyClick(sheet.line, Key.Key_Return)
        assert wrong.exists() == right
    assert load_part(tmp_path / "ladder.part.json") == LADDER
    window.session.building.new_route()
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "ladder.part.json"))])
    copy = Qt.DropAction.CopyAction
    window.dropEvent(QDropEvent(QPointF(5, 5), copy, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier))
    assert parts(window) == ("Ladder 2",)


def test_a_dropped_station_opens_in_a_window_of_its_own_and_a_bad_one_is_refused(qtbot: QtBot, tmp_path: Path) -> None:
    window = MainWindow(wiring.demo_session(folder=tmp_path), wiring.OwnFiles())
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    (tmp_path / "bad.yard.json").write_text("{")
    with pytest.raises(Exception, match=r"bad\.yard\.json"):
        window.opener.open(tmp_path / "bad.yard.json")
    assert window.isVisible()
    session = wiring.begin_session(tmp_path / "loft.yard.json")
    session.building.add(LADDER)
    session.close()
    window.opener.open(tmp_path / "loft.yard.json")
    following = Opener.latest
    assert isinstance(following, MainWindow)
    qtbot.addWidget(following)
    assert not window.isVisible()
    assert following.isVisible()
    assert following.session.desk.station.name == "Loft"
    qtbot.waitUntil(lambda: following.stack.currentWidget() is not None, timeout=20_000)
    assert following.bench.isVisible()
    following.close()


def test_the_oscillator_found_is_entered_from_its_sheet(qtbot: QtBot, window: MainWindow) -> None:
    window.bench.show_which_lo()
    sheet = window.findChildren(WhichLoSheet)[-1]
    qtbot.keyClick(sheet.shown, Key.Key_Return)
    assert "fill in" in sheet.said.text().lower()
    sheet.stated.setText("100M, 125M")
    # 10 MHz at 134.998 MHz: 125 MHz less 2 kHz, well within a plain can and a plain crystal.
    qtbot.keyClicks(sheet.shown, "134.998M")
    qtbot.keyClick(sheet.shown, Key.Key_Return)
    assert "it fits 125.000 MHz" in sheet.verdict.text()
    sheet.use()
    ladder = window.session.desk.station.part("Ladder")
    assert isinstance(ladder, Converter)
    assert (ladder.nominal_lo_hz, ladder.entered_lo_hz) == (125e6, 124.998e6)
    assert ladder.lo_hz.value == pytest.approx(124.998e6)
    qtbot.keyClick(window, Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.desk.station.part("Ladder") == LADDER


def test_an_empty_yard_invites_and_claims_nothing(qtbot: QtBot, tmp_path: Path) -> None:
    window = MainWindow(wiring.own_session(None), wiring.OwnFiles())
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    qtbot.waitUntil(lambda: window.stack.has_any, timeout=20_000)
    assert window.bench.headline.text() == "This yard is still empty."
    assert [g.accessibleName() for g in window.strip.findChildren(Gap) if g.isVisible()] == ["Put in an antenna"]
    for key in " mvwcr[]?":
        qtbot.keyClicks(window, key)
    window.go("True")
    window.go("Log")
    said = " ".join(label.text() for label in window.findChildren(QLabel) if label.isVisible())
    assert "true to" not in said
    assert not any(w.windowTitle().startswith("A fault") for w in window.findChildren(QWidget) if w.isWindow())
    window.close()
