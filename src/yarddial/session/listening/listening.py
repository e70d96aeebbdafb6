"""Listen: what piece of the span is drawn, what is heard of it, how, and what is done to the samples first."""

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
from yarddial.yard.errors import BadLevel
from yarddial.yard.frequency import format_frequency
from yarddial.yard.level import Level, band_of, parse_level
from yarddial.yard.modes import mode_named
from yarddial.yard.parts import Value

# Half of what the picture shows, hertz, from a hertz a row to the whole span, which is bounded by the rate.
CHART_HALF_SPANS_HZ = (
    200.0, 500.0, 1e3, 2e3, 5e3, 1e4, 2e4, 5e4, 1e5, 2e5, 5e5, 1e6, 2e6, 5e6,
)  # fmt: skip
# The dial may wander over this part of the picture before the picture follows, and of the span before the centre does.
PICTURE_DIAL_SHARE, SPAN_DIAL_SHARE = 0.8, 0.4
# Of a level that a person states, dB.
STATED_SIGMA_DB = 1.0
# Lines of the span between two looks for ghosts: two seconds.
SPANS_A_SEARCH = 8
# Audio blocks kept for playback: two seconds.
MAX_KEPT = 64
LISTENING = JobKind("listening", "listen", "Listen", "Listen has the receiver", outlives=True)


