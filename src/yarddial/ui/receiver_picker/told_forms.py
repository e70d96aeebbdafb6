"""Forms for receivers that cannot be discovered: a few fields each, no address syntax."""

import contextlib
from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from yarddial.drivers.protocol import FoundReceiver
from yarddial.drivers.stream.address import StreamKind
from yarddial.dsp.sample_formats import FORMATS
from yarddial.session.receiver.device_addresses import program_device, recording_device, sound_device, stream_device
from yarddial.ui.receiver_picker.found_list import Cure
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.path_field import PathField
from yarddial.ui.widgets.words import Words, button
from yarddial.yard.errors import YardDialError

SAMPLE_SOURCES: dict[str, tuple[StreamKind, str]] = {
    "it sends at": ("tcp", "127.0.0.1:7000"),
    "it comes to me at": ("listen", "127.0.0.1:7000"),
    "it writes into the pipe": ("pipe", "/tmp/samples"),
}
FORMAT_WORDS = {"cu8": "8 bits, unsigned", "cs8": "8 bits, signed", "cs16": "16 bits, signed", "cf32": "floating point"}


class ToldForm(QWidget):
    """A heading that unfolds fields, and a line for a refusal. `chosen` carries the device."""

    chosen = pyqtSignal(str)

    def __init__(self, heading: str, about: str) -> None:
        super().__init__()
        self.heading = button(heading, plain=True)
        self.heading.clicked.connect(self.unfold)
        head = QHBoxLayout()
        head.setSpacing(px(12))
        head.addWidget(self.heading, 0, Qt.AlignmentFlag.AlignTop)
        head.addWidget(Words(about, 12, tone="quiet", wrap=True), 1)
        self._fields = QWidget()
        self.page = QVBoxLayout(self._fields)
        self.page.setContentsMargins(px(22), 0, 0, px(6))
        self.page.setSpacing(px(4))
        # A second row where one would be too wide.
        self.row, self.rest = QHBoxLayout(), QHBoxLayout()
        for row in (self.row, self.rest):
            row.setSpacing(px(10))
            self.page.addLayout(row)
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.said.hide()
        self.page.addWidget(self.said)
        self._fields.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, px(2), 0, 0)
        layout.setSpacing(px(2))
        layout.addLayout(head)
        layout.addWidget(self._fields)

    def unfold(self) -> None:
        """Show or hide the fields."""
        self._fields.setVisible(self._fields.isHidden())
        first = next(iter(self._fields.findChildren(QLineEdit)), None)
        if first is not None and not self._fields.isHidden():
            first.setFocus()

    def add_field(
        self, name: str, label: str, text: str, width: int = 110, row: QHBoxLayout | None = None
    ) -> QLineEdit:
        """A labelled field; Enter chooses."""
        field = QLineEdit(text)
        field.setFont(font(13, "mono"))
        field.setAccessibleName(name)
        field.setMinimumWidth(px(width))
        field.returnPressed.connect(self.submit)
        row = row or self.row
        if label:
            row.addWidget(Words(label, 12, tone="quiet"))
        row.addWidget(field, width)
        return field

    def add_choose(self, name: str, text: str = "Choose", row: QHBoxLayout | None = None) -> QPushButton:
        """The button at the row's end."""
        choose = button(text)
        choose.setAccessibleName(name)
        choose.clicked.connect(self.submit)
        (row or self.row).addWidget(choose)
        return choose

    def submit(self) -> None:
        """Make a device of the fields, or show what is wrong."""
        try:
            device = self.device()
        except YardDialError as error:
            self.refuse(str(error))
            return
        self.refuse("")
        self.chosen.emit(device)

    def refuse(self, sentence: str) -> None:
        """Show a refusal under the row."""
        self.said.setText(f"{sentence[:1].upper()}{sentence[1:]}." if sentence else "")
        self.said.setVisible(bool(sentence))

    def device(self) -> str:
        """Device as typed; raises a YardDialError."""
        raise NotImplementedError


class StreamForm(ToldForm):
    """Form for samples that another program sends."""

    def __init__(self) -> None:
        super().__init__("Samples from a program", "Another program has the receiver and passes its I and Q on.")
        self.kind = ChoiceBox("How the samples come", at_left=True)
        self.kind.addItems(list(SAMPLE_SOURCES))
        self.kind.textActivated.connect(lambda text: self.place.setText(SAMPLE_SOURCES[text][1]))
        self.row.addWidget(self.kind)
        self.place = self.add_field("Where the samples come from", "", SAMPLE_SOURCES["it sends at"][1], 140)
        self.format = ChoiceBox("Format of the samples", at_left=True)
        self.format.addItems([FORMAT_WORDS[name] for name in FORMATS])
        self.rest.addWidget(self.format)
        self.rate = self.add_field("Rate of the samples", "rate", "2.048 MS/s", 90, self.rest)
        self.centre = self.add_field("Centre of the samples", "centre", "100 MHz", 90, self.rest)
        self.add_choose("Choose samples from a program", row=self.rest)

    def device(self) -> str:
        """Address of the stream as typed."""
        kind = SAMPLE_SOURCES[self.kind.currentText()][0]
        sample_format = list(FORMATS)[self.format.currentIndex()]
        return stream_device(kind, self.place.text(), sample_format, self.rate.text(), self.centre.text())


