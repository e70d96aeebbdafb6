"""Keys of the window: the table of keys joined to the window's actions."""

from collections.abc import Callable, Mapping

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import QWidget

from yarddial.yard.keys import KEYS

# Keys by which a person says that the window is meant, not a text.
WAKING_KEYS = (Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up,
               Qt.Key.Key_Down)  # fmt: skip
# Text that a plain key types.
TYPED_CHARACTERS = {"Space": " ", "Esc": "\x1b"}


class WindowKeys:
    """Keys with a modifier and function keys work everywhere; plain ones where no focused widget wants them."""

    def __init__(self, window: QWidget, acts: Mapping[str, Callable[[], object]]) -> None:
        """acts : by names of the table of keys; raises KeyError when the two differ."""
        named = {binding.act for binding in KEYS if binding.act}
        if named != set(acts):
            raise KeyError(f"keys and acts do not agree: {sorted(named ^ set(acts))}")
        self._plain: dict[str, Callable[[], object]] = {}
        self._asleep = False
        for binding in KEYS:
            for sequence in binding.keys if binding.act else ():
                if (typed := _typed_by(sequence)) is not None:
                    self._plain[typed] = acts[binding.act]
                else:
                    QShortcut(QKeySequence(sequence), window).activated.connect(_without_answer(acts[binding.act]))

    def sleep(self) -> None:
        """Ignore plain keys: a text field has closed under the person's typing."""
        self._asleep = True

    def wake(self) -> None:
        """Obey plain keys again, after an act of the person."""
        self._asleep = False

    @property
    def is_asleep(self) -> bool:
        """True while plain keys are ignored."""
        return self._asleep

    def obey(self, event: QKeyEvent) -> bool:
        """Run the action of a plain key; False without one."""
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.MetaModifier):
            return False
        if event.key() in WAKING_KEYS:
            self.wake()
        if self._asleep:
            return True
        text = event.text()
        act = self._plain.get(text) or self._plain.get(text.lower())
        if act is None or not text:
            return False
        act()
        return True


def _typed_by(sequence: str) -> str | None:
    """Text that a plain key sequence types; None for other keys."""
    if sequence.startswith("Shift+") and len(sequence) == len("Shift+") + 1:
        return sequence[-1].upper()
    return TYPED_CHARACTERS.get(sequence, sequence.lower() if len(sequence) == 1 else None)


def _without_answer(act: Callable[[], object]) -> Callable[[], None]:
    """Drop the return value, which Qt could not use."""

    def run() -> None:
        act()

    return run
