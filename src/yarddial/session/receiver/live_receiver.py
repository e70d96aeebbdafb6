"""The receiver as the session sees it: running or not, where it looks, the picture it draws."""

from collections.abc import Callable, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.jobs.lease import Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.messages import (
    Event,
    Noticed,
    Show,
    SpanSpectrum,
    SpectrogramColumns,
    Start,
    Started,
    Stop,
    Stopped,
    Tune,
    Tuned,
    TuneRefused,
)
from yarddial.session.listeners import Listener, Listeners
from yarddial.yard.line import Line

ROWS = 300
COLUMN_S = 0.1
# The picture's half spans, hertz: steps people can read.
DIAL_HALF_SPANS_HZ = (10.0, 30.0, 100.0, 300.0, 1_000.0, 3_000.0, 10_000.0, 30_000.0)
# While listening the centre stays as long as the dial lies so far from its spike, and within this share of the span.
OFF_SPIKE_HZ, CLEAN_SHARE = 3_000.0, 0.4
# A picture of more than this share of the span shows all around the centre.
WHOLE_SHARE = 0.25
# Columns that tell what stands there now.
RECENT = 20
# And so many are kept.
REMEMBERED_COLUMNS = 100


class DialColumns(msgspec.Struct, frozen=True):
    """New columns for the recorder: levels in dB relative to full scale, dial frequency rising along axis 1."""

    picture_id: int
    first: int
    half_span_hz: float
    column_s: float
    level_db: NDArray[np.float32]


