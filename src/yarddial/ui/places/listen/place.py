"""The place Listen."""

import re

from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.session.listening.verdict import listen_verdict
from yarddial.session.session import Session
from yarddial.ui.places.listen.chart import ListenChart
from yarddial.ui.places.listen.comparison_sheet import ComparisonSheet
from yarddial.ui.places.listen.peak_sheet import PeakSheet
from yarddial.ui.places.listen.reception_check_sheet import ReceptionCheckSheet
from yarddial.ui.places.listen.recorder_row import RecorderRow
from yarddial.ui.places.listen.sound_row import SoundRow
from yarddial.ui.sound_out import SoundOut
from yarddial.ui.spectrogram_feed import SpectrogramFeed
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.flow_row import FlowRow, together
from yarddial.ui.widgets.headline import Headline
from yarddial.ui.widgets.line_sheet import LineSheet
from yarddial.ui.widgets.side_by_side import side_by_side
from yarddial.ui.widgets.side_column import side_column
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.yard.demodulation import DEMODULATIONS, stereo_share
from yarddial.yard.errors import BadLevel
from yarddial.yard.frequency import MINUS, format_frequency

# Audio blocks per headline update, about three a second.
SOUNDS_A_HEADLINE = 8
# Usable half of the span; beyond it aliases appear.
CLEAN_SHARE = 0.4
# A scale narrower than this shows noise only.
MIN_SCALE_DB = 6.0
# Demodulations in which a carrier's pitch reveals its frequency.
TONE_MODES = ("usb", "lsb", "cw")


