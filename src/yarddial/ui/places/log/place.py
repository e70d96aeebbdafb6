"""The place Log."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yarddial.records.entry import Entry
from yarddial.session.log.log_keeper import PAGE_ENTRIES
from yarddial.session.log.verdict import log_verdict
from yarddial.session.session import Session
from yarddial.ui.places.log.entry_painter import ENTRY_ROLE, EntryPainter
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.key_free_list import KeyFreeList
from yarddial.ui.widgets.words import Words, button


class LogPlace(QWidget):
    """Newest first, one line per entry, days separated; a note can be added."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.headline = Headline()
        self.note = QLineEdit()
        self.note.setFont(font(13))
        self.note.setPlaceholderText("A note: weather, what was changed")
        self.note.setAccessibleName("Note for the log")
        self.note.returnPressed.connect(self._add_note)
        self.list = KeyFreeList()
        self.list.setAccessibleName("Log entries, newest first")
        self.list.setItemDelegate(EntryPainter(self.list))
        self.list.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.search = QLineEdit()
        self.search.setFont(font(13))
        self.search.setPlaceholderText("Search: words of an entry")
        self.search.setAccessibleName("Search the log")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._search)
        self.older = button("Show older entries", plain=True)
        self.older.clicked.connect(self._show_older)
        add = button("Note it")
        add.clicked.connect(self._add_note)
        row = QHBoxLayout()
        row.setSpacing(px(10))
        row.addWidget(self.note, 1)
        row.addWidget(add)
        row.addSpacing(px(20))
        row.addWidget(self.search)
        self.search.setFixedWidth(px(210))
        self._trouble = Words("", 13, tone="vermilion", wrap=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(26), px(16), px(24), px(10))
        layout.setSpacing(px(12))
        layout.addWidget(self.headline)
        layout.addLayout(row)
        layout.addWidget(self._trouble)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.older, 0, Qt.AlignmentFlag.AlignLeft)
        # Number of entries shown; older ones are read on request.
        self._limit = PAGE_ENTRIES
        session.log.on_log_changed(self._show)
        self._shown: tuple[Entry, ...] | None = None
        self._show()

    def _add_note(self) -> None:
        self._session.notes.add(self.note.text())
        self.note.clear()

    def _search(self) -> None:
        self._limit = PAGE_ENTRIES
        self._show()

    def _show_older(self) -> None:
        self._limit += PAGE_ENTRIES
        self._show()

    def _show(self) -> None:
        log = self._session.log
        verdict = log_verdict(log)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        self._trouble.setText(f"{log.waiting} entries wait in memory." if log.waiting else "")
        self._trouble.setVisible(bool(log.waiting))
        words = self.search.text()
        entries = log.shown(self._limit, words)
        self.older.setVisible(bool(entries) and bool(log.shown(20, words, entries[-1].id)))
        if entries == self._shown:
            return
        former, self._shown = self._shown or (), entries
        if former and entries[: len(former)] == former:
            self._append(entries[len(former) :], former[-1].at_utc[:10])
            return
        self.list.clear()
        self._append(entries, "")

    def _append(self, entries: tuple[Entry, ...], day: str) -> None:
        for entry in entries:
            item = QListWidgetItem(entry.text)
            first_of_day = entry.at_utc[:10] != day
            day = entry.at_utc[:10]
            item.setData(ENTRY_ROLE, (entry, first_of_day))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{entry.at_utc} {entry.kind}: {entry.text}")
            self.list.addItem(item)