class LiveReceiver:
    """Starts, stops and tunes the receiver; stale answers are dropped by their ids."""

    def __init__(self, jobs: Scheduler) -> None:
        self._jobs = jobs
        jobs.on_event(self.take)
        self._changed = Listeners()
        self._spectrogram_moved = Listeners()
        self._span_moved = Listeners()
        self._look: Tune | None = None
        self._look_lease: Lease | None = None
        # Each gain at its least, of the receiver looked with; and what the picture shows: place, half span, sense.
        self._least_db: dict[str, float] = {}
        self._pictured: tuple[object, ...] = ()
        self._show = Show(0, 3_000.0, ROWS, COLUMN_S)
        self._sense = 1
        # Of whoever listens: the job, and what the receiver was set to for it.
        self._listened: tuple[int, RequestedSettings] | None = None
        self._recent_half_hz = 0.0
        self._address = ""
        # Address of the recording that plays in the receiver's place; empty for the receiver itself.
        self.plays = ""
        # Why the receiver must stay off on a route, or an empty text; a linked transceiver has its say here.
        self.forbids: Callable[[Line], str] = lambda line: ""
        # What joins a simulated receiver to the made-up transceiver, as a part of its address.
        self.cable = ""
        self._is_guarded = False
        # Receiver and port for which a person said so; forgotten with the session.
        self._fed: set[tuple[str, str]] = set()
        self.wanted = False
        self.running = False
        self.is_looking = False
        self.device_name = ""
        self.trouble = ""
        # The kind of error that the trouble is, by its class's name; "no driver" where none is chosen.
        self.trouble_kind = ""
        self.lost_samples = self.missed_samples = 0
        self.remark = ""
        self.pictures_left_out = 0
        self.read_s = 0.0
        self.span: SpanSpectrum | None = None
        self.dial_columns: list[DialColumns] = []
        self._recent: list[NDArray[np.float32]] = []

    @property
    def half_span_hz(self) -> float:
        """Half of what the picture shows, hertz."""
        return self._show.half_span_hz

    @property
    def look(self) -> Tune | None:
        """Where the receiver was last asked to look."""
        return self._look

    def on_receiver_changed(self, listener: Listener) -> Callable[[], None]:
        """Started, stopped, tuned or refused."""
        return self._changed.add(listener)

    def on_spectrogram_moved(self, listener: Listener) -> Callable[[], None]:
        """New columns are in `pens`, or the picture began anew."""
        return self._spectrogram_moved.add(listener)

    def on_span_moved(self, listener: Listener) -> Callable[[], None]:
        """A new line of the whole span is in `span`."""
        return self._span_moved.add(listener)

    def start(self, line: Line) -> None:
        """Start the receiver of a route, and have it told where to look, since its process may be a new one."""
        self.wanted, self.trouble, self.trouble_kind, self._look = True, "", "", None
        self._open(line)
        self._jobs.look_again()
        self._changed.tell()

    def _open(self, line: Line) -> None:
        self._address = self._device_of(line)
        if line.missing or not self._address:
            self.wanted = False
            self.trouble = line.missing or f"no receiver is chosen for {line.receiver.name}: choose what it really is"
            self.trouble_kind = "" if line.missing else "no driver"
            self._jobs.command(Stop())
            return
        if why := self.forbids(line):
            self.refuse(why)
            return
        self._jobs.command(Start(self._address, self._feeds(line)))

    def refuse(self, why: str) -> None:
        """Stop, and say why it must stay off."""
        self.wanted, self.trouble, self.trouble_kind = False, why, "transmitter"
        self._jobs.command(Stop())
        self._changed.tell()

    def guard(self, on: bool) -> None:
        """Take every gain to its least while somebody transmits, and back."""
        if on == self._is_guarded:
            return
        self._is_guarded = on
        now = self._look
        if now is not None and self.wanted:
            self._send_look(msgspec.structs.replace(now, id=0, job=0), self._look_lease, anew=True, keeps=True)

    @property
    def is_guarded(self) -> bool:
        """True while its gains are at their least for the sake of a transmission."""
        return self._is_guarded

    def _feeds(self, line: Line) -> frozenset[str]:
        """Ports that may feed the line: those a person allowed in this session; simulated ones harm nobody."""
        receiver = line.receiver
        if receiver.device.startswith("simulated:"):
            return frozenset(port.name for port in receiver.ports)
        return frozenset(port for name, port in self._fed if name == receiver.name)

    def waits_to_feed(self, line: Line) -> bool:
        """True where the yard says that the receiver feeds the line, and nobody has allowed it yet."""
        is_live = bool(line.receiver.device) and not self.plays
        return is_live and line.receiver.feeds(line.port) and line.port not in self._feeds(line)

    def feed(self, line: Line) -> None:
        """Let a route's receiver feed its line from now on; it is started anew where it runs."""
        self._fed.add((line.receiver.name, line.port))
        if self.wanted:
            self.start(line)
        self._changed.tell()

    def play(self, address: str) -> None:
        """Take samples from a recording in the receiver's place, from the next start on; an empty text ends that."""
        self._jobs.end_for_stop("the receiver was stopped for a recording, or a recording ended")
        self.plays = address
        self.wanted = False
        self._jobs.command(Stop())
        self._changed.tell()

    def _device_of(self, line: Line) -> str:
        device = self.plays or line.receiver.device
        if not self.cable or not device.startswith("simulated:"):
            return device
        return f"{device}{'&' if '?' in device else '?'}{self.cable}"

    def stop(self) -> None:
        """Stop it; what is under way ends, whether the receiver still answers or not."""
        self._jobs.end_for_stop()
        self.wanted = False
        self._jobs.command(Stop())
        self._changed.tell()

    def tune(self, line: Line, dial_hz: float, half_width_hz: float, lease: Lease | None = None) -> None:
        """Look at a dial frequency, under a lease or where nobody has one; does nothing for whoever may not tune.

        Nothing is sent when that is where the receiver looks already.
        """
        line = line.at(dial_hz)
        self.look_with(line, ask_for(line), half_width_hz, lease)

    def look_with(
        self, line: Line, ask: RequestedSettings, half_width_hz: float, lease: Lease | None, *, anew: bool = False
    ) -> None:
        """Look at the middle of a slice with just these settings; `anew` even where it looks like that already."""
        if not self._jobs.may_tune(lease) or not self._device_of(line) or self._is_forbidden(line):
            return
        if self.wanted and self._device_of(line) != self._address:
            # The points have been set for another receiver.
            self._look = None
            self._open(line)
        self._sense = _sense(line)
        self._least_db = {stage.name: min(stage.steps_db) for stage in line.receiver.gain_stages}
        self._send_look(Tune(ask, line.counted_hz(line.dial_hz), half_width_hz), lease, anew=anew)

    def _is_forbidden(self, line: Line) -> bool:
        """A receiver that runs is stopped where the points are set for a route on which it must stay off."""
        if not self.wanted or not (why := self.forbids(line)):
            return False
        self.refuse(why)
        return True

    def _quiet(self, ask: RequestedSettings) -> RequestedSettings:
        """With every gain at its least."""
        gains_db = tuple((name, self._least_db.get(name, gain_db)) for name, gain_db in ask.gains_db)
        return msgspec.structs.replace(ask, gains_db=gains_db, automatic_gain=False)

    def _send_look(self, asked: Tune, lease: Lease | None, *, anew: bool = False, keeps: bool = False) -> None:
        """`keeps` : the picture goes on, as its place on the dial is the same."""
        now = self._look
        if not anew and now is not None and asked == msgspec.structs.replace(now, id=0, job=0):
            return
        self.is_looking = False
        if self.wanted:
            # Why it stopped stays said, wherever the dial is turned.
            self.trouble = ""
        sent = msgspec.structs.replace(asked, ask=self._quiet(asked.ask)) if self._is_guarded else asked
        number = self._jobs.send(sent, None) if lease is None else lease.ask(sent)
        self._look_lease = lease
        self._look = msgspec.structs.replace(asked, id=number, job=lease.id if lease is not None else 0)
        if not keeps:
            self._begin_picture()

    def listen(self, line: Line, dial_hz: float, chart_hz: float, half_hz: float, lease: Lease) -> float:
        """Draw half_hz around chart_hz of the dial; the receiver keeps its centre while the dial lies well in its span.

        Returns where the picture's middle really is on the dial: it does not reach beyond the span.
        """
        line = line.at(dial_hz)
        if not self._device_of(line) or not self._jobs.may_tune(lease) or self._is_forbidden(line):
            return chart_hz
        if self.wanted and self._device_of(line) != self._address:
            self._look = None
            self._open(line)
        rate_hz, counted_hz = line.receiver.rate_hz, line.counted_hz(dial_hz)
        now = self._parked_for(lease)
        wanted = ask_for(line)
        same = now is not None and msgspec.structs.replace(now, centre_hz=wanted.centre_hz) == wanted
        clean = now is not None and OFF_SPIKE_HZ < abs(counted_hz - now.centre_hz) < CLEAN_SHARE * rate_hz
        if now is None or not (same and clean):
            now = wanted
        self._sense = _sense(line)
        scale = self._sense / (1 + line.receiver.entered_ppm * 1e-6)
        room_hz = max(rate_hz / 2 - half_hz, 0.0) if half_hz < WHOLE_SHARE * rate_hz else 0.0
        look_hz = counted_hz + (chart_hz - dial_hz) * scale
        look_hz = min(max(look_hz, now.centre_hz - room_hz), now.centre_hz + room_hz)
        self._listened = (lease.id, now)
        self._least_db = {stage.name: min(stage.steps_db) for stage in line.receiver.gain_stages}
        middle_hz = dial_hz + (look_hz - counted_hz) / scale
        # A transceiver that was turned moves the IF under a picture that stays where it is on the dial.
        pictured = (line.name, self._address, round(middle_hz, 1), half_hz, self._sense, self._show.half_span_hz)
        keeps = line.rig_centre_hz is not None and pictured == self._pictured and self.is_looking
        self._pictured = pictured
        self._send_look(Tune(now, look_hz, half_hz), lease, keeps=keeps)
        return middle_hz

    def _parked_for(self, lease: Lease) -> RequestedSettings | None:
        """Where the centre was parked for whoever listens; else where it is parked for the dial."""
        if self._listened is not None and self._listened[0] == lease.id:
            return self._listened[1]
        return self._look.ask if self._look is not None and self._look.job == 0 and self.is_looking else None

    def recent(self) -> tuple[NDArray[np.float32], float]:
        """The picture's last columns averaged, dB, dial frequency rising; and the half span they show, hertz."""
        if not self._recent:
            return np.empty(0, np.float32), self.half_span_hz
        return np.mean(self._recent[-RECENT:], axis=0), self._recent_half_hz

    def recent_columns(self, most: int = REMEMBERED_COLUMNS) -> NDArray[np.float32]:
        """The last columns one by one, dB, shape (columns, rows), dial frequency rising; empty before the first."""
        return np.stack(self._recent[-most:]) if self._recent else np.empty((0, 0), np.float32)

    def show(self, half_span_hz: float) -> None:
        """Zoom the picture."""
        if half_span_hz == self._show.half_span_hz:
            return
        self._show = msgspec.structs.replace(self._show, half_span_hz=half_span_hz)
        self._begin_picture()

    def _begin_picture(self) -> None:
        self._show = msgspec.structs.replace(self._show, id=self._jobs.next_number())
        self._jobs.command(self._show)
        self.dial_columns, self._recent = [], []
        self._spectrogram_moved.tell()

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        match event:
            case Started():
                self.running, self.device_name = True, event.name
                self.lost_samples = self.missed_samples = self.pictures_left_out = 0
                self.remark = ""
            case Stopped():
                self.running, self.is_looking, self.span = False, False, None
                if event.reason:
                    self.wanted, self.trouble, self.trouble_kind = False, event.reason, event.error
            case Tuned() if self._look is not None and event.id == self._look.id:
                self.is_looking, self.trouble = True, ""
            case TuneRefused() if self._look is not None and event.id == self._look.id:
                self.is_looking, self.trouble = False, event.sentence
                if self._listened is not None and self._listened[0] == event.job:
                    self._listened = None
            case Noticed():
                self.lost_samples, self.missed_samples = event.lost, event.missed
                self.remark = event.remark or self.remark
                self.pictures_left_out += event.pictures_left_out
            case SpanSpectrum():
                self.span = event
                self._span_moved.tell()
                return
            case SpectrogramColumns() if event.id == self._show.id:
                self._take_columns(event)
                return
            case _:
                return
        self._changed.tell()

    def _take_columns(self, event: SpectrogramColumns) -> None:
        self.read_s = event.read_s
        level_db = event.level_db if self._sense > 0 else _turned(event.level_db)
        self.dial_columns.append(DialColumns(event.id, event.first, event.half_span_hz, event.column_s, level_db))
        self._recent = [*self._recent, *level_db][-REMEMBERED_COLUMNS:]
        self._recent_half_hz = event.half_span_hz
        # The widget takes what is new and keeps its own picture; a minute of columns is all that can be shown.
        if len(self.dial_columns) > 600:
            self.dial_columns = self.dial_columns[-600:]
        self._spectrogram_moved.tell()


