"""The receiver as the session sees it: running or not, where it looks, the picture it draws."""

from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import Ask
from yarddial.session.engine.messages import (
    Columns,
    Event,
    Look,
    Looking,
    Noticed,
    Refused,
    Show,
    SpanLine,
    Start,
    Started,
    Stop,
    Stopped,
)
from yarddial.session.engine.process import EngineLink
from yarddial.session.listeners import Listener, Listeners
from yarddial.yard.line import Line

ROWS = 300
COLUMN_S = 0.1
# The picture's half spans, hertz: steps people can read.
HALF_SPANS_HZ = (10.0, 30.0, 100.0, 300.0, 1_000.0, 3_000.0, 10_000.0, 30_000.0)
# While listening the centre stays as long as the dial lies so far from its spike, and within this share of the span.
OFF_SPIKE_HZ, CLEAN_SHARE = 3_000.0, 0.4
# A picture of more than this share of the span shows all around the centre.
WHOLE_SHARE = 0.25
# Columns that tell what stands there now.
RECENT = 20


class Pen(msgspec.Struct, frozen=True):
    """New columns for the recorder: levels in dB relative to full scale, dial frequency rising along axis 1."""

    picture_id: int
    first: int
    half_span_hz: float
    column_s: float
    level_db: NDArray[np.float32]


