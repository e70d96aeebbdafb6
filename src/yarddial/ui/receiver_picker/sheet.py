"""Sheet "Choose the receiver": receivers found, entered ones, and the result of the choice."""

from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from yarddial.drivers.protocol import FoundReceiver
from yarddial.session.session import Session
from yarddial.ui.receiver_picker.found_list import Cure, FoundList
from yarddial.ui.receiver_picker.told_forms import told_forms
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_bound, format_number
from yarddial.yard.parts import Receiver

# Drivers with a section of their own.
OWN_SECTION = ("simulated", "sound")


class ReceiverPicker(Sheet):
    """Follows plugging and unplugging while open; a choice is one edit of the yard."""

    manual_page = "receivers"

    def __init__(self, parent: QWidget, session: Session, part_name: str) -> None:
        super().__init__(parent, f"What is {part_name} really?", 860)
        self._session, self._choice, self._part_name = session, session.receiver_choice, part_name
        self.headline = Headline()
        self.found, self.simulated = FoundList(), FoundList()
        self.nothing = Words("", 13, tone="quiet", wrap=True)
        self._troubles = Words("", 12, tone="quiet", wrap=True)
        self._cure, self._known = QVBoxLayout(), QGridLayout()
        self._known.setHorizontalSpacing(px(14))
        self._known.setVerticalSpacing(px(2))
        self._known.setColumnStretch(1, 1)
        self.stream, self.sound, self.recording, self.program = told_forms(
            self._choice.is_allowed, self._choice.allow, self._choose
        )
        self.found.chosen.connect(self._choose)
        self.simulated.chosen.connect(self._choose)
        self._stop = button("Stop waiting")
        self._stop.clicked.connect(self._choice.cancel)
        self.buttons.insertWidget(1, self._stop)
        self._lay_out()
        self._offer_now()
        self._show_soon = Soon(self, self._show)
        self.when_left(
            self._choice.on_choice_changed(self._show_soon),
            session.desk.on_yard_changed(self._show_soon),
            self._choice.leave,
        )
        self._choice.search()
        self._show()

    def _lay_out(self) -> None:
        self.body.setSpacing(px(8))
        self.body.addWidget(self.headline)
        self.body.addLayout(self._cure)
        self.body.addLayout(self._known)
        self.body.addWidget(Words("Found now", 15, "serif"))
        self.body.addWidget(self.found)
        self.body.addWidget(self.nothing)
        self.body.addWidget(Words("Simulated, to try things out", 15, "serif"))
        self.body.addWidget(self.simulated)
        self.body.addWidget(Words("Not among them?", 15, "serif"))
        for form in (self.stream, self.sound, self.recording, self.program):
            self.body.addWidget(form)
        self.body.addWidget(self._troubles)
        self.body.addStretch()
        self.resize(px(860), px(680))

    def _offer_now(self) -> None:
        """Show a program that the yard already names, to be read before it is allowed."""
        driver, _, address = self._device.partition(":")
        if driver == "process":
            self.program.command.setText(address)
            self.program.unfold()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Discover while visible."""
        self._choice.search()
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Stop discovering when hidden."""
        self._choice.leave()
        super().hideEvent(event)

    @property
    def _part(self) -> Receiver | None:
        try:
            part = self._session.desk.station.part(self._part_name)
        except BadStation:
            return None
        return part if isinstance(part, Receiver) else None

    @property
    def _device(self) -> str:
        part = self._part
        return part.device if part is not None else ""

    def _choose(self, device: str) -> None:
        self._choice.choose(self._part_name, device)

    def _show(self) -> None:
        choice, device = self._choice, self._device
        receivers = choice.listing.receivers if choice.listing is not None else ()
        plugged = [(driver, receiver) for driver, receiver in receivers if driver not in OWN_SECTION]
        self.found.show_receivers(plugged, device)
        self.simulated.show_receivers([pair for pair in receivers if pair[0] == "simulated"], device)
        self.sound.show_inputs([receiver for driver, receiver in receivers if driver == "sound"])
        searching = "Looking." if choice.listing is None else (
            "Nothing on the USB bus looks like a receiver. Plug one in: it appears here within two seconds."
        )  # fmt: skip
        self.nothing.setText(searching)
        self.nothing.setVisible(not plugged)
        troubles = choice.listing.troubles.values() if choice.listing is not None else ()
        self._troubles.setText(" ".join(f"{text[:1].upper()}{text[1:]}." for text in troubles))
        self._troubles.setVisible(bool(troubles))
        self._stop.setVisible(choice.is_asking)
        self._show_verdict(receivers)

    def _show_verdict(self, receivers: tuple[tuple[str, FoundReceiver], ...]) -> None:
        choice, part = self._choice, self._part
        empty(self._cure)
        if part is None:
            self.headline.show_verdict("stop", f"{self._part_name} is not in the yard any more.", "Close this sheet.")
            return
        if choice.trouble and choice.told is not None and choice.told.cure:
            self._cure.addWidget(Cure("", choice.told.cure, self._part_name))
        self.headline.show_verdict(*self._verdict(part, receivers))
        self._show_known(part)

    def _show_known(self, part: Receiver) -> None:
        """Show the driver's report, if it was asked in this sheet."""
        empty(self._known)
        capabilities = self._choice.told
        if capabilities is None or capabilities.capabilities is None or capabilities.device != part.device:
            return
        for row, (label, text) in enumerate(known_rows(part)):
            self._known.addWidget(Words(label, 12, tone="quiet"), row, 0)
            self._known.addWidget(Words(text, 13, weight=500, wrap=True), row, 1)

    def _verdict(self, part: Receiver, receivers: tuple[tuple[str, FoundReceiver], ...]) -> tuple[str, str, str]:
        """Mark, sentence and consequence."""
        choice = self._choice
        if choice.is_asking:
            return "unknown", f"Asking {_short(choice.device)} what it can.", "It is opened for a moment."
        if choice.trouble:
            return "stop", f"{choice.trouble[:1].upper()}{choice.trouble[1:]}.", f"{part.name} stays what it was."
        if not part.device:
            return "look", f"Nothing is chosen for {part.name} yet.", "Without it nothing can be received."
        if choice.told is not None and choice.told.device == part.device:
            now = f"{part.name} is now {_short(part.device)}."
            return "good", now, "Taken over as the driver says; Ctrl+Z takes it back. Nothing runs until you start it."
        driver, _, address = part.device.partition(":")
        there = any((name, receiver.address) == (driver, address.partition("?")[0]) for name, receiver in receivers)
        if driver == "kernel" and choice.listing is not None and not there:
            sentence = f"{part.name} is {_short(part.device)}, which is not plugged in now."
            return "look", sentence, "Plug it in, or choose another."
        return "good", f"{part.name} is {_short(part.device)}.", f"{summary(part)}."


