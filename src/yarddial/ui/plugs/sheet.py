"""Plugs and switches: the move that is asked for, and every shared socket with who switches it and what is in it."""

from functools import partial

from PyQt6.QtWidgets import QGridLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.plugs.move_picture import MovePicture
from yarddial.ui.plugs.table_controls import TableControls
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.plugs import MoveCheck, Switching
from yarddial.yard.shared_sockets import SharedSocket

WHO: dict[Switching, str] = {
    "hand": "a hand moves it",
    "program": "a program or relay switches it for each route",
    "itself": "it serves all at once",
}
CHECKS: dict[MoveCheck, str] = {
    "unchecked": "as you said; nothing was measured",
    "checking": "being checked",
    "confirmed": "confirmed by a measurement",
    "contradicted": "a measurement contradicts it",
}
NOBODY_SAID = "nobody has said"
DISCHARGE = (
    "Discharge the lead of an outdoor antenna to earth before you plug it in, and do not plug in a thunderstorm."
)
KEEP_OFF = "Switch a bias feed off before you pull its plug, and never pull one while a transmitter is on."


class PlugsSheet(Sheet):
    """The request first, with its picture and its button; the list of shared sockets below."""

    manual_page = "bench"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Plugs and switches", 760)
        self._session, self._hands = session, session.hands
        self.headline = Headline()
        self.picture = MovePicture()
        self.caution = Words("", 13, tone="ochre", wrap=True)
        self.caution.setAccessibleName("Caution")
        self.confirm = button("Done", strong=True, tip="Say that this is connected now")
        self.confirm.clicked.connect(self._confirm)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(px(16))
        self._grid.setVerticalSpacing(px(6))
        self._grid.setColumnStretch(3, 1)
        self.checked = Words("", 13, tone="quiet", wrap=True)
        self.checked.setAccessibleName("What the check says")
        for widget in (self.headline, self.picture, self.caution, self.checked, hairline()):
            self.body.addWidget(widget)
        if (table := session.table) is not None:
            self.table = TableControls(table)
            self.body.addWidget(self.table)
            self.body.addWidget(hairline())
        self.body.addWidget(Words("Sockets that several routes share", 15, "serif"))
        self.body.addLayout(self._grid)
        self.body.addStretch()
        self.buttons.insertWidget(1, self.confirm)
        soon = Soon(self, self._show)
        self.when_left(
            self._hands.on_hands_changed(soon),
            session.plug_check.on_plug_check_changed(soon),
            session.desk.on_dial_changed(soon),
            session.desk.on_yard_changed(soon),
        )
        self._show()
        self.resize(px(760), px(620))

    def _confirm(self) -> None:
        for move in self._hands.asked_moves()[:1]:
            self._hands.confirm(move)

    def _show(self) -> None:
        moves, sockets = self._hands.asked_moves(), self._hands.sockets()
        self.picture.show_move(moves[0] if moves else None)
        is_checking = bool(moves) and moves[0].check == "checking"
        self.confirm.setEnabled(bool(moves) and not is_checking)
        self.checked.setText(self._session.plug_check.sentence)
        route = self._session.desk.station.route
        if is_checking:
            self.headline.show_verdict("unknown", "A moment: it is being checked.", "Known stations are tried.")
        elif moves:
            left = f" {len(moves) - 1} more after it." if len(moves) > 1 else ""
            self.headline.show_verdict(
                "look", f"{moves[0].sentence[:1].upper()}{moves[0].sentence[1:]}.", f"Then press Done.{left}"
            )
        elif not sockets:
            self.headline.show_verdict("good", "No hand is needed.", "No two routes of this yard share a socket.")
        else:
            self.headline.show_verdict("good", f"{route} is connected, as far as was said.", "Its plugs are below.")
        self.caution.setText((DISCHARGE if moves[0].outdoors else KEEP_OFF) if moves else "")
        self._show_sockets(sockets)

    def _show_sockets(self, sockets: tuple[SharedSocket, ...]) -> None:
        empty(self._grid)
        plugged = {state.socket: state for state in self._session.desk.station.plugged}
        for row, socket in enumerate(sockets):
            who = ChoiceBox(f"Who switches {socket.label}", at_left=True)
            for by, words in WHO.items():
                who.addItem(words, by)
            who.setCurrentIndex(who.findData(socket.by))
            who.activated.connect(partial(self._state_switching, socket, who))
            self._grid.addWidget(Words(socket.label, 13, weight=600), row, 0)
            self._grid.addWidget(who, row, 1)
            if socket.by != "hand":
                continue
            state = plugged.get(socket.key)
            holds = ChoiceBox(f"What is in {socket.label}", at_left=True)
            for name in (NOBODY_SAID, *socket.neighbours):
                holds.addItem(name)
            holds.setCurrentText(state.neighbour if state is not None and state.neighbour else NOBODY_SAID)
            holds.activated.connect(partial(self._state_plug, socket, holds))
            self._grid.addWidget(holds, row, 2)
            check = CHECKS[state.check] if state is not None and state.neighbour else ""
            self._grid.addWidget(Words(check, 12, tone="quiet"), row, 3)

    def _state_switching(self, socket: SharedSocket, who: ChoiceBox, _: int) -> None:
        self._hands.state_switching(socket.key, who.currentData())

    def _state_plug(self, socket: SharedSocket, holds: ChoiceBox, _: int) -> None:
        self._hands.state_plug(socket.key, "" if holds.currentText() == NOBODY_SAID else holds.currentText())