class Reception:
    """Starts, stops and tunes the receiver; stale answers are dropped by their ids."""

    def __init__(self, engine: EngineLink) -> None:
        self._engine = engine
        self._changed = Listeners()
        self._pen_moved = Listeners()
        self._span_moved = Listeners()
        self._look: Look | None = None
        self._look_id = 0
        self._show = Show(0, 3_000.0, ROWS, COLUMN_S)
        self._sense = 1
        self._refused = False
        self._recent_half_hz = 0.0
        self._address = ""
        # Address of the recording that plays in the receiver's place; empty for the receiver itself.
        self.plays = ""
        self.wanted = False
        self.running = False
        self.is_looking = False
        self.device_name = ""
        self.trouble = ""
        self.lost_samples = 0
        self.remark = ""
        self.pictures_left_out = 0
        self.read_s = 0.0
        self.span: SpanLine | None = None
        self.pens: list[Pen] = []
        self._recent: list[NDArray[np.float32]] = []
        # Whoever alone may say where to look; None leaves it to the dial.
        self.held_by: object | None = None

    @property
    def half_span_hz(self) -> float:
        """Half of what the picture shows, hertz."""
        return self._show.half_span_hz

    @property
    def look(self) -> Look | None:
        """Where the receiver was last asked to look."""
        return self._look

    def on_receiver_changed(self, listener: Listener) -> Callable[[], None]:
        """Started, stopped, tuned or refused."""
        return self._changed.add(listener)

    def on_pen_moved(self, listener: Listener) -> Callable[[], None]:
        """New columns are in `pens`, or the picture began anew."""
        return self._pen_moved.add(listener)

    def on_span_moved(self, listener: Listener) -> Callable[[], None]:
        """A new line of the whole span is in `span`."""
        return self._span_moved.add(listener)

    def start(self, line: Line) -> None:
        """Start the receiver of a route; it must be told anew where to look, since its process may be a new one."""
        self.wanted, self.trouble, self._look = True, "", None
        self._open(line)
        self._changed.tell()

    def _open(self, line: Line) -> None:
        self._address = self._device_of(line)
        if line.missing or not self._address:
            self.wanted = False
            self.trouble = line.missing or (
                f"no driver is set for {line.receiver.name}: choose a route to another receiver, or play a recording"
            )
            self._engine.send(Stop())
            return
        self._engine.send(Start(self._address))

    def play(self, address: str) -> None:
        """Take samples from a recording in the receiver's place, from the next start on; an empty text ends that."""
        self.plays = address
        self.wanted = False
        self._engine.send(Stop())
        self._changed.tell()

    def _device_of(self, line: Line) -> str:
        return self.plays or line.receiver.device

    def stop(self) -> None:
        """Stop it."""
        self.wanted = False
        self._engine.send(Stop())
        self._changed.tell()

    def tune(self, line: Line, dial_hz: float, half_width_hz: float) -> None:
        """Look at a dial frequency; nothing is sent when that is where the receiver looks already."""
        line = line.at(dial_hz)
        if self.wanted and self._device_of(line) != self._address:
            # The points have been set for another receiver.
            self._look = None
            self._open(line)
        if not self._device_of(line):
            return
        asked = Look(self._look_id, ask_for(line), line.counted_hz(dial_hz), half_width_hz)
        if asked == self._look:
            return
        self._look_id += 1
        self._look = msgspec.structs.replace(asked, id=self._look_id)
        self._sense = _sense(line)
        self.is_looking = False
        self.trouble = ""
        self._engine.send(self._look)
        self._begin_picture()

    def look_with(self, line: Line, ask: Ask, half_width_hz: float) -> None:
        """Look at the middle of a slice with just these settings, for whoever alone may say so."""
        if self.wanted and self._device_of(line) != self._address:
            self._open(line)
        look_hz = line.counted_hz(line.dial_hz)
        self._look_id += 1
        self._look = Look(self._look_id, ask, look_hz, half_width_hz)
        self._sense = _sense(line)
        self.is_looking, self.trouble = False, ""
        self._engine.send(self._look)
        self._begin_picture()

    def listen(self, line: Line, dial_hz: float, chart_hz: float, half_hz: float) -> float:
        """Draw half_hz around chart_hz of the dial; the receiver keeps its centre while the dial lies well in its span.

        Returns where the picture's middle really is on the dial: it does not reach beyond the span.
        """
        line = line.at(dial_hz)
        if not self._device_of(line):
            return chart_hz
        if self.wanted and self._device_of(line) != self._address:
            self._look = None
            self._open(line)
        rate_hz, counted_hz = line.receiver.rate_hz, line.counted_hz(dial_hz)
        now = self._look.ask if self._look is not None else None
        gains_db = line.receiver.gains_db()
        same = now is not None and (now.rate_hz, now.port, now.gains_db) == (rate_hz, line.port, gains_db)
        stays = same and not self._refused
        if not (stays and now is not None and OFF_SPIKE_HZ < abs(counted_hz - now.centre_hz) < CLEAN_SHARE * rate_hz):
            now = ask_for(line)
        self._sense = _sense(line)
        scale = self._sense / (1 + line.receiver.entered_ppm * 1e-6)
        room_hz = max(rate_hz / 2 - half_hz, 0.0) if half_hz < WHOLE_SHARE * rate_hz else 0.0
        look_hz = counted_hz + (chart_hz - dial_hz) * scale
        look_hz = min(max(look_hz, now.centre_hz - room_hz), now.centre_hz + room_hz)
        asked = Look(self._look_id, now, look_hz, half_hz)
        if asked != self._look:
            self._look_id += 1
            self._look = msgspec.structs.replace(asked, id=self._look_id)
            self.is_looking, self.trouble = False, ""
            self._engine.send(self._look)
            self._begin_picture()
        return dial_hz + (look_hz - counted_hz) / scale

    def recent(self) -> tuple[NDArray[np.float32], float]:
        """The picture's last columns averaged, dB, dial frequency rising; and the half span they show, hertz."""
        if not self._recent:
            return np.empty(0, np.float32), self.half_span_hz
        return np.mean(self._recent, axis=0), self._recent_half_hz

    def show(self, half_span_hz: float) -> None:
        """Zoom the picture."""
        if half_span_hz == self._show.half_span_hz:
            return
        self._show = msgspec.structs.replace(self._show, half_span_hz=half_span_hz)
        self._begin_picture()

    def _begin_picture(self) -> None:
        self._show = msgspec.structs.replace(self._show, id=self._show.id + 1)
        self._engine.send(self._show)
        self.pens, self._recent = [], []
        self._pen_moved.tell()

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        match event:
            case Started():
                self.running, self.device_name = True, event.name
                self.lost_samples, self.remark, self.pictures_left_out = 0, "", 0
            case Stopped():
                self.running, self.is_looking, self.span = False, False, None
                if event.reason:
                    self.wanted, self.trouble = False, event.reason
            case Looking() if event.id == self._look_id:
                self.is_looking, self.trouble, self._refused = True, "", False
            case Refused() if event.id == self._look_id:
                self.is_looking, self.trouble, self._refused = False, event.sentence, True
            case Noticed():
                self.lost_samples = event.lost
                self.remark = event.remark or self.remark
                self.pictures_left_out += event.pictures_left_out
            case SpanLine():
                self.span = event
                self._span_moved.tell()
                return
            case Columns() if event.id == self._show.id:
                self._take_columns(event)
                return
            case _:
                return
        self._changed.tell()

    def _take_columns(self, event: Columns) -> None:
        self.read_s = event.read_s
        level_db = event.level_db if self._sense > 0 else event.level_db[:, ::-1]
        self.pens.append(Pen(event.id, event.first, event.half_span_hz, event.column_s, level_db))
        self._recent = [*self._recent, *level_db][-RECENT:]
        self._recent_half_hz = event.half_span_hz
        # The widget takes what is new and keeps its own picture; a minute of columns is all that can be shown.
        if len(self.pens) > 600:
            self.pens = self.pens[-600:]
        self._pen_moved.tell()


def ask_for(line: Line) -> Ask:
    """What to ask of a route's receiver for the place it stands at: the centre parked beside it, in whole kilohertz."""
    receiver = line.receiver
    centre_hz = round(line.parked_hz(line.counted_hz(line.dial_hz), receiver.park_hz), -3)
    return Ask(centre_hz, receiver.rate_hz, line.port, gains_db=receiver.gains_db())


def _sense(line: Line) -> int:
    sense = 1
    for stage in line.stages:
        sense *= stage.sense
    fold = line.fold(line.walk()[-1].out_hz)
    return sense if fold is None else sense * fold.sense
