"""Restoration of a damaged log from a copy that the person has seen."""

from PyQt6.QtWidgets import QWidget

from yarddial.session.log.log_keeper import LogKeeper
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet


class RestoreSheet(Sheet):
    """Available copies, the fate of the damaged log, and the result."""

    manual_page = "log"

    def __init__(self, parent: QWidget, log: LogKeeper) -> None:
        super().__init__(parent, "Restore the log", 640)
        self._log = log
        copies = log.copies()
        names = [place.stem.split("-", 1)[1] for place in copies.all()] if copies is not None else []
        newest = f"The newest copy is of {names[0]}." if names else "There is no copy yet: a new log is begun."
        self.verdict = Words(newest, 15, weight=600, wrap=True)
        more = (
            "The newest copy that is whole takes the log's place; whatever entries of the damaged log can still be "
            "read are put into it. The damaged log is kept beside it under another name."
        )
        self.body.addWidget(self.verdict)
        self.body.addWidget(Words(more, 13, wrap=True))
        if len(names) > 1:
            self.body.addWidget(Words(f"Copies: {', '.join(names)}", 12, tone="quiet", wrap=True))
        self.body.addStretch()
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.body.addWidget(self.said)
        self.restore = button("Restore", strong=True)
        self.restore.setEnabled(log.is_damaged)
        self.restore.clicked.connect(self._restore)
        self.buttons.insertWidget(1, self.restore)
        self.resize(self.width(), 320)

    def _restore(self) -> None:
        try:
            done = self._log.restore()
        except OSError as error:
            self.said.setText(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            return
        self.restore.setEnabled(False)
        copy = f"{done.entries:,} entries from {done.copy}" if done.copy else "A new log is begun"
        self.verdict.setText(f"{copy}, and {done.saved:,} saved out of the damaged one, which is kept as {done.aside}.")
