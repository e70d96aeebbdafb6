"""Question about the receiver: what is plugged in, a sound card or program, or a class for one that is not here."""

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from yarddial.drivers.discovery import Told
from yarddial.session.first_yard.building import plain_receiver
from yarddial.session.first_yard.questions import receivers
from yarddial.session.receiver.capabilities_in_yard import with_capabilities
from yarddial.session.receiver.receiver_choice import ReceiverChoice
from yarddial.ui.from_the_box.option_page import Page
from yarddial.ui.receiver_picker.found_list import FoundList
from yarddial.ui.receiver_picker.told_forms import told_forms
from yarddial.ui.theme.lettering import font
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.words import Words, button
from yarddial.yard import clock
from yarddial.yard.parts import Receiver
from yarddial.yard.station import Station

NOT_HERE = "not here yet: choose its class"


class ReceiverPage(Page):
    """`changed` is told when another receiver is known."""

    def __init__(self, choice: ReceiverChoice, changed: Callable[[], object]) -> None:
        super().__init__()
        self._choice, self._changed = choice, changed
        self._told: Told | None = None
        self.found = FoundList()
        self.stream, self.sound, self.recording, self.program = told_forms(choice.is_allowed, choice.allow, self._ask)
        self._forms = (self.stream, self.sound, self.recording, self.program)
        self.found.chosen.connect(self._ask)
        self.others = button("It is none of these", plain=True, tip="A sound card, a recording, samples of a program")
        self.others.clicked.connect(self._show_others)
        self.kind = ChoiceBox("Class of a receiver that is not here", at_left=True)
        self.kind.addItems([NOT_HERE, *(part.name for part in receivers())])
        self.kind.textActivated.connect(self._take_class)
        self.name = QLineEdit()
        self.name.setFont(font(13, "mono"))
        self.name.setAccessibleName("Name of the receiver")
        self.name.textEdited.connect(lambda _: self._changed())
        self.column.addWidget(self.found)
        self.column.addWidget(self.others, 0, Qt.AlignmentFlag.AlignLeft)
        for form in self._forms:
            form.hide()
            self.column.addWidget(form)
        for words, widget in (("Or it is", self.kind), ("Call it", self.name)):
            self._add_row(words, widget)

    def _add_row(self, words: str, widget: QWidget) -> None:
        row = QHBoxLayout()
        row.addWidget(Words(words, 13))
        row.addWidget(widget, 1)
        self.column.addLayout(row)

    @property
    def device(self) -> str:
        """Address of the receiver that answered; empty for none."""
        return self._told.device if self._told is not None else ""

    def receiver(self) -> Receiver | None:
        """As its driver describes it, else a class of the shelf; None where nothing was chosen."""
        announced, name = self._told, self.name.text().strip()
        if announced is not None and announced.capabilities is not None:
            name = name or announced.capabilities.name or "Receiver"
            station = Station("", (plain_receiver(name),))
            station = with_capabilities(station, name, announced.capabilities, announced.device, clock.today())
            part = station.part(name)
            return part if isinstance(part, Receiver) else None
        kind = next((part for part in receivers() if part.name == self.kind.currentText()), None)
        if kind is None:
            return None
        return msgspec.structs.replace(kind, name=name or kind.name)

    def show_found(self) -> None:
        """Show the receivers found by now."""
        listed = self._choice.listing.receivers if self._choice.listing is not None else ()
        self.found.show_receivers([pair for pair in listed if pair[0] != "sound"], self.device)
        self.sound.show_inputs([sound_input for driver, sound_input in listed if driver == "sound"])

    def _show_others(self) -> None:
        for form in self._forms:
            form.show()
        self.others.hide()

    def _ask(self, device: str) -> None:
        # Whatever was known before is not the receiver that is chosen now.
        self._told = None
        self.kind.setCurrentIndex(0)
        self._changed()
        self._choice.ask(device, self._take)

    def _take(self, told: Told) -> None:
        self._told = told
        self.kind.setCurrentIndex(0)
        if told.capabilities is not None and not self.name.isModified():
            self.name.setText(told.capabilities.name)
        self._changed()

    def _take_class(self, kind: str) -> None:
        if kind != NOT_HERE:
            self._told = None
            if not self.name.isModified():
                self.name.setText(kind)
        self._changed()
