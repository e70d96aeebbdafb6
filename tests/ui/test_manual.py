"""The manual at the right page, its search, and the guide that points at what is really there."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from yarddial.ui.first_hour.steps import STEPS, control_of
from yarddial.ui.main_window import MainWindow
from yarddial.ui.manual_sheet import ManualSheet
from yarddial.ui.places.true.all_oscillators_sheet import AllOscillatorsSheet
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.glossary import GLOSSARY
from yarddial.yard.keys import listed_keys
from yarddial.yard.manual.pages import PAGES, WRITTEN, search, text_of, title_of
from yarddial.yard.places import PLACE_NAMES


def _all_sheets(kind: type[Sheet] = Sheet) -> list[type[Sheet]]:
    return [kind, *(one for below in kind.__subclasses__() for one in _all_sheets(below))]


def _manual(window: MainWindow) -> ManualSheet:
    return window.findChildren(ManualSheet)[-1]


@pytest.mark.parametrize("page", PAGES)
def test_every_page_has_one_heading_and_text(page: str) -> None:
    text = text_of(page)
    assert text.startswith("# ")
    assert len(text) > 400
    assert max(len(line) for line in text.splitlines() if (page in WRITTEN and "|" not in line) or not line) <= 160


def test_every_place_and_every_sheet_has_its_page(window: MainWindow) -> None:
    for place in PLACE_NAMES:
        window.go(place)
        window.centralWidget().setFocus()  # type: ignore[union-attr]
        assert title_of(window.page_in_sight()).startswith(place)
    assert {sheet.manual_page for sheet in _all_sheets()} <= set(PAGES)


def test_f1_opens_the_page_of_what_is_looked_at(window: MainWindow, qtbot: QtBot) -> None:
    window.go("Ghosts")
    QTest.keyClick(window, Qt.Key.Key_F1)
    manual = _manual(window)
    assert manual.text.toPlainText().startswith("Ghosts: is it really there?")
    manual.close()
    window.show_all_oscillators()
    sheet = next(one for one in window.findChildren(AllOscillatorsSheet) if one.isVisible())
    sheet.activateWindow()
    qtbot.waitActive(sheet)
    QTest.keyClick(sheet, Qt.Key.Key_F1)
    assert _manual(window).text.toPlainText().startswith("True: how far off")


def test_the_question_mark_lists_keys_and_they_can_be_searched(window: MainWindow) -> None:
    QTest.keyClicks(window, "?")
    manual = _manual(window)
    assert all(keys.split()[0] in manual.text.toPlainText() for keys, _ in listed_keys())
    QTest.keyClicks(manual.words, "allan deviation")
    QTest.keyClick(manual.words, Qt.Key.Key_Return)
    assert manual.pages.count() >= 2
    manual.words.clear()
    QTest.keyClicks(manual.words, "zebra crossing")
    assert manual.pages.count() == 0
    assert "Nothing found" in manual.none_found.text()


def test_every_word_of_the_glossary_is_found() -> None:
    for term, _ in GLOSSARY:
        assert any(found.page == "words" for found in search(term)), term


def test_the_guide_points_at_real_controls_and_can_be_left(window: MainWindow) -> None:
    window.show_first_hour()
    guide = window.guide
    assert guide is not None
    for number, step in enumerate(STEPS):
        guide.show_step(number)
        QApplication.processEvents()
        control = control_of(step, window, guide.page)
        assert isinstance(control, QWidget), step.title
        at = control.mapTo(window, QPoint(0, 0))
        assert window.rect().contains(at), step.title
    guide.next.click()
    assert not guide.isVisible()
    assert not guide.outline.isVisible()
    # Brought back, it begins with the first that is not done; the demo yard is built.
    window.show_first_hour()
    assert guide.step.title == "Does it answer?"
    guide.leave.click()
    assert not guide.isVisible()