def _short(device: str) -> str:
    """Short name of a device: without its options."""
    driver, _, address = device.partition(":")
    words = {
        "kernel": "the kernel's",
        "sound": "the sound input",
        "process": "the program",
        "simulated": "the simulated",
        "recording": "the recording",
        "stream": "the samples from",
    }
    return f"{words.get(driver, driver)} {address.partition('?')[0]}"


def _kept_for(part: Receiver) -> str:
    """Which other devices' corrections are kept for their return."""
    others = [
        f"{format_number(other.entered_ppm, 0.01, signed=True)} ppm for {_short(other.device)}"
        for other in part.other_devices[:2]
    ]
    return f"; kept until it is chosen again: {' and '.join(others)}" if others else ""


def summary(part: Receiver) -> str:
    """The driver's report in one line."""
    low_hz, high_hz = part.tuned_span_hz
    rates = f"{len(part.rates_hz)} rates" if len(part.rates_hz) > 1 else f"{part.rate_hz / 1e6:g} MS/s"
    pieces = [f"{format_bound(low_hz)} to {format_bound(high_hz)}", rates, f"{part.bits} bits"]
    if part.gain_stages:
        count = len(part.gain_stages)
        pieces.append(f"{count} gain stages" if count > 1 else f"gain '{part.gain_stages[0].name}'")
    if part.clock_ppm is not None:
        pieces.append("tuner and sampling have an oscillator each")
    return ", ".join(pieces)


def known_rows(part: Receiver) -> list[tuple[str, str]]:
    """Adopted values, one row each."""
    low_hz, high_hz = part.tuned_span_hz
    holes = "".join(f", but for {format_bound(low)} to {format_bound(high)}" for low, high in part.holes_hz)
    rates = [f"{rate / 1e6:g}" for rate in part.rates_hz]
    some = ", ".join(rates) if len(rates) < 5 else f"{len(rates)} from {rates[0]} to {rates[-1]}"
    feeds = [port.name for port in part.ports if port.bias is not None]
    rows = [
        ("tunes", f"{format_bound(low_hz)} to {format_bound(high_hz)}{holes}"),
        ("rates", f"{some} MS/s"),
        ("ports", ", ".join(port.name for port in part.ports)),
        ("gain stages", ", ".join(f"{stage.name}, {len(stage.steps_db)} steps" for stage in part.gain_stages)),
        ("bias feed", f"port {', '.join(feeds)}; off until you switch it on" if feeds else ""),
        ("bits", str(part.bits)),
        (
            "correction",
            f"{format_number(part.entered_ppm, 0.01, signed=True)} ppm is entered for this device{_kept_for(part)}",
        ),
        ("oscillators", "tuner and sampling have one each" if part.clock_ppm is not None else ""),
    ]
    return [(label, text) for label, text in rows if text]
