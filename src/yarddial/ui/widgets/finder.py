"""Find anything: type a few letters, choose with the arrows, Enter goes there."""

import re
from collections.abc import Callable, Sequence

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.words import Words

MAX_SHOWN = 12
# Words without information about the target.
STOP_WORDS = frozenset(("a", "an", "the", "is", "it", "of", "my", "do", "i", "how", "where"))
NOTHING_FOUND = "Nothing found: try another word, such as gain, offset, driver, record or report; or type a frequency."


class Findable(msgspec.Struct, frozen=True):
    """A target: its kind, its name, and what Enter does.

    also : other words that people use for it. caution : shown under the list while it is selected.
    """

    kind: str
    name: str
    act: Callable[[], object]
    also: str = ""
    caution: str = ""


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
        self.things, self._fallback = things, fallback
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
        self.nothing = Words(NOTHING_FOUND, 13, tone="quiet", wrap=True)
        layout.addWidget(self.nothing)
        layout.addWidget(self.list)
        self.caution = Words("", 12, tone="ochre", wrap=True)
        if any(thing.caution for thing in things):
            # Keep room for it, so that the list does not move with the selection.
            self.caution.setMinimumHeight(px(50))
            self.list.currentRowChanged.connect(self._show_caution)
            layout.addWidget(self.caution)
        else:
            self.caution.hide()
        self.resize(px(620), px(400))
        self._match("")

    def move_choice(self, step: int) -> None:
        """Move up or down among the matches."""
        count = self.list.count()
        if count:
            self.list.setCurrentRow((self.list.currentRow() + step) % count)

    def _show_caution(self, row: int) -> None:
        self.caution.setText(self._shown[row].caution if 0 <= row < len(self._shown) else "")

    def choose(self, *_: object) -> None:
        """Run the selected target."""
        row = self.list.currentRow()
        if 0 <= row < len(self._shown):
            self.close()
            self._shown[row].act()

    def _match(self, text: str) -> None:
        self._shown = ranked(self.things, text)[:MAX_SHOWN]
        other = self._fallback(text) if text.split() else None
        if other is not None:
            self._shown.insert(0, other)
        self.list.clear()
        for thing in self._shown:
            self.list.addItem(QListWidgetItem(f"{thing.name}   ·   {thing.kind}"))
        self.nothing.setVisible(not self._shown)
        self.list.setCurrentRow(0)


def ranked(things: Sequence[Findable], text: str) -> list[Findable]:
    """Targets that match a text, best first: names that begin with it, names with its words, then other words."""
    words = [_plain(word) for word in text.split() if word.lower() not in STOP_WORDS] or [
        _plain(w) for w in text.split()
    ]
    ranks = [(rank, i) for i, thing in enumerate(things) if (rank := _rank(thing, text, words)) is not None]
    return [things[i] for _, i in sorted(ranks)]


def _rank(thing: Findable, text: str, words: list[str]) -> tuple[int, int] | None:
    """Rank of a match; None where a word matches nothing. Shorter names win ties."""
    name, also = _words_of(thing.name), _words_of(f"{thing.kind} {thing.also}")
    if not all(_begins(word, [*name, *also]) for word in words):
        return None
    typed = text.lower().strip()
    if thing.name.lower().startswith(typed) and (len(typed) > 2 or typed in name):
        return 0, len(name)
    if len(typed) <= 2 and typed in also:
        return 1, len(name)
    in_name = sum(_begins(word, name) for word in words)
    if all(word in name for word in words):
        return 1, len(name)
    # Whole words beat beginnings of words.
    if all(word in name or word in also for word in words):
        return (2, len(words) - in_name)
    return (3, len(name)) if in_name == len(words) else (4, len(words) - in_name)


def _begins(word: str, others: list[str]) -> bool:
    return any(other.startswith(word) for other in others)


def _words_of(text: str) -> list[str]:
    """Words of a text, including the halves of hyphenated ones."""
    whole = [word for word in re.split(r"[\s,;:()/·']+", text) if word]
    halves = [half for word in whole if "-" in word for half in word.split("-") if half]
    return [_plain(word) for word in (*whole, *halves)]


def _plain(word: str) -> str:
    """Remove the plural's s, so that `routes` finds a route."""
    word = word.lower().strip(".")
    return word[:-1] if len(word) > 3 and word.endswith("s") and not word.endswith("ss") else word


class FinderLine(QLineEdit):
    """Passes up, down and Enter on to the list."""

    def __init__(self, finder: Finder) -> None:
        super().__init__()
        self._finder = finder

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move the selection with the arrows; run it on Enter."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._finder.move_choice(-1 if event.key() == Qt.Key.Key_Up else 1)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._finder.choose()
        else:
            super().keyPressEvent(event)
