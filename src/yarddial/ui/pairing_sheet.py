"""Pairing with a computer that serves its receivers: instructions, and entry of its code."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from yarddial.ui.opener import Files
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.ui.work import Work
from yarddial.yard.errors import YardDialError


class PairingSheet(Sheet):
    """Two steps, and the list of paired computers."""

    manual_page = "distance"

    def __init__(self, parent: QWidget, files: Files, choose_receiver: Callable[[], None]) -> None:
        super().__init__(parent, "Receivers on another computer", 720)
        self._files, self._choose = files, choose_receiver
        self.place, self.code, self.name = (
            _entry("Computer", "its name or address, such as shed.local"),
            _entry("Pairing code", "the code that it shows, such as K7QF-M2X9-…"),
            _entry("What to call it", "its own name, if nothing stands here"),
        )
        self.pair = button(
            "Pair", strong=True, tip="Its certificate is checked against the code before anything is told"
        )
        self.pair.clicked.connect(self._pair)
        self.code.returnPressed.connect(self._pair)
        self._said = Words("", 13, wrap=True)
        self._said.setAccessibleName("Answer")
        self.choose = button("Choose its receiver", tip="Which of its receivers the active route ends in")
        self.choose.clicked.connect(self._choose_receiver)
        self.search = button("Look for computers", tip="Those that announce themselves in this network")
        self.search.clicked.connect(self._search)
        self._announced = QVBoxLayout()
        self._known = QVBoxLayout()
        self._lay_out()
        self._show_known()
        self.resize(px(740), px(680))

    def _lay_out(self) -> None:
        there = "There, in a terminal: yard-dial serve --listen 0.0.0.0 --announce --pair control"
        self.body.addWidget(Words("1. On the computer with the antenna", 15, "serif"))
        self.body.addWidget(Words(there, 13, "mono", wrap=True))
        self.body.addWidget(Words("It shows a code, good once and for ten minutes.", 12, tone="quiet", wrap=True))
        self.body.addWidget(Words("2. Here", 15, "serif"))
        around = QHBoxLayout()
        around.addWidget(self.search)
        tells = "finds one begun with --announce, which is believed once its code has been compared"
        around.addWidget(Words(tells, 12, tone="quiet", wrap=True), 1)
        self.body.addLayout(around)
        self.body.addLayout(self._announced)
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(14))
        grid.setVerticalSpacing(px(8))
        grid.setColumnStretch(1, 1)
        for row, field in enumerate((self.place, self.code, self.name)):
            grid.addWidget(Words(field.accessibleName(), 13), row, 0)
            grid.addWidget(field, row, 1)
        self.body.addLayout(grid)
        acts = QHBoxLayout()
        acts.addWidget(self.pair)
        acts.addWidget(self.choose)
        acts.addStretch()
        self.body.addLayout(acts)
        self.body.addWidget(self._said)
        self.body.addWidget(hairline())
        self.body.addWidget(Words("Known computers", 15, "serif"))
        self.body.addLayout(self._known)
        self.body.addStretch()

    def _say(self, sentence: str, tone: str) -> None:
        self._said.set_tone(tone)
        self._said.setText(f"{sentence[:1].upper()}{sentence[1:]}".rstrip(".") + ".")

    def _search(self) -> None:
        """Search the network in a thread; it takes some seconds."""
        self.search.setEnabled(False)
        self.search.setText("Looking…")
        work = Work(self, self._files.announced)
        work.done.connect(self._show_announced)
        work.refused.connect(self._refused)
        work.start()

    def _show_announced(self, announced: tuple[tuple[str, str], ...]) -> None:
        self.search.setEnabled(True)
        self.search.setText("Look for computers")
        empty(self._announced)
        if not announced:
            nobody = "Nobody announces a receiver in this network: type the address."
            self._announced.addWidget(Words(nobody, 13, tone="quiet", wrap=True))
        for name, place in announced:
            row = QHBoxLayout()
            row.addWidget(Words(f"{name}, at {place}", 13), 1)
            take = button("Take its address", plain=True)
            take.setAccessibleName(f"Take the address of {name}")
            take.clicked.connect(partial(self._take, place))
            row.addWidget(take)
            self._announced.addLayout(row)

    def _take(self, place: str, _checked: bool = False) -> None:
        self.place.setText(place)
        self.code.setFocus()

    def _pair(self) -> None:
        """Pair in a thread, because the other computer may be slow."""
        self.pair.setEnabled(False)
        self._say("it is asked", "quiet")
        place, code, name = self.place.text(), self.code.text(), self.name.text().strip()
        work = Work(self, lambda: self._files.pair(place, code, name))
        work.done.connect(self._paired)
        work.refused.connect(self._refused)
        work.start()

    def _paired(self, name: str) -> None:
        self.pair.setEnabled(True)
        self.code.clear()
        self._say(f"{name} is paired: choose its receiver, and all goes on as if it stood here", "spruce")
        self._show_known()

    def _refused(self, sentence: str) -> None:
        self.pair.setEnabled(True)
        self.search.setEnabled(True)
        self.search.setText("Look for computers")
        self._say(sentence, "vermilion")

    def _show_known(self) -> None:
        empty(self._known)
        try:
            known = self._files.computers()
        except YardDialError as error:
            self._say(str(error), "vermilion")
            return
        self.choose.setEnabled(bool(known))
        if not known:
            self._known.addWidget(Words("None yet.", 13, tone="quiet"))
        for computer in known:
            row = QHBoxLayout()
            row.addWidget(Words(computer, 13), 1)
            forget = button("Forget", plain=True, tip="Its receivers are no longer found here")
            forget.clicked.connect(partial(self._forget, computer.partition(",")[0]))
            row.addWidget(forget)
            self._known.addLayout(row)

    def _forget(self, name: str, _checked: bool = False) -> None:
        self._files.forget_computer(name)
        self._show_known()

    def _choose_receiver(self) -> None:
        self.close()
        self._choose()


def _entry(name: str, hint: str) -> QLineEdit:
    entry = QLineEdit()
    entry.setAccessibleName(name)
    entry.setPlaceholderText(hint)
    entry.setFont(font(13))
    return entry
