"""Listen: part of the span that is drawn, demodulation of the channel, and clean-up of the samples."""

from collections.abc import Callable

import msgspec
import numpy as np

from yarddial.engine.commands import Clean, CleanUp, Hear
from yarddial.engine.events import CleanedUp, Event, Sound, SpanSpectrum, Stopped
from yarddial.engine.jobs.lease import Ending, Job, Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.listening.heard_and_seen import LastSecond, carrier_near, noise_density_dbfs_hz
from yarddial.session.listening.lately_heard import LatelyHeard
from yarddial.session.listening.recorder import Recorder
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard.demodulation import (
    DEMODULATIONS,
    Demodulation,
    DemodulationDefaults,
    DemodulationSettings,
    demodulations_of,
    on_raster,
    raster_at,
    turned,
    usual,
)
from yarddial.yard.dial_sentence import DialWish
from yarddial.yard.errors import BadLevel
from yarddial.yard.frequency import format_frequency
from yarddial.yard.left_off import HeardPlace, LeftOff
from yarddial.yard.level import Level, band_of, parse_level
from yarddial.yard.modes import mode_named
from yarddial.yard.parts import Value

# Selectable half spans of the picture, hertz, from one hertz per row to the whole span.
CHART_HALF_SPANS_HZ = (
    200.0, 500.0, 1e3, 2e3, 5e3, 1e4, 2e4, 5e4, 1e5, 2e5, 5e5, 1e6, 2e6, 5e6,
)  # fmt: skip
# The picture follows when the dial leaves this share of it.
PICTURE_DIAL_SHARE = 0.8
# Uncertainty of a level stated by a person, dB.
STATED_SIGMA_DB = 1.0
# Spectra of the span between two searches for spurious signals: two seconds.
SPANS_A_SEARCH = 8
# Maximum number of audio blocks kept for playback: two seconds.
MAX_KEPT = 64
LISTENING = JobKind("listening", "listen", "Listen", "Listen has the receiver", outlives=True)