class ListenPlace(QWidget):
    """The picture at the left; demodulation and clean-up at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._listening = session, session.listening
        self._heard = 0
        self.headline = Headline()
        self.chart = ListenChart()
        self.demodulation = ChoiceBox("Way of hearing")
        for demodulation in DEMODULATIONS.values():
            self.demodulation.addItem(demodulation.name, demodulation.demodulation)
        self.hear = _tick("sound", "Hear it, on this computer's sound device")
        self.quieter = _tick("noise reduction", "Weaken what does not stand over the slowly followed noise")
        self.even = _tick("even loudness", "Gain control: down at once, up slowly")
        self.squelch = _tick("squelch here", "Silence whenever the channel falls below what it has now")
        self.spike = _tick("take out the centre spike", "Takes the slow mean off the samples")
        self.mirrors = _tick("take out mirrors", "Measures the mirror of what stands on one side alone")
        self.swap = _tick("exchange I and Q", "For a receiver whose spectrum is mirrored")
        self.follow = _tick("follow it", "Measure a known station in the span all the time; show the crystal by it")
        self._crystal = Words("", 12, tone="quiet", wrap=True)
        self.snap = button("Carrier", plain=True, tip="Put the dial on the strongest line near it")
        self.raster = button("Channel", plain=True, tip="Put the dial on the nearest channel of the band")
        self.visited = ChoiceBox("Lately heard")
        # The picture keeps its height when the list appears.
        policy = self.visited.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.visited.setSizePolicy(policy)
        self.emphasis = ChoiceBox("De-emphasis")
        for microseconds in (0.0, 50.0, 75.0):
            self.emphasis.addItem(
                f"de-emphasis {microseconds:g} \u00b5s" if microseconds else "no de-emphasis", microseconds
            )
        self.closer, self.wider = (
            button("+", plain=True, tip="Closer: see less (+)"),
            button("−", plain=True, tip="Wider: see more (-)"),
        )
        for widget, name in (
            (self.snap, "Snap to carrier"), (self.raster, "Snap to channel"),
            (self.closer, "Closer"), (self.wider, "Wider"),
        ):  # fmt: skip
            widget.setAccessibleName(name)
        self.scale = button("by itself", plain=True, tip="Levels drawn lightest and darkest: by itself, or two in dBFS")
        self.scale.setAccessibleName("Scale of levels")
        self.calibrate = button(
            "Calibrate", plain=True, tip="State what arrives at the socket now; it holds for the gains set now"
        )
        self.kept = RecorderRow(session)
        self.compare = button("Compare", plain=True, tip="Two routes or settings in turn: which hears it better")
        self.peak = button("Peak", plain=True, tip="A large bar for a tuner, an antenna or a dish that a hand moves")
        self.prove = button("Prove it", plain=True, tip="Something strong first, then one change at a time")
        self._tone = Words("", 12, "mono", tone="quiet")
        self.pointed = Words("", 12, "mono", tone="quiet")
        self._width = Words("", 12, tone="quiet", wrap=True)
        self._level = Words("", 13, "mono", 500)
        self._under_level = Words("", 12, tone="quiet", wrap=True)
        self._told_spike, self._told_mirrors = (Words("", 12, tone="quiet", wrap=True) for _ in range(2))
        self.sound = SoundOut(self)
        self.sound.choose(session.preferences.now.sound_device)
        self.sound_row = SoundRow(self.sound, lambda name: session.preferences.change(sound_device=name))
        self._sound_state = Words("", 12, tone="quiet", wrap=True)
        self._feed = SpectrogramFeed(self.chart, session.live_receiver)
        session.preferences.on_preferences_changed(self._follow_preferences)
        self._lay_out()
        self._join()
        self._show()

    def _follow_preferences(self) -> None:
        wanted = self._session.preferences.now.sound_device
        if wanted != self.sound.wanted:
            self.sound.choose(wanted)
            self.sound_row.device.fill()
        self._show()

    def _lay_out(self) -> None:
        row = FlowRow(
            together(Words("Snap to", 13, tone="quiet"), self.snap, self.raster),
            together(Words("See", 13, tone="quiet"), self.closer, self.wider),
            together(Words("Scale", 13, tone="quiet"), self.scale),
            spacing=16,
        )
        status_row = QHBoxLayout()
        status_row.addWidget(self.pointed, 1)
        status_row.addWidget(self.peak)
        status_row.addWidget(self.compare)
        status_row.addWidget(self.prove)
        status_row.addWidget(self.visited)
        left = QVBoxLayout()
        left.setSpacing(px(8))
        left.addWidget(self.chart, 1)
        left.addLayout(status_row)
        left.addLayout(row)
        beside, right = side_column(262, 5)
        heard = (
            self._width,
            self.emphasis,
            self.hear,
            self.sound_row,
            self._sound_state,
            self.even,
            self.quieter,
            self.squelch,
        )
        groups: tuple[tuple[str, tuple[QWidget, ...]], ...] = (
            ("In the channel", (self._level, self._under_level, self._tone)),
            ("How it is heard", heard),
            ("Record", (self.kept,)),
            ("Cleaned up", (self.spike, self._told_spike, self.mirrors, self._told_mirrors, self.swap)),
            ("The crystal", (self.follow, self._crystal)),
        )
        for title, parts in groups:
            head = QHBoxLayout()
            head.addWidget(Words(title, 15, "serif"), 1)
            if self._level in parts:
                head.addWidget(self.calibrate)
            if self._width in parts:
                head.addWidget(self.demodulation)
            right.addLayout(head)
            for part in parts:
                right.addWidget(part)
            right.addWidget(hairline())
            right.addSpacing(px(6))
        right.addStretch()
        side_by_side(self, self.headline, left, beside)

    def _join(self) -> None:
        listening, session = self._listening, self._session
        self.demodulation.activated.connect(lambda: listening.choose_demodulation(self.demodulation.currentData()))
        self.hear.clicked.connect(listening.hear)
        self.quieter.clicked.connect(lambda on: listening.change(noise_reduction=on))
        self.even.clicked.connect(lambda on: listening.change(gain_control=on))
        self.squelch.clicked.connect(listening.squelch_here)
        self.spike.clicked.connect(lambda on: listening.clean(spike=on))
        self.mirrors.clicked.connect(lambda on: listening.clean(mirrors=on))
        self.swap.clicked.connect(lambda on: listening.clean(swap=on))
        self.follow.clicked.connect(session.crystal_follower.follow)
        self.snap.clicked.connect(self._snap)
        self.calibrate.clicked.connect(self._calibrate)
        self.raster.clicked.connect(self._raster)
        self.scale.clicked.connect(self._scale)
        self.visited.activated.connect(lambda index: listening.go_back(index - 1) if index else None)
        self.emphasis.activated.connect(lambda: listening.change(deemphasis_us=self.emphasis.currentData()))
        self.peak.clicked.connect(lambda: PeakSheet(self, session).show())
        self.compare.clicked.connect(lambda: ComparisonSheet(self, session).show())
        self.prove.clicked.connect(lambda: ReceptionCheckSheet(self, session).show())
        self.closer.clicked.connect(lambda: listening.zoom(-1))
        self.wider.clicked.connect(lambda: listening.zoom(+1))
        self.chart.tuned.connect(listening.tune)
        self.chart.edges_dragged.connect(listening.set_edges)
        self.chart.stepped.connect(listening.step)
        self.chart.zoomed.connect(listening.zoom)
        self.chart.pointed.connect(self.pointed.setText)
        self._show_soon = Soon(self, self._show)
        listening.on_listening_changed(self._show_soon)
        session.crystal_follower.on_crystal_changed(self._show_soon)
        session.rig.on_rig_changed(self._show_soon)
        listening.on_heard(self._play)
        session.live_receiver.picture.on_spectrogram_moved(self._feed.draw)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Use the receiver for this place from now on."""
        self._listening.open()
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Release the receiver to the other places, silently."""
        self.sound.stop()
        self._session.reception_check.cancel()
        self._session.comparison.cancel()
        self._listening.close()
        super().hideEvent(event)

    def _snap(self) -> None:
        if not self._listening.snap():
            self.pointed.setText("no line stands out near the dial")

    def _calibrate(self) -> None:
        """Ask for the arriving level; it calibrates the present port and gains."""
        heading = f"What arrives at {self._session.desk.route.receiver.name}'s socket: -73 dBm, 50 uV or S9"
        LineSheet(self, heading, "-73 dBm", self._listening.calibrate).show()

    def _scale(self) -> None:
        """Ask for two levels, or nothing for an automatic scale."""
        heading = "Levels drawn lightest and darkest, dBFS; leave it empty for a scale that finds itself"
        low_db, high_db = self.chart.range_db
        LineSheet(self, heading, f"{low_db:.0f} to {high_db:.0f}", self.use_scale).show()

    def use_scale(self, text: str) -> None:
        ends_db = _ends(text)
        self.chart.scale(ends_db)
        scale_words = "by itself" if ends_db is None else f"{ends_db[0]:g} to {ends_db[1]:g}".replace("-", MINUS)
        self.scale.setText(scale_words)

    def _raster(self) -> None:
        raster_hz = self._listening.snap_to_raster()
        if self._listening.is_without_channels:
            self.pointed.setText(f"no channels in an amateur band: on the nearest {raster_hz / 1e3:.4g} kHz")
        else:
            self.pointed.setText(f"channels here lie {raster_hz / 1e3:.4g} kHz apart")

    def _show(self) -> None:
        listening, session = self._listening, self._session
        settings, evidence = listening.settings, listening.evidence
        verdict = listen_verdict(listening, session.live_receiver, session.desk)
        self.headline.show_verdict(verdict.mark, verdict.sentence, verdict.consequence)
        self.demodulation.setCurrentIndex(self.demodulation.findData(settings.demodulation))
        self._width.setText(f"{_edge(settings.low_hz)} to {_edge(settings.high_hz)} about the dial")
        for tick, on in (
            (self.hear, listening.is_heard),
            (self.quieter, settings.noise_reduction),
            (self.even, settings.gain_control),
            (self.squelch, settings.squelch_dbfs is not None),
            (self.spike, listening.clean_up.spike),
            (self.mirrors, listening.clean_up.mirrors),
            (self.swap, listening.clean_up.swap),
        ):
            tick.setChecked(on)
        sound_state = (self.sound.state, self.sound.remark) if listening.is_heard else ()
        self._sound_state.setText("; ".join(filter(None, sound_state)))
        self._sound_state.setVisible(bool(self._sound_state.text()))
        self._show_level()
        self.follow.setChecked(session.crystal_follower.is_wanted)
        self._crystal.setText(session.crystal_follower.sentence())
        self._crystal.setVisible(bool(self._crystal.text()))
        spike_words = ("", "")
        if evidence is not None:
            if evidence.spike_before_dbfs is not None and evidence.spike_after_dbfs is not None:
                spike_words = (
                    f"{_db(evidence.spike_before_dbfs)} before, {_db(evidence.spike_after_dbfs)} dBFS after",
                    "",
                )
            mirrors = evidence.why_not
            if evidence.mirrors_before_db is not None and evidence.mirrors_after_db is not None and not mirrors:
                mirrors = f"{evidence.mirrors_before_db:.0f} dB down before, {evidence.mirrors_after_db:.0f} dB after"
            spike_words = (spike_words[0], mirrors[:1].upper() + mirrors[1:])
        for words, text in zip((self._told_spike, self._told_mirrors), spike_words, strict=True):
            words.setText(text)
            words.setVisible(bool(text))
        self.emphasis.setVisible(settings.demodulation in ("nfm", "wfm"))
        self.emphasis.setCurrentIndex(self.emphasis.findData(settings.deemphasis_us))
        self._show_visited()
        self._show_chart()

    def _show_visited(self) -> None:
        """Show the list, rebuilt only when changed."""
        names = [
            f"{format_frequency(place.dial_hz)}, {DEMODULATIONS[place.settings.demodulation].name}"
            for place in self._listening.lately_heard.places
        ]
        wanted = ["lately heard", *names]
        if wanted != [self.visited.itemText(i) for i in range(self.visited.count())]:
            self.visited.clear()
            self.visited.addItems(wanted)
        self.visited.setCurrentIndex(0)
        self.visited.setVisible(bool(names))

    def _show_level(self) -> None:
        listening = self._listening
        self.squelch.setEnabled(listening.level_dbfs is not None or listening.settings.squelch_dbfs is not None)
        if listening.level_dbfs is None:
            self._level.setText("no samples")
            self._under_level.setText("")
            self._tone.setText("")
            return
        tone = listening.tone() if listening.settings.demodulation in TONE_MODES else None
        self._tone.setText("" if tone is None else f"tone {tone[0]:.2f} \u00b1 {max(tone[1], 0.01):.2f} Hz")
        known = listening.level()
        self._level.setText(f"{_db(listening.level_dbfs, 1)} dBFS")
        if known is not None:
            level, sigma_db = known
            self._level.setText(f"{level.said(sigma_db)} \u00b1 {sigma_db:.1f} dB")
        over_db = listening.over_floor_db()
        self._tone.setVisible(bool(self._tone.text()))
        texts = [] if over_db is None else [f"{_db(over_db)} dB over the noise beside it"]
        if listening.pilot_db is not None:
            texts.append(_stereo(listening.pilot_db))
        self._under_level.setText("; ".join(texts))

    def _show_chart(self) -> None:
        session, listening = self._session, self._listening
        station, live_receiver = session.desk.station, session.live_receiver
        known = [(r.frequency_hz, r.name, "slate") for r in station.references]
        known += [(edge, band.name, "quiet") for band in station.bands for edge in (band.low_hz, band.high_hz)]
        centre_hz = listening.centre_hz()
        if centre_hz is not None:
            clean_hz = CLEAN_SHARE * session.desk.route.receiver.rate_hz
            known.append((centre_hz, "centre of the span", "ochre"))
            known += [(centre_hz + side * clean_hz, "clean up to here", "quiet") for side in (-1, 1)]
            known += [(hertz, f"may be {name}", "ochre") for hertz, name in listening.ghosts]
        known += self._rig_places()
        self.chart.show_gaps(listening.clear if self._shows_gaps() else ())
        route = session.desk.route
        offset = route.receiver.level_offset(route.port) if not route.missing else None
        self.chart.level_offset_db = None if offset is None else offset.value
        self.chart.show_place(
            listening.chart_hz, station.dial_hz, (listening.settings.low_hz, listening.settings.high_hz), tuple(known)
        )
        empty = "the receiver is starting…" if live_receiver.wanted else "the receiver is off: Space starts it"
        message = live_receiver.trouble or empty
        self.chart.empty_text = f"{message[:1].upper()}{message[1:]}".rstrip(".") + (
            "" if message.endswith("…") else "."
        )

    def _rig_places(self) -> list[tuple[float, str, str]]:
        """Transceiver's frequency while the receiver is elsewhere, and its transmit frequency."""
        rig = self._session.rig
        places: list[tuple[float, str, str]] = []
        if (place_hz := rig.place_hz()) is not None and not rig.is_following:
            places.append((place_hz, f"{rig.name} stands here", "slate"))
        if (transmit_hz := rig.transmit_place_hz()) is not None:
            places.append((transmit_hz, f"{rig.name} would transmit here", "ochre"))
        return places

    def _shows_gaps(self) -> bool:
        """True beside a transceiver, where somebody may want to call."""
        return self._session.rig.status == "linked" and self._listening.settings.demodulation in TONE_MODES

    def _play(self) -> None:
        sounds, self._listening.sounds = self._listening.sounds, []
        self.sound.smooth(wanted=self._session.far_engine is not None)
        for sound in sounds if self._listening.is_heard else ():
            self.sound.play(sound.samples, sound.rate_hz)
        if not self._listening.is_heard and self.sound.is_sounding:
            self.sound.stop()
        self._heard += 1
        if self._heard % SOUNDS_A_HEADLINE == 0:
            if self._shows_gaps():
                self._listening.find_clear()
            self._show_soon()


