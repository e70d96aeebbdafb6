"""Page of one question: its options in a column or two, each with a line of help."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QCheckBox, QGridLayout, QRadioButton, QVBoxLayout, QWidget

from yarddial.session.first_yard.questions import Option
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.words import Words

# More options than this stand in two columns.
ONE_COLUMN = 5


class OptionList(QWidget):
    """Options of which one or many are chosen; `changed` is told after each change by the person."""

    def __init__(
        self, options: Sequence[Option], chosen: Sequence[str], changed: Callable[[], object], *, many: bool
    ) -> None:
        super().__init__()
        self._group = QButtonGroup(self)
        self._group.setExclusive(not many)
        self._buttons: dict[str, QAbstractButton] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(px(28))
        grid.setVerticalSpacing(px(2))
        columns = 1 if len(options) <= ONE_COLUMN else 2
        rows = -(-len(options) // columns)
        for number, option in enumerate(options):
            mark: QAbstractButton = QCheckBox(option.words) if many else QRadioButton(option.words)
            mark.setFont(font(14))
            mark.setAccessibleName(option.words)
            mark.setAccessibleDescription(option.more)
            mark.setChecked(option.key in chosen)
            self._group.addButton(mark)
            self._buttons[option.key] = mark
            row, column = 2 * (number % rows), number // rows
            grid.addWidget(mark, row, column)
            if option.more:
                more = Words(option.more, 12, tone="quiet", wrap=True)
                more.setContentsMargins(px(24), 0, 0, px(3))
                grid.addWidget(more, row + 1, column)
        for column in range(columns):
            grid.setColumnStretch(column, 1)
        # After the marks were set, so that only the person's changes are told.
        for mark in self._buttons.values():
            mark.toggled.connect(lambda _: changed())

    def chosen(self) -> tuple[str, ...]:
        """Keys of what is chosen, in the order of the options."""
        return tuple(key for key, mark in self._buttons.items() if mark.isChecked())

    def choose(self, key: str) -> None:
        """Choose an option, as a press on it does."""
        self._buttons[key].setChecked(True)

    def first(self) -> QWidget | None:
        """Option that gets the focus: the chosen one, or the first."""
        chosen = self.chosen()
        return self._buttons[chosen[0]] if chosen else next(iter(self._buttons.values()), None)


class Page(QWidget):
    """Empty page that questions put their widgets on."""

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(px(9))
        self.column.setAlignment(Qt.AlignmentFlag.AlignTop)


class OptionPage(Page):
    """Page that begins with a list of options."""

    def __init__(self, listed: OptionList) -> None:
        super().__init__()
        self._listed = listed
        self.column.addWidget(listed)

    def focus_first(self) -> None:
        """Give the keys to the chosen option, or to the first."""
        if (first := self._listed.first()) is not None:
            first.setFocus()
