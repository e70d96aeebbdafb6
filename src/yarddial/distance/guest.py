"""A served computer: its rights, awaited answers and acknowledgements, over any number of links."""

import asyncio
import secrets
from collections import deque
from collections.abc import Callable

import numpy as np

from yarddial.distance import wire
from yarddial.distance.coding import BITS, code_samples
from yarddial.distance.far_check import CheckTold
from yarddial.distance.identity import PairedComputer
from yarddial.distance.recording_shelf import MAX_PIECE, MIN_PIECE, PIECE_S, StoredRecording
from yarddial.distance.sound_sender import SoundSender
from yarddial.distance.thin_link import Kind, ThinLink
from yarddial.engine.events import (
    Alive,
    ChannelSamples,
    Event,
    Failed,
    JobFailed,
    SafeguardsSet,
    Sound,
    SpanSpectrum,
    SpectrogramColumns,
    Tuned,
    TuneRefused,
)
from yarddial.engine.tuning import Tuning
from yarddial.yard import clock

# Bits for each half of a channel's samples: with spare bandwidth, and normally; fewer on a crowded link.
PLENTY_BITS, USUAL_BITS = 10, 8
# Bandwidth besides audio, bits per second; limit of a thin link; block length there; longest queue.
BESIDE_BITS, THIN_BITS, GATHERS_S, WAITS_S = 14_000.0, 130_000.0, 0.1, 0.6
# Use more bits when the link carries this many times what is needed.
PLENTY_FACTOR = 3.0
# Interval between spectra of the whole span.
SPANS_S = 1.0
# Interval of acknowledgements without other messages.
TURNS_S = 1.0
# A guest's own numbers fit into this many bits.
OWN_BITS = 32
OWN_MASK = (1 << OWN_BITS) - 1
# Unacknowledged answers after which a guest is given up.
MAX_OWED = 4_000