class Listening(Job):
    """Holds the listening settings and sends them to the engine while the place is open."""

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        note: Callable[[str], None],
        recorder: Recorder,
        left_off: LeftOff | None = None,
    ) -> None:
        """left_off : how one listened in the last session."""
        self._desk, self._live_receiver, self._jobs = desk, live_receiver, jobs
        left_off = left_off or LeftOff()
        self.lease: Lease | None = None
        self._note = note
        self._changed, self._heard = Listeners(), Listeners()
        self._sent: tuple[object, ...] = ()
        self.settings = left_off.settings or DEMODULATIONS["am"].settings()
        self.is_heard = True
        self.clean_up = CleanUp()
        self.evidence: CleanedUp | None = None
        self.half_span_hz = left_off.half_span_hz or 1e4
        self.chart_hz = desk.station.dial_hz
        # Audio blocks for the player, and the total heard.
        self.sounds: list[Sound] = []
        self.heard_s = 0.0
        self.level_dbfs: float | None = None
        self.squelch_open = True
        self.pilot_db: float | None = None
        self._mode = left_off.mode
        self._is_muted = False
        self._last_second = LastSecond()
        self.lately_heard = LatelyHeard(left_off.heard)
        # Dial frequencies of expected spurious signals, with their kinds.
        self.ghosts: tuple[tuple[float, str], ...] = ()
        # Gaps in the picture, as last found.
        self.clear: tuple[tuple[float, float], ...] = ()
        self._spans = 0
        self.recorder = recorder
        desk.on_dial_changed(self._dial_moved)
        desk.on_yard_changed(self._dial_moved)
        live_receiver.on_receiver_changed(self._receiver_changed)
        live_receiver.picture.on_span_moved(self._span_moved)

    @property
    def is_open(self) -> bool:
        """True while the Listen place is open."""
        return self.lease is not None

    @property
    def waits_for(self) -> str:
        """Job that Listen has to wait for; empty while it listens."""
        if self.lease is None or not self.lease.waits:
            return ""
        owner = self._jobs.owner
        return owner.kind.label if owner is not None else ""

    def on_listening_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for changes of settings, picture or evidence."""
        return self._changed.add(listener)

    def on_heard(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new audio in `sounds` and a new level."""
        return self._heard.add(listener)

    def open(self) -> None:
        """Open the Listen place: picture and audio follow it from now on."""
        if self.lease is not None:
            return
        lease = self._jobs.request(LISTENING, self)
        if not isinstance(lease, Lease):
            return
        self.lease, self._sent = lease, ()
        self.chart_hz = self._desk.station.dial_hz
        self._follow_mode()
        self._send()

    def resumed(self) -> None:
        """Send all settings again, after a start of the receiver or the end of another job."""
        self._sent = ()
        self._send()

    def stepped_back(self) -> None:
        """Go silent while another job has the receiver; the place stays open."""
        if self.lease is not None:
            self._jobs.stop_requests(self.lease)
        self.level_dbfs, self.sounds = None, []
        self._changed.tell()

    def close(self) -> None:
        """Close the place: silence, no clean-up, and the picture for True again."""
        self.recorder.stop_recording_sound()
        self.recorder.stop_recording_samples()
        self.recorder.end_sound()
        if self.lease is not None:
            self.lease.end()

    def ended(self, ending: Ending) -> None:
        """Nothing is heard any more."""
        self.lease = None
        self.level_dbfs, self.sounds = None, []
        self._changed.tell()

    # How one listens

    def choose_demodulation(self, demodulation: Demodulation) -> None:
        """Choose a demodulation with its usual edges."""
        self.settings = self._carried_over(demodulation)
        mode = DEMODULATIONS[demodulation].mode
        if mode != self._desk.station.mode:
            self._mode = mode
            self._desk.choose_mode(mode)
        self._make_room()
        self._send()

    def obey(self, wish: DialWish) -> None:
        """Set the dial, the mode and the demodulation as typed."""
        if wish.dial_hz is not None:
            self._desk.dial_typed(wish.dial_hz)
        if wish.mode:
            self._desk.choose_mode(wish.mode)
        if wish.demodulation is not None:
            self.choose_demodulation(wish.demodulation)

    def set_edges(self, low_hz: float, high_hz: float) -> None:
        """Set the filter edges, limited to between a tenth and three times the usual width."""
        usual = self._usual(self.settings.demodulation)
        min_width_hz, max_edge_hz = usual.width_hz / 10, 3 * max(abs(usual.low_hz), abs(usual.high_hz))
        low_hz, high_hz = max(low_hz, -max_edge_hz), min(high_hz, max_edge_hz)
        if high_hz - low_hz >= min_width_hz:
            self.settings = msgspec.structs.replace(self.settings, low_hz=round(low_hz, -1), high_hz=round(high_hz, -1))
            self._send()

    def change(self, **values: object) -> None:
        """Change squelch, gain control, noise reduction or de-emphasis."""
        self.settings = msgspec.structs.replace(self.settings, **values)
        self._send()

    def squelch_here(self, wanted: bool) -> None:
        """Set the squelch slightly above the channel's present level, or open it."""
        level = self.level_dbfs
        self.change(squelch_dbfs=round(level + 3.0, 1) if wanted and level is not None else None)

    def mute(self, on: bool) -> None:
        """Mute during a transmission: no audio is played, stored or remembered."""
        if on != self._is_muted:
            self._is_muted, self.sounds, self.level_dbfs = on, [], None
            self._changed.tell()

    @property
    def is_muted(self) -> bool:
        """True while muted for a transmission."""
        return self._is_muted

    def demodulation_at_dial(self) -> Demodulation:
        """Demodulation at the dial, present or usual."""
        mode, dial_hz = mode_named(self._desk.station.mode).key, self._desk.station.dial_hz
        able = demodulations_of(mode, dial_hz)
        return self.settings.demodulation if self.is_open and self.settings.demodulation in able else able[0]

    def follow_rig(self, demodulation: Demodulation, edges_hz: tuple[float, float] | None) -> None:
        """Follow a transceiver's mode, and its pass band where reported."""
        self._mode = self._desk.station.mode
        if demodulation != self.settings.demodulation:
            self.settings = self._carried_over(demodulation)
        if edges_hz is not None:
            self.settings = msgspec.structs.replace(self.settings, low_hz=edges_hz[0], high_hz=edges_hz[1])
        self._make_room()
        self._send()

    def hear(self, wanted: bool) -> None:
        """Turn audio on or off; the level is reported either way."""
        self.is_heard = wanted
        self._changed.tell()

    def clean(self, **values: bool) -> None:
        """Set the removal of spike and mirrors, and the exchange of I and Q."""
        self.clean_up = msgspec.structs.replace(self.clean_up, **values)
        self.evidence = None
        self._send()

    def level(self) -> tuple[Level, float] | None:
        """Level at the receiver's socket in the channel, with its sigma in dB; None before a calibration."""
        route = self._desk.route
        offset = route.receiver.level_offset(route.port) if not route.missing else None
        if offset is None or self.level_dbfs is None:
            return None
        return Level(self.level_dbfs + offset.value, band_of(self._desk.station.dial_hz)), offset.sigma

    def calibrate(self, text: str) -> None:
        """State the channel's present level at the receiver's socket: `-73 dBm`, `50 uV`, `S9`; uncertainty 1 dB.

        Raises BadLevel for an invalid level, or while nothing is heard.
        """
        from yarddial.session.station.building import today

        route, dial_hz = self._desk.route, self._desk.station.dial_hz
        stated = parse_level(text, band_of(dial_hz))
        if self.level_dbfs is None:
            raise BadLevel("nothing is heard now: start the receiver, then state what arrives")
        name = f"stated as {text.strip()} at {format_frequency(dial_hz)}"
        offset = Value(stated.dbm - self.level_dbfs, STATED_SIGMA_DB, "measured", today(), name)
        self._desk.edit(
            "level calibration", self._desk.station.with_part(route.receiver.calibrated(route.port, offset))
        )
        self._note(f"Level of {route.receiver.name} at port {route.port or 'its socket'} {name}")
        self._changed.tell()

    def tone(self) -> tuple[float, float] | None:
        """Strongest tone in the last second of audio with its sigma, hertz; None without one."""
        return self._last_second.strongest_tone()

    # Where one looks and listens

    def tune(self, dial_hz: float) -> None:
        """Put the dial on a frequency of the picture, rounded to the pointer's resolution."""
        row_hz = 2 * self.half_span_hz / 400
        digits = -int(np.floor(np.log10(max(row_hz, 0.1))))
        self._desk.dial(round(dial_hz, digits))

    def step(self, steps: int) -> None:
        """Move the dial by the mode's step, onto its raster."""
        step_hz = self._usual(self.settings.demodulation).step_hz
        dial_hz = self._desk.station.dial_hz
        place = dial_hz / step_hz
        # From off the raster the first step goes onto it.
        start = np.floor(place + 1e-9) if steps > 0 else np.ceil(place - 1e-9)
        self._desk.dial(float((start + steps) * step_hz))

    def zoom(self, steps: float) -> None:
        """Widen (+) or narrow (-) the picture: a whole step doubles or halves it."""
        max_edge_hz = 0.5 * self._desk.route.receiver.rate_hz
        self.half_span_hz = min(max(self.half_span_hz * 2.0**steps, CHART_HALF_SPANS_HZ[0]), max_edge_hz)
        self.chart_hz = self._desk.station.dial_hz
        self._send()

    def show_range(self, low_hz: float, high_hz: float) -> str:
        """Show a range of the dial; return a sentence where the sample rate does not cover all of it, else an empty
        text.
        """
        middle_hz, half_hz = (low_hz + high_hz) / 2, (high_hz - low_hz) / 2
        if abs(self._desk.station.dial_hz - middle_hz) > PICTURE_DIAL_SHARE * half_hz:
            self._desk.dial(middle_hz)
        rate_hz = self._desk.route.receiver.rate_hz
        self.half_span_hz = max(min(half_hz, 0.5 * rate_hz), CHART_HALF_SPANS_HZ[0])
        self.chart_hz = middle_hz
        self._send()
        if half_hz <= 0.45 * rate_hz:
            return ""
        return f"That is wider than {rate_hz / 1e6:g} MS/s show: its middle is shown; Span has higher rates"

    def find_clear(self) -> None:
        """Search the picture for gaps as wide as the channel; the result is in `clear`."""
        from yarddial.session.listening.clear_place import gaps_of

        self.clear = gaps_of(self._live_receiver.picture, self.chart_hz, self.settings.width_hz)

    def next_clear(self, direction: int) -> str:
        """Dial the next clear gap up (+1) or down (-1); return a sentence without one, else an empty text."""
        from yarddial.dsp.clear_places import next_clear
        from yarddial.session.listening.clear_place import why_no_gap

        self.find_clear()
        if not self.clear:
            return why_no_gap(self._live_receiver.picture, self.settings.width_hz)
        edges_hz = (self.settings.low_hz, self.settings.high_hz)
        step_hz = self._usual(self.settings.demodulation).step_hz
        found_hz = next_clear(self.clear, self._desk.station.dial_hz, edges_hz, direction, step_hz)
        if found_hz is None:
            return f"no further gap {'above' if direction > 0 else 'below'} in the picture: see more of the band"
        self._desk.dial(found_hz)
        return ""

    def go_back(self, index: int) -> None:
        """Return to an entry of `lately_heard`, with its demodulation and filter."""
        place = self.lately_heard.places[index]
        self._desk.dial(place.dial_hz)
        self.choose_demodulation(place.settings.demodulation)
        self.set_edges(place.settings.low_hz, place.settings.high_hz)

    def left_off(self) -> LeftOff:
        """How one listens now, for the next session."""
        return LeftOff("", self._mode, self.settings, self.half_span_hz, self.lately_heard.places)

    def snap_to_raster(self) -> float:
        """Put the dial on the nearest channel of the band's raster; return its spacing."""
        dial_hz = self._desk.station.dial_hz
        demodulation, region = self.settings.demodulation, self._desk.station.region
        self._desk.dial(on_raster(dial_hz, demodulation, region))
        return raster_at(dial_hz, demodulation, region)

    @property
    def is_without_channels(self) -> bool:
        """True in an amateur band, whose users keep to no channels."""
        station = self._desk.station
        return any(b.kind == "amateur" and b.low_hz <= station.dial_hz <= b.high_hz for b in station.bands)

    def snap(self) -> bool:
        """Put the dial on the strongest line near it in the last seconds of the picture; False without one."""
        level_db, half_hz = self._live_receiver.picture.recent()
        found_hz = carrier_near(level_db, half_hz, self._desk.station.dial_hz - self.chart_hz)
        if found_hz is None:
            return False
        self._desk.dial(round(self.chart_hz + found_hz, 1))
        return True

    def centre_hz(self) -> float | None:
        """Dial frequency of the span's centre and its spike; None until the receiver's tuning is known."""
        tuning, route, dial_hz = self._live_receiver.tuning, self._desk.route, self._desk.station.dial_hz
        if tuning is None or route.why_not(dial_hz):
            return None
        return route.at(dial_hz).dial_of(tuning.centre_hz, dial_hz)

    def _check_spurious(self, span: SpanSpectrum) -> None:
        """Update the expected spurious signals from the span's spectrum at intervals."""
        self._spans += 1
        route, dial_hz = self._desk.route, self._desk.station.dial_hz
        if self._spans % SPANS_A_SEARCH != 1 or route.why_not(dial_hz):
            return
        from yarddial.session.listening.expected_spurious import expected_spurious

        measured_db = self.evidence.mirrors_before_db if self.evidence is not None else None
        if self.clean_up.mirrors and self.evidence is not None:
            measured_db = self.evidence.mirrors_after_db or measured_db
        self.ghosts = expected_spurious(span, route.at(dial_hz), dial_hz, measured_db)
        self._changed.tell()

    def over_floor_db(self) -> float | None:
        """Level of the channel over the expected noise in it; None while unknown."""
        width_hz = self.settings.width_hz
        floor_dbfs_hz = noise_density_dbfs_hz(self._live_receiver.picture, width_hz)
        if self.level_dbfs is None or floor_dbfs_hz is None:
            return None
        return float(self.level_dbfs - floor_dbfs_hz - 10 * np.log10(width_hz))

    # What the engine and the desk say

    def take(self, event: Event) -> None:
        """Process an answer from the engine, or a stop of the receiver."""
        match event:
            case Sound() if self._is_muted:
                pass
            case Sound():
                self._record_sound(event)
                # A recording that plays is heard in the receiver's place; what is recorded goes on.
                if self.recorder.player is None:
                    self.sounds = [*self.sounds[-MAX_KEPT:], event]
                self.heard_s += len(event.samples) / event.rate_hz
                self.level_dbfs, self.squelch_open, self.pilot_db = event.level_dbfs, event.is_open, event.pilot_db
                self._heard.tell()
            case CleanedUp():
                self.evidence = event
                self._changed.tell()
            case Stopped():
                self.level_dbfs, self.evidence, self.ghosts = None, None, ()
                self._changed.tell()
            case _:
                pass

    def poll(self) -> None:
        """Give out what is due of a sound recording that plays."""
        for sound in self.recorder.sound_due():
            self.sounds = [*self.sounds[-MAX_KEPT:], sound]
            self._heard.tell()

    def _span_moved(self) -> None:
        if self.is_open and self._live_receiver.picture.span is not None:
            self._check_spurious(self._live_receiver.picture.span)

    def _record_sound(self, sound: Sound) -> None:
        """Store audio for the tone, and in the file where one is open."""
        place = HeardPlace(self._desk.station.dial_hz, self.settings)
        if self.lately_heard.heard(place, len(sound.samples) / sound.rate_hz):
            self._changed.tell()
        self._last_second.push(sound.samples)
        self.recorder.hear(sound.samples)

    def _dial_moved(self) -> None:
        if not self.is_open:
            return
        self.lately_heard.moved()
        self._follow_mode()
        if abs(self._desk.station.dial_hz - self.chart_hz) > PICTURE_DIAL_SHARE * self.half_span_hz:
            self.chart_hz = self._desk.station.dial_hz
        self._send()

    def _receiver_changed(self) -> None:
        if self.is_open:
            self._changed.tell()

    def _follow_mode(self) -> None:
        """Choose the demodulation for the dial's mode, unless the present one serves it."""
        mode = self._desk.station.mode
        if mode != self._mode:
            self._mode = mode
            able = demodulations_of(mode_named(mode).key, self._desk.station.dial_hz)
            if self.settings.demodulation not in able:
                self.settings = self._usual(able[0]).settings()
                self._make_room()

    def _usual(self, demodulation: Demodulation) -> DemodulationDefaults:
        """Usual settings of a demodulation at the dial, in the station's region."""
        station = self._desk.station
        return usual(demodulation, station.dial_hz, station.region, station.deemphasis_us)

    def _carried_over(self, demodulation: Demodulation) -> DemodulationSettings:
        """Usual edges of another demodulation; squelch, gain control and noise reduction stay."""
        carried = {key: getattr(self.settings, key) for key in ("squelch_dbfs", "gain_control", "noise_reduction")}
        return msgspec.structs.replace(self._usual(demodulation).settings(), **carried)

    def _make_room(self) -> None:
        """Widen the picture when the channel is wider, to twice the channel."""
        half_hz = max(abs(self.settings.low_hz), abs(self.settings.high_hz))
        if self.half_span_hz < half_hz:
            max_hz = 0.5 * self._desk.route.receiver.rate_hz
            self.half_span_hz = min(next(span for span in CHART_HALF_SPANS_HZ if span >= 2 * half_hz), max_hz)
            self.chart_hz = self._desk.station.dial_hz

    def _send(self) -> None:
        """Send changed settings to the receiver and the engine."""
        lease = self.lease
        if lease is None or lease.waits:
            return
        desk = self._desk
        route, dial_hz = desk.route.at(desk.station.dial_hz), desk.station.dial_hz
        if not route.why_not(dial_hz):
            half_hz = min(self.half_span_hz, 0.45 * route.receiver.rate_hz)
            self.chart_hz = self._live_receiver.tuner.listen(route, dial_hz, self.chart_hz, half_hz, lease)
            self._live_receiver.picture.show(self.half_span_hz)
            wanted = (route.counted_hz(dial_hz), turned(self.settings, route), self.clean_up)
            if wanted != self._sent:
                self._sent = wanted
                self._last_second.clear()
                lease.ask(Clean(self.clean_up))
                lease.ask(Hear(wanted[0], wanted[1]))
        self._changed.tell()
