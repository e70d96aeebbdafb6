"""Engine on another computer: sends commands, receives events, and reconnects after a broken link."""

import asyncio
import contextlib
import queue
import threading
import time
from collections import deque
from pathlib import Path

import msgspec

from yarddial.distance import wire
from yarddial.distance.far_audio import FarAudio, load_hearing
from yarddial.distance.far_check import CheckReceiver, CheckTold, EndCheck, FarCheck
from yarddial.distance.fetching import Fetching
from yarddial.distance.identity import KnownComputer
from yarddial.distance.knocking import FarRefused, FarUnreachable, knock
from yarddial.engine.commands import Command, Hear, Quit, RecordSamples, Start, Stop
from yarddial.engine.events import Event, Noticed, RecordingState, Sound, Started, Stopped
from yarddial.yard.errors import YardDialError
from yarddial.yard.fault_log import log_fault

# Intervals between acknowledgements and between attempts to reconnect.
SAYS_S, AGAIN_S = 0.1, 1.0
# After this time without a link, work there has ended.
GIVES_UP_S = 120.0
# Events that may wait in a window that does not poll; pictures and audio are dropped first.
MAX_WAITING, MAX_PICTURES = 20_000, 200
# Number of the newest stored recordings shown.
MAX_RECORDINGS = 200
# A larger command is refused.
MAX_COMMAND_BYTES = wire.MAX_ASKED - 100
# Maximum number of lost spectrogram columns filled with their neighbour.
MAX_FILLED = 50


