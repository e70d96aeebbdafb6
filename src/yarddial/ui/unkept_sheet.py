"""Asks before a window closes over work that no file could take."""

from collections.abc import Callable

from PyQt6.QtWidgets import QApplication, QWidget

from yarddial.session.unkept import Unkept, UnkeptWork
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet


class UnkeptSheet(Sheet):
    """What would be lost, why, and the ways out; leaving the sheet leaves the window open."""

    manual_page = "files"

    def __init__(self, window: QWidget, work: UnkeptWork, unkept: Unkept) -> None:
        super().__init__(window, "Not everything could be saved", 680)
        self._window, self._work = window, work
        self.verdict = Words(unkept.sentence, 15, weight=600, wrap=True)
        self.verdict.setAccessibleName("Verdict")
        self.why = Words("", 13, wrap=True)
        self.said = Words("", 12, tone="quiet", wrap=True)
        self.said.setAccessibleName("Answer")
        advice = (
            "Make room, or put the disk back, and try again. Or keep both in another folder, such as a removable disk: "
            "the yard opens from there, and 'Add kept entries to the log' reads the rest."
        )
        for words in (self.verdict, self.why, Words(advice, 13, tone="quiet", wrap=True), self.said):
            self.body.addWidget(words)
        self.body.addStretch()
        self.again = button("Try again", strong=True)
        self.elsewhere = button("Keep elsewhere")
        self.copied = button("Copy as text")
        self.lose = button("Close and lose it")
        self.again.clicked.connect(self._try_again)
        self.elsewhere.clicked.connect(self._keep_elsewhere)
        self.copied.clicked.connect(self._copy)
        self.lose.clicked.connect(self._lose)
        for number, choice in enumerate((self.again, self.elsewhere, self.copied, self.lose)):
            self.buttons.insertWidget(1 + number, choice)
        self.leave_button.setText("Back to the window")
        self.resize(px(760), px(320))
        self._show(unkept)

    def _show(self, unkept: Unkept) -> None:
        self.verdict.setText(unkept.sentence)
        self.why.setText(" ".join(f"{why[:1].upper()}{why[1:]}." for why in unkept.why))

    def _try_again(self) -> None:
        unkept = self._work.now()
        if unkept is None:
            self._close_window()
            return
        self._show(unkept)
        self.said.setText("Tried again: still not saved.")

    def _keep_elsewhere(self) -> None:
        note = "The yard is written there, and the entries of the log beside it."
        sheet = FileSheet(
            self, "Keep it elsewhere", self._work.file_name(), "Keep and close", self._work.keep_in, note=note
        )
        sheet.when_left(self._close_if_kept)
        sheet.show()

    def _close_if_kept(self) -> None:
        if self._work.now() is None:
            self._close_window()

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self._work.as_text())
        self.said.setText("Copied: paste it into a text file or a message before you close the window.")

    def _lose(self) -> None:
        self._work.give_up()
        self._close_window()

    def _close_window(self) -> None:
        self.close()
        self._window.close()


class DemoEndSheet(Sheet):
    """Asks before a demo yard goes with what was done in it."""

    manual_page = "files"

    def __init__(self, window: QWidget, work: UnkeptWork, unkept: Unkept, adopt: Callable[[], None]) -> None:
        super().__init__(window, "Keep this demo yard?", 620)
        self._window, self._work, self._adopt = window, work, adopt
        self.verdict = Words(unkept.sentence, 15, weight=600, wrap=True)
        self.verdict.setAccessibleName("Verdict")
        advice = "A demo yard goes with its window. As your own it has a file, and its log is added to yours."
        for words in (self.verdict, Words(advice, 13, tone="quiet", wrap=True)):
            self.body.addWidget(words)
        self.body.addStretch()
        self.keep = button("Make it mine", strong=True)
        self.lose = button("Close without it")
        self.keep.clicked.connect(self._make_it_mine)
        self.lose.clicked.connect(self._let_go)
        for number, choice in enumerate((self.keep, self.lose)):
            self.buttons.insertWidget(1 + number, choice)
        self.leave_button.setText("Back to the window")
        self.resize(px(620), px(220))

    def _make_it_mine(self) -> None:
        self.close()
        self._adopt()

    def _let_go(self) -> None:
        self._work.give_up()
        self.close()
        self._window.close()


def ask_first(window: QWidget, work: UnkeptWork, unkept: Unkept, adopt: Callable[[], None]) -> None:
    """Show the sheet, or the one that is open already, however often the window is closed."""
    if unkept.is_demo:
        sheets: list[Sheet] = [sheet for sheet in window.findChildren(DemoEndSheet) if sheet.isVisible()]
        sheet = sheets[0] if sheets else DemoEndSheet(window, work, unkept, adopt)
    else:
        sheets = [sheet for sheet in window.findChildren(UnkeptSheet) if sheet.isVisible()]
        sheet = sheets[0] if sheets else UnkeptSheet(window, work, unkept)
    sheet.show()
    sheet.raise_()
