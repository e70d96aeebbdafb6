"""The place Log."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yarddial.records.entry import Entry
from yarddial.session.log.verdict import log_verdict
from yarddial.session.session import Session
from yarddial.ui.places.log.entry_painter import ENTRY_ROLE, EntryPainter
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.words import Words, button

MOST_SHOWN = 2000


class LogPlace(QWidget):
    """Newest first, one line an entry, days apart; a note can be added."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.headline = Headline()
        self.note = QLineEdit()
        self.note.setFont(font(13))
        self.note.setPlaceholderText("Write a note: weather, temperature, what was changed…")
        self.note.setAccessibleName("Note for the log")
        self.note.returnPressed.connect(self._add_note)
        self.list = QListWidget()
        self.list.setAccessibleName("Log entries, newest first")
        self.list.setItemDelegate(EntryPainter(self.list))
        self.list.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        add = button("Note it")
        add.clicked.connect(self._add_note)
        row = QHBoxLayout()
        row.setSpacing(px(10))
        row.addWidget(self.note, 1)
        row.addWidget(add)
        self._trouble = Words("", 13, tone="vermilion", wrap=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(26), px(16), px(24), px(10))
        layout.setSpacing(px(12))
        layout.addWidget(self.headline)
        layout.addLayout(row)
        layout.addWidget(self._trouble)
        layout.addWidget(self.list, 1)
        session.log.on_log_changed(self._show)
        self._shown: tuple[Entry, ...] | None = None
        self._show()

    def _add_note(self) -> None:
        self._session.note(self.note.text())
        self.note.clear()

    def _show(self) -> None:
        log = self._session.log
        verdict = log_verdict(log)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        self._trouble.setText(f"{log.waiting} entries wait in memory." if log.waiting else "")
        self._trouble.setVisible(bool(log.waiting))
        entries = log.shown()[:MOST_SHOWN]
        if entries == self._shown:
            return
        self._shown = entries
        self.list.clear()
        day = ""
        for entry in entries:
            item = QListWidgetItem(entry.text)
            first_of_day = entry.at_utc[:10] != day
            day = entry.at_utc[:10]
            item.setData(ENTRY_ROLE, (entry, first_of_day))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{entry.at_utc} {entry.kind}: {entry.text}")
            self.list.addItem(item)