class FarEngine:
    """Engine on one far computer. No method waits for it."""

    def __init__(self, computer: KnownComputer, own_name: str) -> None:
        self.computer = computer
        self._own_name = own_name
        self._events: queue.SimpleQueue[Event] = queue.SimpleQueue()
        self._asked: deque[wire.Asked] = deque()
        self._number = 0
        self._audio = FarAudio()
        self._session = ""
        self._check: FarCheck | None = None
        self._checks = 0
        self._heard = self._sent_number = 0
        self._writer: asyncio.StreamWriter | None = None
        self._got_bytes = 0
        self._echo = (0.0, 0.0)
        self._column = 0
        self._lock = threading.Lock()
        self._wakes: asyncio.Event | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._closing = False
        self._is_wanted = self._is_starting = self._is_stopping = False
        self._thread: threading.Thread | None = None
        # The far side's report about itself and its guests.
        self.welcome: wire.Welcome | None = None
        self.here: wire.Here | None = None
        self.far: wire.Far | None = None
        self.is_linked = False
        # Number of links made so far.
        self.links = 0
        self.turn_s = 0.0
        self.away_s = 0.0
        # Recordings made by this computer there, as last reported; and the one being transferred.
        self.recordings: tuple[wire.FarRecording, ...] | None = None
        self.fetching: Fetching | None = None

    # As the session has it

    def send(self, command: Command) -> None:
        """Send a command; it is kept until acknowledged, over any number of links."""
        if isinstance(command, Quit):
            return
        self.warm()
        with self._lock:
            match command:
                case Start():
                    self._is_wanted, self._is_starting, self._is_stopping = True, True, False
                case Stop():
                    # Its end is awaited.
                    self._is_starting = False
                    self._is_stopping = True
                case _:
                    pass
            if isinstance(command, Hear):
                self._audio.asked(command)
            if isinstance(command, RecordSamples) and len(wire.frame(wire.asked_of(command, 0, 0))) > MAX_COMMAND_BYTES:
                # If the list of known signals does not fit, record without it.
                command = msgspec.structs.replace(command, about={})
            self._ask(command)
        self._wake()

    def _ask(self, command: Command | CheckReceiver | EndCheck) -> None:
        self._number += 1
        self._asked.append(wire.asked_of(command, self._number, self._heard))

    def check(self, address: str, station: str, route: str) -> FarCheck:
        """Start First light there; one run at a time. station : contents of its file."""
        self.warm()
        with self._lock:
            self._checks += 1
            self._check = new_check = FarCheck(self._checks)
            self._ask(CheckReceiver(new_check.number, address, station, route))
        self._wake()
        return new_check

    def end_check(self, check: FarCheck) -> None:
        """Stop listening to a run of First light."""
        if not check.is_done:
            check.end("")
            with self._lock:
                self._ask(EndCheck(check.number))
            self._wake()

    def poll(self) -> list[Event]:
        """Events since the last call."""
        events: list[Event] = []
        while len(events) < 256:
            try:
                events.append(self._events.get_nowait())
            except queue.Empty:
                break
        return events

    def warm(self) -> None:
        """Connect in advance."""
        if self._thread is None and not self._closing:
            self._thread = threading.Thread(target=self._run, name="far engine", daemon=True)
            self._thread.start()

    def close(self) -> None:
        """Disconnect; work there ends after its time-out."""
        self._closing = True
        self._wake()
        if self._thread is not None:
            self._thread.join(2.0)

    def want_control(self, *, wanted: bool) -> None:
        """Ask for control, or give it up."""
        self._say(wire.WantControl(wanted))

    def list_recordings(self) -> None:
        """Request the list of recordings there."""
        self.warm()
        self._say(wire.ListRecordings())

    def fetch(self, name: str, target: Path) -> Fetching:
        """Transfer a recording, replacing a transfer in progress; continues over any number of links."""
        self.leave_fetching()
        self.fetching = fetching = Fetching(name, target)
        self.warm()
        if not fetching.is_done:
            self._say(wire.FetchRecording(name, fetching.have_bytes))
        return fetching

    def leave_fetching(self) -> None:
        """Stop the transfer; the received part is kept for a later one."""
        if self.fetching is not None and not self.fetching.is_done:
            self.fetching.give_up()
            self._say(wire.FetchRecording(""))

    def remove_recording(self, name: str) -> None:
        """Delete a recording there."""
        self._say(wire.RemoveRecording(name))

    def _say(self, message: wire.FromNear) -> None:
        loop = self._loop
        if loop is not None and self.is_linked:
            loop.call_soon_threadsafe(self._write, message)

    def _write(self, message: wire.FromNear) -> None:
        if self._writer is not None and not self._writer.is_closing():
            self._writer.write(wire.frame(message))

    def _wake(self) -> None:
        loop, wakes = self._loop, self._wakes
        if loop is not None and wakes is not None:
            with contextlib.suppress(RuntimeError):
                loop.call_soon_threadsafe(wakes.set)

    # The thread

    def _run(self) -> None:
        try:
            load_hearing()
            asyncio.run(self._keep_linked())
        except Exception as fault:
            log_fault("the link to a far computer failed", fault)
            self._events.put(Stopped(f"a fault of the program ({type(fault).__name__})"))

    async def _keep_linked(self) -> None:
        self._loop, self._wakes = asyncio.get_running_loop(), asyncio.Event()
        broke_s: float | None = None
        while not self._closing:
            try:
                hello = wire.Hello(
                    wire.WIRE_VERSION, self._own_name, self.computer.word, -1, self._session, self._heard
                )
                welcome, reader, writer = await knock(self.computer, hello)
            except (FarUnreachable, FarRefused, wire.BadFrame) as error:
                self._unreached(error, broke_s)
                if broke_s is None or isinstance(error, FarRefused):
                    broke_s = broke_s or time.monotonic()
                await self._pause(AGAIN_S)
                continue
            self._linked(welcome, broke_s)
            self.links += 1
            try:
                await self._converse(reader, writer)
            except (TimeoutError, OSError, asyncio.IncompleteReadError):
                pass
            except Exception as error:
                # Whatever a message does, it ends this link alone; the next one is tried.
                log_fault("what a far computer said", error)
            finally:
                self.is_linked = False
                writer.transport.abort()
            broke_s = time.monotonic()
            if not self._closing and self._is_wanted:
                self._events.put(Noticed(0, f"the link to {self.computer.name} broke: it is tried again"))

    async def _pause(self, seconds_s: float) -> None:
        assert self._wakes is not None
        until_s = time.monotonic() + seconds_s
        while not self._closing and time.monotonic() < until_s:
            await asyncio.sleep(0.05)

    def _unreached(self, error: YardDialError, broke_s: float | None) -> None:
        """Report an unreachable computer, and end the work that depended on it."""
        gone_s = time.monotonic() - broke_s if broke_s is not None else 0.0
        with self._lock:
            if not (self._is_wanted or (self._check is not None and not self._check.is_done)) or (
                broke_s is not None and gone_s < GIVES_UP_S and not isinstance(error, FarRefused)
            ):
                return
            self._is_wanted, self._session, self._heard = False, "", 0
            self._asked.clear()
            if self._check is not None:
                self._check.end(str(error))
        self._events.put(Stopped(str(error), error="DeviceNotFound"))

    def _linked(self, welcome: wire.Welcome, broke_s: float | None) -> None:
        self.away_s = time.monotonic() - broke_s if broke_s is not None else 0.0
        went_on = welcome.is_resumed and welcome.session == self._session
        with self._lock:
            if self._session and not went_on:
                self._forget_what_was_under_way()
            if not went_on:
                self._heard, self._number = 0, 0
                for place, asked in enumerate(self._asked, 1):
                    self._asked[place - 1] = msgspec.structs.replace(asked, number=place)
                self._number = len(self._asked)
            else:
                while self._asked and self._asked[0].number <= welcome.heard:
                    self._asked.popleft()
            self._session, self.welcome, self.is_linked, self._got_bytes = welcome.session, welcome, True, 0
            self._sent_number = welcome.heard if went_on else 0
        if went_on and broke_s is not None:
            self._events.put(Noticed(0, f"the link to {self.computer.name} was away for {self.away_s:.1f} s"))

    def _forget_what_was_under_way(self) -> None:
        """Forget work that has ended there; what was begun since the break stays."""
        begins = [place for place, asked in enumerate(self._asked) if asked.kind in ("Start", "CheckReceiver")]
        for _ in range(begins[0] if begins else len(self._asked)):
            self._asked.popleft()
        kinds = {asked.kind for asked in self._asked}
        lost = f"{self.computer.name} was away for {self.away_s:.0f} s and has let go of its work"
        if self._check is not None and "CheckReceiver" not in kinds:
            self._check.end(f"{lost}: check again")
        if self._is_wanted and "Start" not in kinds:
            self._is_wanted = False
            self._events.put(Stopped("" if self._is_stopping else f"{lost}: Space starts it"))
            self._is_stopping = False

    def cut(self) -> None:
        """Drop the link; it is remade automatically."""
        if self._loop is not None:
            with contextlib.suppress(RuntimeError):
                self._loop.call_soon_threadsafe(self._abort)

    def _abort(self) -> None:
        if self._writer is not None:
            self._writer.transport.abort()

    async def _converse(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        assert self._wakes is not None
        self._writer = writer
        fetching = self.fetching
        if fetching is not None and not fetching.is_done:
            self._write(wire.FetchRecording(fetching.name, fetching.have_bytes))
        if self.recordings is None:
            self._write(wire.ListRecordings())
        out = asyncio.create_task(self._send_on(writer))
        try:
            while not self._closing:
                head = await asyncio.wait_for(reader.readexactly(4), 15.0)
                body = await reader.readexactly(wire.length_of(head, wire.MAX_TOLD))
                self._got_bytes += 4 + len(body)
                self._take(wire.read_far(body))
        finally:
            out.cancel()

    async def _send_on(self, writer: asyncio.StreamWriter) -> None:
        """Commands at once, and ten times a second what has come."""
        assert self._wakes is not None
        with contextlib.suppress(OSError):
            await self._send_while_linked(writer, self._wakes)
        writer.transport.abort()

    async def _send_while_linked(self, writer: asyncio.StreamWriter, wakes: asyncio.Event) -> None:
        while not self._closing and not writer.is_closing():
            with self._lock:
                due = [asked for asked in self._asked if asked.number > self._sent_number]
                self._sent_number = max([self._sent_number, *(asked.number for asked in due)])
            for asked in due if not writer.is_closing() else ():
                writer.write(wire.frame(msgspec.structs.replace(asked, heard=self._heard)))
            now_s = time.monotonic()
            (sent_s, came_s), self._echo = self._echo, (0.0, 0.0)
            echo_s = sent_s + (now_s - came_s) if sent_s else 0.0
            writer.write(wire.frame(wire.Heard(self._heard, self._got_bytes, now_s, echo_s)))
            await writer.drain()
            with contextlib.suppress(asyncio.TimeoutError):
                await asyncio.wait_for(wakes.wait(), SAYS_S)
            wakes.clear()

    # What comes

    def _take(self, message: wire.FromFar) -> None:
        match message:
            case wire.ToldMessage():
                self._take_told(message)
            case wire.ColumnsMessage():
                self._take_columns(message)
            case wire.SpanMessage():
                self._put_picture(wire.spectrum_of(message))
            case wire.ChannelMessage():
                self._put_sound(self._audio.heard_channel(message))
            case wire.SoundMessage():
                self._put_sound(self._audio.heard_sound(message))
            case wire.Heard():
                # Exclude the time that a message waits here from the round trip.
                self._echo = (message.sent_s, time.monotonic())
                self.turn_s = time.monotonic() - message.echo_s if message.echo_s else self.turn_s
                with self._lock:
                    while self._asked and self._asked[0].number <= message.heard:
                        self._asked.popleft()
            case wire.Here():
                self.here = message
            case wire.Far():
                self.far = message
            case wire.RecordingsMessage():
                self.recordings = message.recordings[:MAX_RECORDINGS]
            case wire.PieceMessage() if self.fetching is not None:
                self.fetching.take(message)
            case _:
                pass

    def _take_told(self, message: wire.ToldMessage) -> None:
        """Process each event once, however often it arrives."""
        if message.number:
            if message.number <= self._heard:
                return
            self._heard = message.number
        event = wire.event_of(message)
        if isinstance(event, CheckTold):
            if self._check is not None:
                self._check.take(event)
            return
        match event:
            case Started():
                self._is_starting = self._is_stopping = False
            case Stopped(replaced=False) if event.reason or not self._is_starting:
                # A stop without a reason during a start answers an earlier command.
                self._is_wanted = self._is_starting = self._is_stopping = False
            case _:
                pass
        if isinstance(event, RecordingState):
            event = msgspec.structs.replace(event, far=self.computer.name)
        self._events.put(event)

    def _take_columns(self, message: wire.ColumnsMessage) -> None:
        """Fill columns left out by the link, so that the time axis stays true."""
        import numpy as np

        event = wire.picture_of(message, time.monotonic())
        missing = message.first - self._column
        if 0 < missing <= MAX_FILLED:
            filled = np.concatenate([np.repeat(event.level_db[:1], missing, axis=0), event.level_db])
            event = msgspec.structs.replace(event, first=self._column, level_db=filled)
        self._column = message.first + message.level.shape[0]
        self._put_picture(event)

    def _put_picture(self, event: Event) -> None:
        if self._events.qsize() < MAX_PICTURES:
            self._events.put(event)

    @property
    def lost_sound(self) -> int:
        """Number of lost samples of the channel, replaced by silence."""
        return self._audio.lost_samples

    @property
    def gaps_lately(self) -> int:
        """Number of audio gaps for lack of bandwidth within the last minute."""
        return self._audio.gaps_within(60.0)

    def _put_sound(self, sound: Sound | None) -> None:
        if sound is not None and self._events.qsize() < MAX_PICTURES:
            self._events.put(sound)
