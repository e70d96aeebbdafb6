"""Differences between the station here and in the file after another program wrote it, and which to keep."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout

from yarddial.session.session import Session
from yarddial.session.station.versions import Side, VersionDifference
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError
from yarddial.yard.plain_text import count_of

WRITER_WORDS = {"here": "changed here", "file": "changed by the other program", "both": "changed on both sides"}


class VersionsSheet(Sheet):
    """A row for each difference, with the side to keep; nothing is written before the person has chosen."""

    manual_page = "files"

    def __init__(self, parent: object, session: Session) -> None:
        super().__init__(parent, "Two versions of the station file", 860)  # type: ignore[arg-type]
        self._session = session
        saver = session.file.saver
        conflict = saver.conflict if saver is not None else None
        changes = saver.differences(session.desk.station) if saver is not None else ()
        self.choices: dict[tuple[str, str], ChoiceBox] = {}
        self.verdict = Words(_verdict(changes, "" if conflict is None else conflict.why_not), 15, weight=600, wrap=True)
        self.body.addWidget(self.verdict)
        if conflict is not None:
            notice = f"The other program's version is kept as {conflict.kept_as}, whatever you choose."
            self.body.addWidget(Words(notice, 12, tone="quiet", wrap=True))
        if changes:
            self.body.addLayout(self._table(changes))
        self.body.addStretch()
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.said.setAccessibleName("Refusal")
        self.body.addWidget(self.said)
        self.use = button("Use what is chosen" if changes else "Keep what is here", strong=True)
        self.use.setEnabled(conflict is not None)
        self.use.clicked.connect(self._use)
        self.buttons.insertWidget(1, self.use)

    def _table(self, differences: tuple[VersionDifference, ...]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(16))
        grid.setVerticalSpacing(px(6))
        for column, (heading, stretch) in enumerate((("What", 2), ("Here", 3), ("In the file", 3), ("Keep", 0))):
            side = Qt.AlignmentFlag.AlignRight if heading == "Keep" else Qt.AlignmentFlag.AlignLeft
            grid.addWidget(Words(heading, 12, tone="quiet"), 0, column, side)
            grid.setColumnStretch(column, stretch)
        for number, difference in enumerate(differences):
            row = 2 * number + 1
            what = f"{difference.what[:1].upper()}{difference.what[1:]}, {WRITER_WORDS[difference.changed_by]}"
            grid.addWidget(Words(what, 13, weight=600 if difference.changed_by == "both" else 400, wrap=True), row, 0)
            grid.addWidget(Words(difference.here, 13, wrap=True), row, 1)
            grid.addWidget(Words(difference.file, 13, wrap=True), row, 2)
            choice = ChoiceBox(f"Keep of {difference.what}")
            choice.addItem("here", "here")
            choice.addItem("the file", "file")
            choice.setCurrentIndex(0 if difference.usual == "here" else 1)
            self.choices[difference.key] = choice
            grid.addWidget(choice, row, 3)
            grid.addWidget(hairline(), row + 1, 0, 1, 4)
        return grid

    def _use(self) -> None:
        chosen: dict[tuple[str, str], Side] = {key: choice.currentData() for key, choice in self.choices.items()}
        try:
            self._session.file.merge_versions(chosen)
        except YardDialError as error:
            self.said.setText(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            return
        self.close()


def _verdict(differences: tuple[VersionDifference, ...], why_not: str) -> str:
    if why_not:
        return f"What the other program wrote is no station: {why_not}."
    if not differences:
        return "Nothing but the dial differs."
    both = sum(difference.changed_by == "both" for difference in differences)
    conflict = f"; {count_of(both, 'of them was', 'of them were')} changed on both sides" if both else ""
    return f"{count_of(len(differences), 'thing differs', 'things differ')}{conflict}."
