"""Find anything: type a few letters, choose with the arrows, Enter goes there."""

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import font, px

MOST_SHOWN = 12


class Findable(msgspec.Struct, frozen=True):
    """Something to go to: its kind, its name, and what Enter does."""

    kind: str
    name: str
    act: Callable[[], object]


class Finder(QDialog):
    """A line to type in and the best matches under it."""

    def __init__(
        self,
        parent: QWidget,
        things: list[Findable],
        fallback: Callable[[str], Findable | None],
        hint: str = "a station, part, route, place, command or frequency",
    ) -> None:
        super().__init__(parent)
        self._things, self._fallback = things, fallback
        self._shown: list[Findable] = []
        self.setWindowTitle("Find")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.line = FinderLine(self)
        self.line.setFont(font(16))
        self.line.setPlaceholderText(hint)
        self.line.setAccessibleName("Find anything")
        self.line.textChanged.connect(self._match)
        self.list = QListWidget()
        self.list.setObjectName("matches")
        self.list.setFont(font(13))
        self.list.setAccessibleName("Matches")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(self.choose)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(16), px(14), px(16), px(14))
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.resize(px(620), px(400))
        self._match("")

    def move_choice(self, step: int) -> None:
        """Go up or down among the matches."""
        count = self.list.count()
        if count:
            self.list.setCurrentRow((self.list.currentRow() + step) % count)

    def choose(self, *_: object) -> None:
        """Go to what is chosen."""
        row = self.list.currentRow()
        if 0 <= row < len(self._shown):
            self.close()
            self._shown[row].act()

    def _match(self, text: str) -> None:
        words = text.lower().split()
        ranked = sorted((rank, i) for i, t in enumerate(self._things) if (rank := _rank(t, text, words)) is not None)
        self._shown = [self._things[i] for _, i in ranked[:MOST_SHOWN]]
        other = self._fallback(text) if words else None
        if other is not None:
            self._shown.insert(0, other)
        self.list.clear()
        for thing in self._shown:
            self.list.addItem(QListWidgetItem(f"{thing.name}   ·   {thing.kind}"))
        self.list.setCurrentRow(0)


def _rank(thing: Findable, text: str, words: list[str]) -> int | None:
    """0 where the name begins with the text, 1 where every word begins one of its words, 2 where it is inside."""
    whole = f"{thing.kind} {thing.name}".lower()
    if not all(word in whole for word in words):
        return None
    if thing.name.lower().startswith(text.lower().strip()):
        return 0
    return 1 if all(any(own.startswith(word) for own in whole.split()) for word in words) else 2


class FinderLine(QLineEdit):
    """Passes up, down and Enter on to the list."""

    def __init__(self, finder: Finder) -> None:
        super().__init__()
        self._finder = finder

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows choose, Enter goes."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._finder.move_choice(-1 if event.key() == Qt.Key.Key_Up else 1)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._finder.choose()
        else:
            super().keyPressEvent(event)