def ask_for(line: Line) -> RequestedSettings:
    """What to ask of a route's receiver for the place it stands at: the centre parked beside it, in whole kilohertz."""
    receiver = line.receiver
    parked_hz = line.parked_hz(line.counted_hz(line.dial_hz), receiver.park_hz)
    centre_hz = parked_hz if receiver.fixed_centre_hz else round(parked_hz, -3)
    return RequestedSettings(
        centre_hz,
        receiver.rate_hz,
        line.port,
        receiver.bandwidth_hz,
        receiver.gains_db(),
        receiver.automatic_gain,
        receiver.feeds(line.port),
    )


def _turned(level_db: NDArray[np.float32]) -> NDArray[np.float32]:
    """Rows the other way round about the middle one, number n / 2 of n; the outermost has no counterpart."""
    turned = level_db[:, ::-1]
    return np.concatenate([turned[:, :1], turned[:, :-1]], axis=1)


def _sense(line: Line) -> int:
    sense = 1
    for stage in line.stages:
        sense *= stage.sense
    fold = line.fold(line.walk()[-1].out_hz)
    return sense if fold is None else sense * fold.sense


def next_half_span_hz(now_hz: float, steps: int, able_hz: Sequence[float]) -> float:
    """So many steps further out (+) or in (-) than the one nearest to what is shown, within what is able."""
    nearest = min(range(len(able_hz)), key=lambda i: abs(able_hz[i] - now_hz))
    return able_hz[min(max(nearest + steps, 0), len(able_hz) - 1)]
