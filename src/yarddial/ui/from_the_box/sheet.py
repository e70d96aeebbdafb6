"""The sheet "What have you got?": a receiver, a converter, an antenna; then the yard is built."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QWidget

from yarddial.analysis.audit.caution import caution_for
from yarddial.drivers.discovery import Told
from yarddial.session.receiver.capabilities_in_yard import with_capabilities
from yarddial.session.session import Session
from yarddial.session.station.from_the_box import NO_PART, BoxAnswers, antennas, begun, converters, lo_text
from yarddial.ui.receiver_picker.found_list import FoundList
from yarddial.ui.receiver_picker.told_forms import told_forms
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard import clock
from yarddial.yard.editing import choose_port
from yarddial.yard.errors import YardDialError
from yarddial.yard.frequency import format_bound
from yarddial.yard.shelf import shelf

# A receiver that starts above this does not receive short wave by itself.
HF_ENDS_HZ = 20e6


class FromTheBox(Sheet):
    """Three choices; the driver describes the receiver."""

    manual_page = "evening"

    def __init__(
        self, parent: QWidget, session: Session, show_demo: Callable[[], object], open_file: Callable[[], object],
        built: Callable[[], object],
    ) -> None:  # fmt: skip
        super().__init__(parent, "What have you got?", 860)
        self._session, self._choice, self._built = session, session.receiver_choice, built
        self._told: Told | None = None
        self.headline = Headline()
        self.found = FoundList()
        self.stream, self.sound, self.recording, self.program = told_forms(
            self._choice.is_allowed, self._choice.allow, self._ask
        )
        self.found.chosen.connect(self._ask)
        self.others = button("It is none of these", plain=True, tip="A sound card, a recording, samples of a program")
        self.others.clicked.connect(self._show_others)
        self.name, self.lo = QLineEdit(), QLineEdit()
        for field, what in ((self.name, "Name of the receiver"), (self.lo, "Oscillator of the converter")):
            field.setFont(font(13, "mono"))
            field.setAccessibleName(what)
        self.converter, self.antenna = ChoiceBox("Converter", at_left=True), ChoiceBox("Antenna", at_left=True)
        self.converter.addItems(list(converters()))
        self.antenna.addItems(list(antennas()))
        self.converter.textActivated.connect(self._show_lo)
        self.antenna.textActivated.connect(self._say_antenna)
        self._antenna_said = False
        self.socket = ChoiceBox("Socket of the receiver", at_left=True)
        self._socket_words = Words("into its socket", 13)
        self.usual = QCheckBox("the world's standard frequencies as known stations")
        self.usual.setFont(font(13))
        self.usual.setChecked(True)
        self.build = button("Build the yard", strong=True)
        self.build.clicked.connect(self._build)
        demo = button("Look at the demo yard instead", plain=True)
        demo.clicked.connect(self._leave_for(show_demo))
        file = button("Open a file", plain=True)
        file.clicked.connect(self._leave_for(open_file))
        for at, choice in enumerate((demo, file, self.build)):
            self.buttons.insertWidget(at + 1, choice)
        self._lay_out()
        self._show_soon = Soon(self, self._show)
        self.when_left(self._choice.on_choice_changed(self._show_soon), self._choice.leave)
        self._choice.search()
        self._show_lo(NO_PART)
        self._show_sockets()
        self._show()

    def _lay_out(self) -> None:
        self.body.setSpacing(px(8))
        self.body.addWidget(self.headline)
        self.body.addWidget(Words("1. The receiver", 15, "serif"))
        self.body.addWidget(self.found)
        self.body.addWidget(self.others, 0, Qt.AlignmentFlag.AlignLeft)
        self._forms = (self.stream, self.sound, self.recording, self.program)
        for form in self._forms:
            form.hide()
            self.body.addWidget(form)
        self.body.addWidget(Words("2. The rest of the line", 15, "serif"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(14))
        grid.setVerticalSpacing(px(6))
        grid.setColumnStretch(1, 1)
        self._lo_words = Words("its oscillator, as its can says", 13)
        rows = (
            (Words("Call the receiver", 13), self.name), (Words("Antenna", 13), self.antenna),
            (Words("Converter before the receiver", 13), self.converter), (self._lo_words, self.lo),
            (self._socket_words, self.socket),
        )  # fmt: skip
        for row, (label, widget) in enumerate(rows):
            grid.addWidget(label, row, 0)
            grid.addWidget(widget, row, 1)
        self.body.addLayout(grid)
        self.caution = Words("", 12, tone="ochre", wrap=True)
        # Keep room for two cautions, so that nothing moves with the choice.
        self.caution.setMinimumHeight(px(36))
        self.caution.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.body.addWidget(self.caution)
        for choice in (self.antenna, self.converter):
            choice.currentTextChanged.connect(self._show_caution)
        self._show_caution()
        self.body.addWidget(self.usual)
        self.body.addStretch()
        self.resize(px(860), px(745))

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Stop discovering when hidden."""
        self._choice.leave()
        super().hideEvent(event)

    def _leave_for(self, act: Callable[[], object]) -> Callable[[], None]:
        def leave() -> None:
            self.close()
            act()

        return leave

    def _show_others(self) -> None:
        for form in self._forms:
            form.show()
        self.others.hide()

    def _show_lo(self, converter: str) -> None:
        text = lo_text(converter)
        self.lo.setText(text)
        for widget in (self._lo_words, self.lo):
            widget.setVisible(bool(text))
        self._guess_antenna()

    def _show_caution(self, *_: object) -> None:
        """Show the cautions of the chosen antenna and converter, each once."""
        chosen = (self.antenna.currentText(), self.converter.currentText())
        cautions = dict.fromkeys(caution_for(part) for part in shelf() if part.name in chosen)
        self.caution.setText("\n".join(caution for caution in cautions if caution))

    def _say_antenna(self, _: str) -> None:
        self._antenna_said = True

    def _guess_antenna(self) -> None:
        """Preselect a wire for HF, or a whip for a receiver that starts above it."""
        capabilities = self._told
        if self._antenna_said or capabilities is None or capabilities.capabilities is None:
            return
        high = capabilities.capabilities.ranges_hz[0][0] >= HF_ENDS_HZ and self.converter.currentText() == NO_PART
        self.antenna.setCurrentText("Short whip" if high else "End-fed wire")

    def _show_sockets(self) -> None:
        capabilities = self._told
        ports = (
            capabilities.capabilities.ports
            if capabilities is not None and capabilities.capabilities is not None
            else ()
        )
        self.socket.clear()
        self.socket.addItems(list(ports))
        for widget in (self._socket_words, self.socket):
            widget.setVisible(len(ports) > 1)

    def _ask(self, device: str) -> None:
        self._told = None
        self._choice.ask(device, self._take)

    def _take(self, announced: Told) -> None:
        self._told = announced
        if announced.capabilities is not None and not self.name.isModified():
            self.name.setText(announced.capabilities.name)
        self._guess_antenna()
        self._show_sockets()
        self.build.setFocus()

    def _build(self) -> None:
        capabilities = self._told
        if capabilities is None or capabilities.capabilities is None:
            return
        answers = BoxAnswers(
            self.name.text(), self.antenna.currentText(), self.converter.currentText(), self.lo.text(),
            self.usual.isChecked(),
        )  # fmt: skip
        desk = self._session.desk
        try:
            station = begun(desk.station, answers)
            name = next(part.name for part in reversed(station.parts))
            station = with_capabilities(station, name, capabilities.capabilities, capabilities.device, clock.today())
            if self.socket.currentText():
                station = choose_port(station, station.route, self.socket.currentText())
            desk.edit("from the box", station)
        except YardDialError as error:
            sentence = str(error)
            self.headline.show_verdict("stop", f"{sentence[:1].upper()}{sentence[1:]}.", "Nothing was built.")
            return
        self.close()
        self._built()

    def _show(self) -> None:
        choice = self._choice
        receivers = choice.listing.receivers if choice.listing is not None else ()
        device = self._told.device if self._told is not None else ""
        self.found.show_receivers([pair for pair in receivers if pair[0] != "sound"], device)
        self.sound.show_inputs([sound_input for driver, sound_input in receivers if driver == "sound"])
        able = self._told.capabilities if self._told is not None else None
        self.build.setEnabled(able is not None)
        if choice.is_asking:
            self.headline.show_verdict("unknown", "Asking the receiver what it can.", "It is opened for a moment.")
        elif choice.trouble:
            sentence = f"{choice.trouble[:1].upper()}{choice.trouble[1:]}."
            self.headline.show_verdict("stop", sentence, "Choose another, or put that right and choose it again.")
        elif able is not None:
            low_hz, high_hz = able.ranges_hz[0][0], able.ranges_hz[-1][1]
            span = f"It tunes {format_bound(low_hz)} to {format_bound(high_hz)}."
            self.headline.show_verdict("good", f"The receiver is {able.name}.", f"{span} Now say what is before it.")
        else:
            what = "Take the receiver that is plugged in, or a simulated one to try things out."
            self.headline.show_verdict("unknown", "Which receiver is it?", what)