class RecordingForm(ToldForm):
    """Form for a recording that plays in a loop."""

    def __init__(self) -> None:
        super().__init__("A recording", "SigMF, or WAV with I and Q: played again and again in the receiver's place.")
        self.path = PathField("Path of the recording", writes=False)
        self.path.returnPressed.connect(self.submit)
        self.row.addWidget(self.path, 1)
        self.add_choose("Choose a recording", "Play this one")

    def device(self) -> str:
        """Address of the sound input as typed."""
        return recording_device(self.path.text())


class SoundForm(ToldForm):
    """Form for a stereo input with a receiver; or how to enable them."""

    def __init__(self) -> None:
        super().__init__(
            "A sound card",
            "A receiver whose two outputs, I and Q, go into a stereo input. It is tuned by hand: say to what.",
        )
        self.input = ChoiceBox("Sound input", at_left=True)
        self.row.addWidget(self.input)
        self.centre = self.add_field("What the receiver is tuned to", "tuned to", "", 120)
        self.centre.setPlaceholderText("7.05 MHz")
        self.swap = QCheckBox("the sides are exchanged")
        self.swap.setFont(font(12))
        self.row.addWidget(self.swap)
        self.row.addStretch(1)
        self._choose = self.add_choose("Choose the sound card")
        self._needs = QVBoxLayout()
        self.page.addLayout(self._needs)
        self._shown: tuple[FoundReceiver, ...] | None = None

    def show_inputs(self, inputs: Sequence[FoundReceiver]) -> None:
        """Show the present inputs, or what is missing."""
        if tuple(inputs) == self._shown:
            return
        self._shown = tuple(inputs)
        ready = [sound_input for sound_input in inputs if sound_input.state == "ready"]
        chosen_now = self.input.currentText()
        self.input.clear()
        self.input.addItems([sound_input.name for sound_input in ready] or ["no stereo input is there"])
        self.input.setCurrentIndex(max(self.input.findText(chosen_now), 0))
        for widget in (self.input, self.centre, self.swap, self._choose):
            widget.setEnabled(bool(ready))
        empty(self._needs)
        for sound_input in inputs:
            if sound_input.state != "ready":
                self._needs.addWidget(Cure(sound_input.why, sound_input.cure, sound_input.name))

    def device(self) -> str:
        """Address of the recording as typed."""
        return sound_device(self.input.currentText(), self.centre.text(), swap=self.swap.isChecked())


class ProgramForm(ToldForm):
    """Form for a program of the person's: allowed once, by a button that shows it."""

    def __init__(self, is_allowed: Callable[[str], bool], allow: Callable[[str], None]) -> None:
        super().__init__(
            "A program of mine",
            "A command, by its whole path, that speaks the page docs/program.md. It runs with all your rights: "
            "allow only what you know.",
        )
        self._is_allowed, self._allow = is_allowed, allow
        self.command = self.add_field("Command of the program", "", "", 300)
        self.command.setPlaceholderText("/home/me/receiver.py --gain 3")
        self.command.textChanged.connect(self._show_choose)
        self._choose = self.add_choose("Choose a program of mine")

    def device(self) -> str:
        """Address of the program as typed."""
        return program_device(self.command.text())

    def submit(self) -> None:
        """Pressing the button allows the program shown beside it."""
        try:
            device = self.device()
            if not self._is_allowed(device):
                self._allow(device)
        except YardDialError as error:
            self.refuse(str(error))
            return
        self.refuse("")
        self._show_choose()
        self.chosen.emit(device)

    def _show_choose(self) -> None:
        known = True
        with contextlib.suppress(YardDialError):
            known = self._is_allowed(self.device())
        self._choose.setText("Choose" if known else "Allow this program, and choose it")


def told_forms(
    is_allowed: Callable[[str], bool], allow: Callable[[str], None], choose: Callable[[str], None]
) -> tuple[StreamForm, SoundForm, RecordingForm, ProgramForm]:
    """Create all forms, each passing on its device."""
    forms = (StreamForm(), SoundForm(), RecordingForm(), ProgramForm(is_allowed, allow))
    for form in forms:
        form.chosen.connect(partial(choose))
    return forms
