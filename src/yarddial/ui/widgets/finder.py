"""Find anything: type a few letters, choose with the arrows, Enter does it; what needs a value asks for it here."""

from collections.abc import Callable, Sequence

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.words import Words
from yarddial.yard.errors import YardDialError

MAX_SHOWN = 12
NOTHING_FOUND = "Nothing is called so. Nearest to it:"


class AskedValue(msgspec.Struct, frozen=True):
    """A value that an action needs.

    prompt : what to type. present : the value now. submit : takes the text; raises a YardDialError in one sentence.
    """

    prompt: str
    present: Callable[[], str]
    submit: Callable[[str], object]


class Findable(msgspec.Struct, frozen=True):
    """A target: its kind, its name, and what Enter does.

    also : other words that people use for it. caution : shown under the list while it is selected.
    rank : 0 for what is wanted most often; a higher one stands behind others that match as well.
    choices : what it offers to choose from. question : the value that it asks for.
    """

    kind: str
    name: str
    act: Callable[[], object]
    also: str = ""
    caution: str = ""
    rank: int = 0
    choices: "Callable[[], list[Findable]] | None" = None
    question: AskedValue | None = None


class Finder(QDialog):
    """A line to type in and the best matches under it.

    `things` are those to choose from now; `question` is the one that is being answered.
    """

    def __init__(
        self,
        parent: QWidget,
        things: list[Findable],
        fallback: Callable[[str], Sequence[Findable]],
        hint: str = "a station, part, route, place, command or frequency",
        first: Findable | None = None,
    ) -> None:
        """fallback : targets made from the text itself. first : a target that is chosen at once."""
        super().__init__(parent)
        self.things, self._fallback = things, fallback
        self.question: AskedValue | None = None
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
        if first is None:
            self._match("")
        else:
            self._begin(first, "")

    def move_choice(self, step: int) -> None:
        """Move up or down among the matches."""
        count = self.list.count()
        if count:
            self.list.setCurrentRow((self.list.currentRow() + step) % count)

    def _show_caution(self, row: int) -> None:
        self.caution.setText(self._shown[row].caution if 0 <= row < len(self._shown) else "")

    def choose(self, *_: object) -> None:
        """Run the selected target, or answer its question."""
        if self.question is not None:
            self._answer(self.question)
            return
        row = self.list.currentRow()
        if 0 <= row < len(self._shown):
            self._begin(self._shown[row], self.line.text())

    def _begin(self, thing: Findable, typed: str) -> None:
        """Run a target; one that needs a choice or a value asks for it here."""
        if thing.choices is not None:
            self.things, self._fallback = thing.choices(), lambda _: ()
            self.line.clear()
            self.line.setPlaceholderText(thing.name)
            self._match("")
        elif thing.question is not None:
            number = typed.split()[-1] if typed.split() and typed.split()[-1][-1].isdigit() else ""
            self._ask(thing, number)
        else:
            self.close()
            thing.act()

    def _ask(self, thing: Findable, given: str) -> None:
        question = thing.question
        if question is None:
            return
        self.question = question
        self.list.clear()
        self.nothing.setText(f"{thing.name}: {question.prompt}. Enter takes it, Esc leaves it.")
        self.nothing.show()
        self.line.setAccessibleName(thing.name)
        self.line.setPlaceholderText(question.prompt)
        self.line.setText(given or question.present())
        self.line.selectAll()

    def _answer(self, question: AskedValue) -> None:
        try:
            question.submit(self.line.text())
        except YardDialError as refused:
            self.nothing.set_tone("vermilion")
            self.nothing.setText(f"{str(refused)[:1].upper()}{str(refused)[1:]}.")
        else:
            self.close()

    def _match(self, text: str) -> None:
        if self.question is not None:
            return
        typed = bool(text.split())
        matches = ranked(self.things, text)
        self._shown = [*(self._fallback(text) if typed else ()), *matches][:MAX_SHOWN]
        self.nothing.setVisible(not self._shown)
        if not self._shown and typed:
            from yarddial.ui.widgets.ranking import nearest

            self._shown = [self.things[i] for i in nearest(self.things, text)]
        self.list.clear()
        for thing in self._shown:
            self.list.addItem(QListWidgetItem(f"{thing.name}   ·   {thing.kind}"))
        self.list.setCurrentRow(0)


def ranked(things: Sequence[Findable], text: str) -> list[Findable]:
    """Targets that match a text, best first."""
    from yarddial.ui.widgets import ranking

    return [things[i] for i in ranking.ranked(things, text)]


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
