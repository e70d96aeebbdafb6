"""Sheet that asks for the antenna to be disconnected before a record without it."""

from PyQt6.QtWidgets import QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet


class AntennaOffSheet(Sheet):
    """Says what to disconnect and with what care; records when the person confirms."""

    manual_page = "ghosts"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Take the antenna off", 620)
        route = session.desk.route
        asks = f"Take {route.antenna.name} off at the input of {route.parts[1].name}: all else stays as it is."
        explanation = "What the antenna brought then goes; what stays, the receiver, a converter or the computer makes."
        care = "Never with a thunderstorm near or a transmitter on."
        if route.receiver.feeds(route.port):
            care += f" {route.receiver.name} feeds the line: switch that off first."
        for text, tone in ((asks, ""), (explanation, "quiet"), (care, "quiet")):
            self.body.addWidget(Words(text, 13, tone=tone, wrap=True))
        self.body.addStretch()
        self.confirm = button("It is off: look", strong=True)
        self.confirm.clicked.connect(self._confirm)
        self.buttons.insertWidget(1, self.confirm)
        self._session = session
        self.resize(self.width(), px(260))

    def _confirm(self) -> None:
        self.close()
        self._session.span_test.record_without_antenna()
