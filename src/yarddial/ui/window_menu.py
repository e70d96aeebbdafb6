"""The menu: all actions of the window by section, from the same table as the finder's."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtWidgets import QMenu, QPushButton, QWidget

from yarddial.ui.acting import WindowAction
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.finder import Findable
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import PressButton


class MenuButton(PressButton):
    """The menu's button at the right end of the strip's first line."""

    def __init__(self, strip: QWidget) -> None:
        super().__init__("Menu", strip)
        self.setFont(font(13, "sans", 500))
        self.setProperty("plain", True)
        self.setAccessibleName("Menu")
        set_tip(self, "Everything the program does, by section (Ctrl+K finds it by words)")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        strip.installEventFilter(self)
        self._place()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Follow the strip's width."""
        if event is not None and event.type() == QEvent.Type.Resize:
            self._place()
        return super().eventFilter(watched, event)

    def _place(self) -> None:
        parent = self.parentWidget()
        if parent is not None:
            self.adjustSize()
            self.move(parent.width() - self.width() - px(10), px(6))


def pop_up(at: QPushButton, actions: Sequence[WindowAction], ask: Callable[[Findable], object]) -> QMenu:
    """Show the menu under its button. ask : asks for what an action needs before it is done."""
    menu = QMenu(at)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    sections: dict[str, QMenu] = {}
    for entry in actions:
        if entry.section not in sections:
            submenu = menu.addMenu(entry.section)
            if submenu is None:
                continue
            sections[entry.section] = submenu
        action = sections[entry.section].addAction(f"{entry.name}\t{entry.keys}" if entry.keys else entry.name)
        if action is not None:
            act = partial(ask, entry.findable()) if entry.asks else entry.act
            action.triggered.connect(lambda _=False, act=act: act())
    menu.popup(at.mapToGlobal(QPoint(0, at.height())))
    return menu