class Listening(Job):
    """Holds how one listens; sends it to the engine while the place is open."""

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        note: Callable[[str], None],
        recorder: Recorder,
    ) -> None:
        self._desk, self._live_receiver, self._jobs = desk, live_receiver, jobs
        self.lease: Lease | None = None
        self._note = note
        self._changed, self._heard = Listeners(), Listeners()
        self._sent: tuple[object, ...] = ()
        self.settings = DEMODULATIONS["am"].settings()
        self.is_heard = True
        self.clean_up = CleanUp()
        self.evidence: CleanedUp | None = None
        self.half_span_hz = 1e4
        self.chart_hz = desk.station.dial_hz
        # Audio blocks that the player takes out, and how much was heard in all.
        self.sounds: list[Sound] = []
        self.heard_s = 0.0
        self.level_dbfs: float | None = None
        self.squelch_open = True
        self.pilot_db: float | None = None
        self._mode = ""
        self._is_muted = False
        self._last_second = LastSecond()
        self.lately_heard = LatelyHeard()
        # Places on the dial at which the receiver itself may show something, with what it is.
        self.ghosts: tuple[tuple[float, str], ...] = ()
        # Gaps in the picture, as last looked for.
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
        """Who has the receiver while Listen has to wait; empty while it listens."""
        if self.lease is None or not self.lease.waits:
            return ""
        owner = self._jobs.owner
        return owner.kind.label if owner is not None else ""

    def on_listening_changed(self, listener: Listener) -> Callable[[], None]:
        """What is heard or drawn, or the evidence, changed."""
        return self._changed.add(listener)

    def on_heard(self, listener: Listener) -> Callable[[], None]:
        """New sound is in `sounds`, and the level is new."""
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
        """The receiver was started, or another job has ended: the engine knows nothing of what is heard."""
        self._sent = ()
        self._send()

    def stepped_back(self) -> None:
        """Another job has the receiver: silence until it is given back; the place stays open."""
        if self.lease is not None:
            self._jobs.stop_requests(self.lease)
        self.level_dbfs, self.sounds = None, []
        self._changed.tell()

    def close(self) -> None:
        """The place is left: silence, untouched samples, and the picture is True's again."""
        self.recorder.stop_recording_sound()
        self.recorder.stop_recording_samples()
        if self.lease is not None:
            self.lease.end()

    def ended(self, ending: Ending) -> None:
        """Nothing is heard any more."""
        self.lease = None
        self.level_dbfs, self.sounds = None, []
        self._changed.tell()

    # How one listens

    def choose_demodulation(self, demodulation: Demodulation) -> None:
        """Hear it another way, with that way's usual edges."""
        self.settings = self._carried_over(demodulation)
        mode = DEMODULATIONS[demodulation].mode
        if mode != self._desk.station.mode:
            self._mode = mode
            self._desk.choose_mode(mode)
        self._make_room()
        self._send()

    def set_edges(self, low_hz: float, high_hz: float) -> None:
        """Drag the filter's edges; they keep a tenth of the usual width, and stay within three times of it."""
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
        """Close a little above what the channel has now, or leave it open."""
        level = self.level_dbfs
        self.change(squelch_dbfs=round(level + 3.0, 1) if wanted and level is not None else None)

    def mute(self, on: bool) -> None:
        """Mute during a transmission: no audio is played, stored or remembered."""
        if on != self._is_muted:
            self._is_muted, self.sounds, self.level_dbfs = on, [], None
            self._changed.tell()

    @property
    def is_muted(self) -> bool:
        """True while nothing is heard for the sake of a transmission."""
        return self._is_muted

    def demodulation_at_dial(self) -> Demodulation:
        """How the dial is heard, or would be."""
        mode, dial_hz = mode_named(self._desk.station.mode).key, self._desk.station.dial_hz
        able = demodulations_of(mode, dial_hz)
        return self.settings.demodulation if self.is_open and self.settings.demodulation in able else able[0]

    def follow_rig(self, demodulation: Demodulation, edges_hz: tuple[float, float] | None) -> None:
        """Hear as a transceiver hears; its pass-band where it says that."""
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
        """Take out the spike or mirrors, or exchange the halves, or leave it."""
        self.clean_up = msgspec.structs.replace(self.clean_up, **values)
        self.evidence = None
        self._send()

    def level(self) -> tuple[Level, float] | None:
        """What arrives at the receiver's socket in the channel, with its sigma in dB; None before a calibration."""
        route = self._desk.route
        offset = route.receiver.level_offset(route.port) if not route.missing else None
        if offset is None or self.level_dbfs is None:
            return None
        return Level(self.level_dbfs + offset.value, band_of(self._desk.station.dial_hz)), offset.sigma

    def calibrate(self, text: str) -> None:
        """State what arrives at the receiver's socket in the channel now: `-73 dBm`, `50 uV`, `S9`; uncertainty 1 dB.

        Raises BadLevel for what is no level, or while nothing is heard.
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
        """Put the dial on a place of the picture, rounded to what a pointer can tell there."""
        row_hz = 2 * self.half_span_hz / 400
        digits = -int(np.floor(np.log10(max(row_hz, 0.1))))
        self._desk.dial(round(dial_hz, digits))

    def step(self, steps: int) -> None:
        """Move the dial by the mode's step, onto its raster."""
        step_hz = self._usual(self.settings.demodulation).step_hz
        dial_hz = self._desk.station.dial_hz
        place = dial_hz / step_hz
        # From beside the raster the first step goes onto it.
        start = np.floor(place + 1e-9) if steps > 0 else np.ceil(place - 1e-9)
        self._desk.dial(float((start + steps) * step_hz))

    def zoom(self, steps: float) -> None:
        """See more (+) or less (-): a whole step doubles or halves it, parts of a step are parts of that."""
        max_edge_hz = 0.5 * self._desk.route.receiver.rate_hz
        self.half_span_hz = min(max(self.half_span_hz * 2.0**steps, CHART_HALF_SPANS_HZ[0]), max_edge_hz)
        self.chart_hz = self._desk.station.dial_hz
        self._send()

    def show_range(self, low_hz: float, high_hz: float) -> str:
        """Show a range of the dial; returns a sentence where the sample rate does not take in all of it, else ""."""
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
        """Look for gaps of the picture that are as wide as the channel; they are in `clear`."""
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
        """Dial a place of `lately_heard`, heard as it was then."""
        dial_hz, demodulation = self.lately_heard.places[index]
        self._desk.dial(dial_hz)
        self.choose_demodulation(demodulation)

    def snap_to_raster(self) -> float:
        """Put the dial on the nearest channel of the band's raster; returns its spacing."""
        dial_hz = self._desk.station.dial_hz
        demodulation, region = self.settings.demodulation, self._desk.station.region
        self._desk.dial(on_raster(dial_hz, demodulation, region))
        return raster_at(dial_hz, demodulation, region)

    def snap(self) -> bool:
        """Put the dial on the strongest line near it, from the last seconds of the picture; False where none stands."""
        level_db, half_hz = self._live_receiver.picture.recent()
        found_hz = carrier_near(level_db, half_hz, self._desk.station.dial_hz - self.chart_hz)
        if found_hz is None:
            return False
        self._desk.dial(round(self.chart_hz + found_hz, 1))
        return True

    def centre_hz(self) -> float | None:
        """The span's centre on the dial, where its spike stands; None until the receiver is known to be tuned."""
        tuning, route, dial_hz = self._live_receiver.tuning, self._desk.route, self._desk.station.dial_hz
        if tuning is None or route.why_not(dial_hz):
            return None
        return route.at(dial_hz).dial_of(tuning.centre_hz, dial_hz)

    def _check_spurious(self, span: SpanSpectrum) -> None:
        """From the whole span's line, now and then: where mirrors and leaks are to be expected."""
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
        """How far the channel's power stands over what the noise beside it would give; None while that is not known."""
        width_hz = self.settings.width_hz
        floor_dbfs_hz = noise_density_dbfs_hz(self._live_receiver.picture, width_hz)
        if self.level_dbfs is None or floor_dbfs_hz is None:
            return None
        return float(self.level_dbfs - floor_dbfs_hz - 10 * np.log10(width_hz))

    # What the engine and the desk say

    def take(self, event: Event) -> None:
        """Take an answer from the engine, or hear that the receiver stopped."""
        match event:
            case Sound() if self._is_muted:
                pass
            case Sound():
                self._record_sound(event)
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

    def _span_moved(self) -> None:
        if self.is_open and self._live_receiver.picture.span is not None:
            self._check_spurious(self._live_receiver.picture.span)

    def _record_sound(self, sound: Sound) -> None:
        """In memory for the tone, and in the file where one is kept."""
        place = (self._desk.station.dial_hz, self.settings.demodulation)
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
        return usual(demodulation, self._desk.station.dial_hz, self._desk.station.region)

    def _carried_over(self, demodulation: Demodulation) -> DemodulationSettings:
        """Another way's usual edges; squelch, gain control and noise reduction stay."""
        carried = {key: getattr(self.settings, key) for key in ("squelch_dbfs", "gain_control", "noise_reduction")}
        return msgspec.structs.replace(self._usual(demodulation).settings(), **carried)

    def _make_room(self) -> None:
        """Show the whole of a channel that is wider than the picture, and as much again beside it."""
        half_hz = max(abs(self.settings.low_hz), abs(self.settings.high_hz))
        if self.half_span_hz < half_hz:
            max_hz = 0.5 * self._desk.route.receiver.rate_hz
            self.half_span_hz = min(next(span for span in CHART_HALF_SPANS_HZ if span >= 2 * half_hz), max_hz)
            self.chart_hz = self._desk.station.dial_hz

    def _send(self) -> None:
        """Tell the receiver where to look and the engine what to hear; what is known already is not sent again."""
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