def _ends(text: str) -> tuple[float, float] | None:
    """Read `-110 to -60`; None for nothing; raises BadLevel."""
    if not text.strip():
        return None
    numbers = re.findall(r"[-\u2212]?\d+(?:\.\d+)?", text)
    ends = sorted(float(number.replace(MINUS, "-")) for number in numbers)
    if len(ends) != 2 or ends[1] - ends[0] < MIN_SCALE_DB:
        raise BadLevel(f"'{text.strip()}' are no two levels {MIN_SCALE_DB:g} dB or more apart: write -110 to -60")
    return ends[0], ends[1]


def _tick(text: str, tip: str) -> QCheckBox:
    box = QCheckBox(text)
    box.setAccessibleName(text)
    set_tip(box, tip)
    return box


def _db(level_db: float, places: int = 0) -> str:
    # Avoid a minus sign before zero.
    return f"{round(level_db, places) + 0.0:.{places}f}".replace("-", MINUS)


def _edge(hertz: float) -> str:
    scale, unit = (1e3, " kHz") if abs(hertz) >= 1e3 else (1.0, " Hz")
    return f"{hertz / scale:+.4g}{unit}".replace("-", MINUS)


def _stereo(pilot_db: float) -> str:
    """Stereo reception in words."""
    share = stereo_share(pilot_db)
    if share >= 1:
        return f"in stereo, its pilot {pilot_db:.0f} dB clear"
    if share > 0:
        return f"{share:.0%} stereo, its pilot only {pilot_db:.0f} dB clear"
    return "in mono, no stereo pilot"
