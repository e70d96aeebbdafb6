"""What the finder finds is done: each everyday query is typed, chosen with the keys, and its effect is looked at."""

import csv
import re
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QDialog, QLineEdit
from pytestqt.qtbot import QtBot

from yarddial.ui.findables import dialled, findables
from yarddial.ui.main_window import MainWindow
from yarddial.ui.opener import Opener
from yarddial.ui.places.listen.place import ListenPlace
from yarddial.ui.theme import lettering
from yarddial.ui.theme.palette import NIGHT, palette
from yarddial.ui.widgets.finder import Finder, ranked
from yarddial.yard.parts import Receiver

ROWS = [
    row
    for row in csv.DictReader((Path(__file__).parent / "finder_queries.csv").open(encoding="utf-8"), delimiter=";")
    if row["effect"]
]
DONE_SHARE = 0.95


def sheets() -> list[QDialog]:
    return [sheet for sheet in QApplication.topLevelWidgets() if isinstance(sheet, QDialog) and sheet.isVisible()]


def put_away(window: MainWindow) -> None:
    """The state before a query."""
    for sheet in sheets():
        sheet.close()
    if isinstance(Opener.latest, MainWindow):
        Opener.latest.session.unkept.give_up()
        Opener.latest.close()
        Opener.latest = None
    session = window.session
    session.jobs.cancel_all()
    if session.live_receiver.wanted:
        session.toggle_receiver()
    if palette() is NIGHT:
        window.change_theme()
    session.preferences.change(text_scale=1.0, level_unit="dBm")
    lettering.set_scale(1.0)
    session.board.choose_region(1)
    session.desk.dial(6.3e6)
    session.desk.choose_mode("data")
    place = window.open_place("Listen")
    assert isinstance(place, ListenPlace)
    place.sound_row.volume.setValue(50)
    place.sound_row.mute.setChecked(False)
    window.go("True")


def is_done(window: MainWindow, effect: str, finder: Finder, before: tuple[float, int]) -> bool:
    what, _, detail = effect.partition(":")
    session = window.session
    place = window.stack.place("Listen")
    assert isinstance(place, ListenPlace)
    width_hz = session.listening.settings.width_hz
    match what:
        case "sheet":
            return any(detail.lower() in sheet.windowTitle().lower() for sheet in sheets() if sheet is not finder)
        case "ask":
            return finder.isVisible() and (finder.question is not None or finder.list.count() > 0)
        case "mode":
            return session.desk.station.mode == detail
        case "hear":
            return session.listening.settings.demodulation == detail
        case "dial":
            wanted = float(detail) if detail else session.desk.station.dial_hz
            return session.desk.station.dial_hz == wanted != 6.3e6
        case "place":
            return window.stack.shown == detail
        case "region":
            return session.desk.station.region == int(detail)
        case "text":
            return session.preferences.now.text_scale != 1.0 or "small" in window.strip.accessibleDescription()
        case "louder":
            return place.sound_row.volume.value() > 50
        case "quieter":
            return place.sound_row.volume.value() < 50
        case "muted":
            return place.sound_row.mute.isChecked()
        case "wider" | "narrower":
            return width_hz != before[0] and (width_hz > before[0]) == (what == "wider")
        case "running":
            return session.live_receiver.wanted
        case "theme":
            return palette() is NIGHT
        case "unit":
            return session.preferences.now.level_unit == detail
        case "route":
            return len(session.desk.station.routes) > before[1]
        case "focus":
            return isinstance(window.focusWidget(), QLineEdit) or window.stack.shown == "Log"
    raise AssertionError(f"the list knows no effect '{effect}'")


def test_what_is_found_is_done(qtbot: QtBot, demo_window: MainWindow) -> None:
    failed, done = [], set[tuple[str, str]]()
    session, things = demo_window.session, findables(demo_window)
    for row in ROWS:
        hits = [*dialled(demo_window, row["query"]), *ranked(things, row["query"])][:3]
        wanted = next((hit.name for hit in hits if re.search(row["wanted"], hit.name)), "")
        if (wanted, row["effect"]) in done:
            # The same action was carried out for another query.
            continue
        put_away(demo_window)
        before = (session.listening.settings.width_hz, len(session.desk.station.routes))
        finder = Finder(demo_window, findables(demo_window), lambda text: dialled(demo_window, text))
        finder.show()
        finder.line.setText(row["query"])
        names = [finder.list.item(i).text().partition("   ·")[0] for i in range(min(finder.list.count(), 3))]  # type: ignore[union-attr]
        at = next((i for i, name in enumerate(names) if re.search(row["wanted"], name)), None)
        if at is None:
            failed.append((row["query"], "not found"))
            continue
        for _ in range(at):
            qtbot.keyClick(finder.line, Qt.Key.Key_Down)
        qtbot.keyClick(finder.line, Qt.Key.Key_Return)
        if not is_done(demo_window, row["effect"], finder, before):
            failed.append((row["query"], f"{names[at]}: no {row['effect']}; {[s.windowTitle() for s in sheets()]}"))
        else:
            done.add((names[at], row["effect"]))
    put_away(demo_window)
    print(failed)
    assert len(failed) <= (1 - DONE_SHARE) * len(ROWS), failed


def test_a_value_is_asked_for_in_place_and_a_bad_one_is_refused_in_a_sentence(
    qtbot: QtBot, demo_window: MainWindow
) -> None:
    demo_window.find_anything()
    (finder,) = demo_window.findChildren(Finder)
    finder.line.setText("finch correction entered")
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    assert finder.isVisible()
    assert finder.question is not None
    finder.line.setText("rather a lot")
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    assert finder.isVisible()
    assert "rather a lot" in finder.nothing.text()
    finder.line.setText("12.5")
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    assert not finder.isVisible()
    finch = demo_window.session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    assert finch.entered_ppm == 12.5
    demo_window.session.undo()