class Guest:
    """Messages arrive in order, each answer once; unacknowledged ones are repeated on the next link."""

    def __init__(self, who: PairedComputer, number: int = 0) -> None:
        """number : unique among the guests of this server."""
        self.who, self.number = who, number
        self.session = secrets.token_hex(16)
        self.thin = ThinLink()
        self.heard_command = 0
        self.controls = False
        # True while it has asked for control.
        self.asks = False
        # Its jobs: engine numbers by its own numbers.
        self.jobs: dict[int, int] = {}
        # Since when its link is broken; None while connected.
        self.away_since_s: float | None = None
        # Its transport, to disconnect it.
        self.transport: asyncio.WriteTransport | None = None
        self.send_now: Callable[[], None] = lambda: None
        # Recording being transferred to it, and the next byte.
        self.fetches: StoredRecording | None = None
        self.fetched_bytes = 0
        self._number = 0
        self._owed: deque[wire.ToldMessage] = deque()
        self._left_out_samples = 0
        self._sound = SoundSender()
        self._gathered: list[ChannelSamples] = []
        self._span_s = self._turn_s = 0.0
        self._told_command = 0

    def engine_number(self, own: int) -> int:
        """Engine number of one of this guest's tunings, since two guests may use the same number."""
        return (self.number << OWN_BITS) | (own & OWN_MASK)

    def own_number(self, engine_number: int) -> int:
        """The guest's number for an engine number; -1 for another guest's."""
        return engine_number & OWN_MASK if engine_number >> OWN_BITS == self.number else -1

    @property
    def is_hopeless(self) -> bool:
        """True when more messages are unacknowledged than are kept."""
        return len(self._owed) > MAX_OWED

    def linked(self, heard: int) -> None:
        """Note a new link: unacknowledged messages are sent again."""
        self.away_since_s = None
        self.thin = ThinLink()
        self.fetches = None
        self.took(heard)
        for owed in self._owed:
            self._put("answer", owed)

    def took(self, heard: int) -> None:
        """Note what the guest has acknowledged."""
        while self._owed and self._owed[0].number <= heard:
            self._owed.popleft()

    def tell(self, event: Event) -> None:
        """Send an event that already has the guest's numbers."""
        match event:
            case Alive():
                return
            case SpectrogramColumns():
                self._put("picture", wire.columns_of(event))
            case SpanSpectrum():
                now_s = clock.monotonic_s()
                if now_s - self._span_s >= SPANS_S:
                    self._span_s = now_s
                    self._put("span", wire.span_of(event))
            case ChannelSamples():
                self._send_channel(event)
            case Sound():
                self._send_sound(event)
            case _:
                self.tell_once(event)

    def tell_once(self, event: Event | CheckTold) -> None:
        """Number a message and repeat it until acknowledged."""
        self._number += 1
        message = wire.told_of(event, self._number, self.heard_command)
        self._owed.append(message)
        if self.away_since_s is None:
            self._put("answer", message)

    def answer_turn(self, sent_s: float, now_s: float) -> None:
        """Acknowledge at intervals and echo the time, from which both sides learn the round trip."""
        if now_s - self._turn_s >= TURNS_S or self.heard_command != self._told_command:
            self._turn_s, self._told_command = now_s, self.heard_command
            self.say(wire.Heard(self.heard_command, 0, now_s, sent_s))

    def say(self, message: wire.FromFar) -> None:
        """Send a message that need not be repeated."""
        self._put("state", message)

    def fetch(self, stored: StoredRecording | None, from_bytes: int) -> None:
        """Transfer a recording beside everything else; None stops."""
        self.fetches, self.fetched_bytes = stored, max(from_bytes, 0)
        if stored is not None and not self.fetched_bytes < stored.whole_bytes:
            self.fetched_bytes = 0
        self.send_now()

    def fill_file(self) -> None:
        """Queue the next piece of a transfer when none is waiting."""
        stored = self.fetches
        if stored is None or self.thin.has("file"):
            return
        count = int(min(max(self.thin.bytes_a_second * PIECE_S, MIN_PIECE), MAX_PIECE))
        try:
            piece = stored.piece(self.fetched_bytes, count)
            self.fetched_bytes += len(piece.data)
        except OSError as error:
            piece = wire.PieceMessage(stored.name, 0, 0, 0, "", b"", f"it cannot be read there: {error.strerror}")
        if piece.why or not piece.data or self.fetched_bytes >= stored.whole_bytes:
            self.fetches = None
        data = wire.frame(piece)
        self.thin.put("file", data, len(data))

    def _send_channel(self, event: ChannelSamples) -> None:
        """Send a channel coded for the link's speed; count what finds no room and report it with the next block."""
        if self._gathered and (self._gathered[0].job, self._gathered[0].id) != (event.job, event.id):
            self._gathered.clear()
        self._gathered.append(event)
        count = sum(block.samples.size for block in self._gathered)
        carried = 8 * self.thin.bytes_a_second
        # On a thin link a block's header weighs as much as its samples, so send longer blocks.
        if carried < THIN_BITS and count < GATHERS_S * event.rate_hz:
            return
        parts = [block.samples for block in self._gathered]
        self._gathered.clear()
        samples = np.concatenate(parts) if len(parts) > 1 else parts[0]
        lost, self._left_out_samples = self._left_out_samples, 0
        coded = code_samples(samples, self._bits(2 * event.rate_hz, carried))
        message = wire.ChannelMessage(
            event.job, event.id, event.rate_hz, event.middle_hz, event.factor, lost, coded, event.tuning
        )
        # Half a second may wait, however long its blocks are.
        room = max(int(WAITS_S * event.rate_hz / samples.size), 2)
        if not self._put("sound", message, room):
            self._left_out_samples += int(samples.size)

    def _send_sound(self, event: Sound) -> None:
        """Send audio made here; count what finds no room."""
        lost, self._left_out_samples = self._left_out_samples, 0
        able = 0.0 if self.thin.is_crowded else 8 * self.thin.bytes_a_second - BESIDE_BITS
        message = self._sound.code(event, able, clock.monotonic_s() - self.thin.limited_s, lost)
        if message is None:
            self._left_out_samples = lost
        elif not self._put("sound", message):
            self._left_out_samples += message.samples.count

    def _bits(self, halves_a_second: float, carried: float) -> int:
        """Bits per half of a sample that the link can carry, with a reserve for everything else."""
        if self.thin.is_crowded:
            return BITS[0]
        share = PLENTY_FACTOR if carried > PLENTY_FACTOR * PLENTY_BITS * halves_a_second else 1.0
        able = [bits for bits in BITS if bits * halves_a_second * share + BESIDE_BITS <= carried]
        return min(max(able, default=BITS[0]), PLENTY_BITS if share > 1 else USUAL_BITS)

    def _put(self, kind: Kind, message: wire.FromFar, room: int = 0) -> bool:
        if self.away_since_s is not None:
            return True
        data = wire.frame(message)
        has_room = self.thin.put(kind, data, len(data), room)
        self.send_now()
        return has_room


def in_numbers_of(guest: Guest, event: Event) -> Event:
    """Replace the engine's numbers of tunings and settings by the guest's own."""
    import msgspec

    changes: dict[str, object] = {}
    tuning = getattr(event, "tuning", None)
    if isinstance(tuning, Tuning):
        changes["tuning"] = msgspec.structs.replace(tuning, id=guest.own_number(tuning.id))
    elif isinstance(tuning, int):
        changes["tuning"] = guest.own_number(tuning)
    if isinstance(event, Failed | JobFailed):
        # The traceback names files of this computer.
        changes["details"] = ""
    if isinstance(event, Tuned | TuneRefused | SafeguardsSet):
        changes["id"] = guest.own_number(event.id)
    return msgspec.structs.replace(event, **changes) if changes else event
