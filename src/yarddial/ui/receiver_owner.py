"""The receiver's present user with a stop button, always visible under the places."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from yarddial.session.overview.overview import Owner
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import ElidedWords, button


class ReceiverOwner(QWidget):
    """One line; the button stops the job named."""

    stopped = pyqtSignal(int)
    started = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._owner: Owner | None = None
        self.label = ElidedWords("", 12, tone="quiet")
        self.stop = button("Stop", plain=True)
        self.stop.clicked.connect(lambda: self.stopped.emit(self._owner.lease_id) if self._owner else None)
        self.start = button("Start", plain=True, tip="Start the receiver (Space)")
        self.start.setAccessibleName("Start the receiver")
        self.start.clicked.connect(self.started)
        row = QHBoxLayout(self)
        row.setContentsMargins(px(16), 0, px(6), px(2))
        row.setSpacing(px(4))
        row.addWidget(self.label, 1)
        row.addWidget(self.stop)
        row.addWidget(self.start)
        self.setFixedHeight(px(30))
        self.setAccessibleName("Who has the receiver")

    def show_owner(self, owner: Owner, is_wanted: bool) -> None:
        """Show the user; without one, whether the receiver runs."""
        self._owner = owner
        text = owner.label[:1].upper() + owner.label[1:] if owner.label else ""
        owner_words = text or ("Receiver: free" if is_wanted else "Receiver: off")
        self.label.setText(owner_words)
        waits = f"; {owner.waiting} waits and goes on afterwards" if owner.waiting else ""
        set_tip(self.label, f"Who has the receiver: {owner.label or 'nobody, it follows the dial'}{waits}")
        self.label.setAccessibleName(f"Who has the receiver: {owner_words}{waits}")
        self.stop.setVisible(owner.can_be_stopped)
        self.start.setVisible(not is_wanted and not owner.can_be_stopped)
        self.stop.setAccessibleName(f"Stop {owner.label}")
