"""Serves receivers to paired computers: one guest controls, others listen to channels of their own."""

import asyncio
import contextlib
import itertools
import time
from collections.abc import Callable, Coroutine
from pathlib import Path

from yarddial.distance import far_computer, wire
from yarddial.distance.door import Door, read_body
from yarddial.distance.far_check import CheckReceiver, EndCheck
from yarddial.distance.guest import Guest, in_numbers_of
from yarddial.distance.guest_work import BeginCheck, GuestWork
from yarddial.distance.identity import Identity, PairedComputer
from yarddial.distance.recording_shelf import RecordingShelf
from yarddial.drivers.protocol import Capabilities, FoundReceiver
from yarddial.engine.commands import Cancel, Command, Hear, Stop
from yarddial.engine.events import Answer, Event, Noticed, Started, Stopped
from yarddial.engine.link import EngineLink

POLLS_S, STATE_S = 0.01, 5.0
# Time to wait for a guest whose link broke, before its work ends.
WAITS_S = 120.0
# A revoked guest is disconnected within this time.
REVOKED_S = 0.5
# Maximum number of slow requests (recordings, receivers) at a time.
MAX_ERRANDS = 16
# A guest must acknowledge at least this often.
SILENT_S = 15.0


class Server:
    """The engine, its guests, and the door, in one event loop."""

    def __init__(
        self,
        identity: Identity,
        engine: EngineLink,
        receivers: Callable[[], tuple[tuple[str, FoundReceiver], ...]],
        capabilities: Callable[[str], tuple[Capabilities | None, str]],
        recordings: Path,
        name: str,
        check: BeginCheck | None = None,
    ) -> None:
        self._identity, self._engine, self._receivers = identity, engine, receivers
        self._capabilities, self._shelf, self._name = capabilities, RecordingShelf(recordings), name
        self.door = Door(identity, name, self._welcome, self._entertain)
        self.work = GuestWork(engine, self._shelf, check)
        self.guests: dict[str, Guest] = {}
        # Slow requests of guests in progress.
        self._errands: set[asyncio.Task[None]] = set()
        self._lost = 0
        self._numbers = itertools.count(1)
        self._checked_s = 0.0

    async def serve(self) -> None:
        """Until it is cancelled: pass on what the engine says."""
        state_s = 0.0
        try:
            while True:
                self.work.poll()
                for event in self._engine.poll():
                    self._pass_on(event)
                    # Let the sender run, so that a burst does not look like a full link.
                    await asyncio.sleep(0)
                now_s = time.monotonic()
                self._check_guests(now_s)
                if now_s - state_s > STATE_S:
                    state_s = now_s
                    self._tell_state()
                await asyncio.sleep(POLLS_S)
        finally:
            self.work.close()

    async def _welcome(self, who: PairedComputer, hello: wire.Hello, writer: asyncio.StreamWriter) -> Guest:
        guest = self.guests.get(hello.session)
        is_resumed = guest is not None and guest.who.word_print == who.word_print
        if guest is None or not is_resumed:
            for former in [
                candidate for candidate in self.guests.values() if candidate.who.word_print == who.word_print
            ]:
                if former.away_since_s is not None:
                    # The computer restarted: nobody will resume its former session.
                    self._let_go(former)
            guest = Guest(who, next(self._numbers))
            self.guests[guest.session] = guest
        guest.who = who
        self.work.offered = receivers = await asyncio.to_thread(self._receivers)
        answer = wire.Welcome(
            wire.WIRE_VERSION, self._name, who.role, guest.session, is_resumed, guest.heard_command, receivers
        )
        writer.write(wire.frame(answer))
        await writer.drain()
        guest.linked(hello.heard if is_resumed else 0)
        if who.role == "control" and not any(other.controls for other in self.guests.values()):
            guest.controls = True
        if not is_resumed and self.work.started is not None and not guest.controls:
            guest.tell(self.work.started)
        self._tell_who()
        return guest

    async def _entertain(self, guest: Guest, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Its link stands: what it says is done, what is owed to it goes out as the link carries it."""
        wakes = asyncio.Event()
        guest.send_now, guest.transport = wakes.set, writer.transport
        wakes.set()
        out = asyncio.create_task(self._send_on(guest, writer, wakes))
        mine = guest.thin
        try:
            while guest.session in self.guests and guest.thin is mine:
                body = await asyncio.wait_for(read_body(reader, wire.MAX_ASKED), SILENT_S)
                self._hear(guest, wire.read_near(body))
                wakes.set()
        finally:
            out.cancel()
            if guest.thin is mine:
                guest.away_since_s, guest.transport = time.monotonic(), None
                self._tell_who()

    async def _send_on(self, guest: Guest, writer: asyncio.StreamWriter, wakes: asyncio.Event) -> None:
        with contextlib.suppress(OSError):
            while True:
                await wakes.wait()
                wakes.clear()
                if writer.is_closing():
                    return
                guest.fill_file()
                while (leaving := guest.thin.next_out(time.monotonic())) is not None:
                    writer.write(leaving.message)
                    guest.fill_file()
                    await writer.drain()

    def _hear(self, guest: Guest, message: wire.FromNear) -> None:
        match message:
            case wire.Heard():
                guest.took(message.heard)
                now_s = time.monotonic()
                turn_s = now_s - message.echo_s if message.echo_s else 0.0
                guest.thin.came(now_s, message.got_bytes, turn_s)
                guest.answer_turn(message.sent_s, now_s)
            case wire.Asked():
                guest.took(message.heard)
                if message.number <= guest.heard_command:
                    # Repeated after a broken link: done already.
                    return
                guest.heard_command = message.number
                self._do(guest, wire.command_of(message))
            case wire.WantControl():
                self._hand_over(guest, wanted=message.wanted)
            case wire.TellCapabilities():
                self._run(self._tell_able(guest, message.address))
            case wire.ListRecordings():
                self._run(self._tell_recordings(guest))
            case wire.FetchRecording():
                guest.fetch(None, 0)
                if message.name:
                    self._run(self._begin_fetch(guest, message))
            case wire.RemoveRecording():
                self._run(self._remove_recording(guest, message.name))
            case wire.Hello():
                raise wire.BadFrame("a second greeting")

    def _run(self, errand: Coroutine[None, None, None]) -> None:
        """Run a slow request of a guest; refuse more than a few at a time."""
        if len(self._errands) >= MAX_ERRANDS:
            errand.close()
            return
        task = asyncio.create_task(errand)
        self._errands.add(task)
        task.add_done_callback(self._errands.discard)

    async def _tell_recordings(self, guest: Guest) -> None:
        guest.say(wire.RecordingsMessage(await asyncio.to_thread(self._shelf.all_of, guest.who)))

    async def _begin_fetch(self, guest: Guest, asked: wire.FetchRecording) -> None:
        try:
            stored = await asyncio.to_thread(self._shelf.stored, guest.who, asked.name)
            why = "there is no such recording there any more"
        except OSError as error:
            stored, why = None, f"it cannot be read there: {error.strerror}"
        if stored is not None:
            guest.fetch(stored, asked.have_bytes)
        else:
            guest.say(wire.PieceMessage(asked.name, 0, 0, 0, "", b"", why))

    async def _remove_recording(self, guest: Guest, name: str) -> None:
        if guest.fetches is not None and guest.fetches.name == name:
            guest.fetch(None, 0)
        with contextlib.suppress(OSError):
            await asyncio.to_thread(self._shelf.remove, guest.who, name)
        await self._tell_recordings(guest)

    def _hand_over(self, guest: Guest, *, wanted: bool) -> None:
        """Give control to a guest that asks when nobody present has it; otherwise notify the holder.

        A holder that hands over gives it to the one who asked.
        """
        guest.asks = False
        if not wanted:
            asking = next(
                (
                    other_guest
                    for other_guest in self.guests.values()
                    if other_guest.asks and other_guest.away_since_s is None
                ),
                None,
            )
            if guest.controls and asking is not None:
                asking.controls, asking.asks = True, False
            guest.controls = False
        elif guest.who.role == "control":
            holder = next(
                (
                    other_guest
                    for other_guest in self.guests.values()
                    if other_guest.controls and other_guest is not guest
                ),
                None,
            )
            if holder is None or holder.away_since_s is not None:
                if holder is not None:
                    holder.controls = False
                guest.controls = True
            else:
                guest.asks = not guest.controls
                wants = f"{guest.who.name} asks for control of the receiver: hand it over or not"
                holder.tell(Noticed(self._lost, wants))
        self._tell_who()

    async def _tell_able(self, guest: Guest, address: str) -> None:
        if address not in {offered for offered, _ in self.work.offered}:
            guest.say(wire.AbleMessage(address, None, "the far computer offers no such receiver"))
            return
        able, why = await asyncio.to_thread(self._capabilities, address)
        guest.say(wire.AbleMessage(address, able, why))

    def _do(self, guest: Guest, command: Command | CheckReceiver | EndCheck) -> None:
        """Execute a guest's command, or answer why it may not."""
        if guest.controls or isinstance(command, Hear | Cancel | EndCheck):
            self.work.do(guest, command)
            return
        holder = next((other_guest.who.name for other_guest in self.guests.values() if other_guest.controls), "nobody")
        self.work.refuse(guest, command, f"{holder} controls the receiver: ask for control")

    # The engine

    def _pass_on(self, event: Event) -> None:
        """Pass an answer to its owner, and everything else to all."""
        match event:
            case Started():
                self.work.started = event
            case Stopped() if not event.replaced:
                self.work.started = None
            case Noticed():
                self._lost = event.lost
            case _:
                pass
        if isinstance(event, Answer) and event.job:
            self.work.answer(event)
            return
        for guest in self.guests.values():
            guest.tell(in_numbers_of(guest, event))

    def _check_guests(self, now_s: float) -> None:
        """Give up guests that do not come back, and end their work."""
        for guest in list(self.guests.values()):
            away_s = now_s - guest.away_since_s if guest.away_since_s is not None else 0.0
            if away_s > WAITS_S or guest.is_hopeless:
                self._let_go(guest)
        if self.guests and now_s - self._checked_s > REVOKED_S:
            self._checked_s = now_s
            # By identity, never by name; and with the rights of now.
            still = {paired_guest.word_print: paired_guest for paired_guest in self._identity.paired()}
            for guest in list(self.guests.values()):
                now = still.get(guest.who.word_print)
                if now is None:
                    self._let_go(guest)
                elif now != guest.who:
                    guest.who = now
                    guest.controls = guest.controls and now.role == "control"
                    self._tell_who()

    def _let_go(self, guest: Guest) -> None:
        self.guests.pop(guest.session, None)
        self.work.end_all_of(guest)
        if guest.transport is not None:
            guest.transport.abort()
        if not self.guests:
            self._engine.send(Stop())
        self._tell_who()

    def _tell_who(self) -> None:
        guests = list(self.guests.values())
        people = tuple((present.who.name, present.who.role, present.controls) for present in guests)
        asks = next((present.who.name for present in guests if present.asks), "")
        for place, guest in enumerate(guests):
            guest.say(wire.Here(people, place, asks))

    def _tell_state(self) -> None:
        if self.guests:
            free_gb = far_computer.free_gb(self._shelf.folder.parent)
            self.work.spare_disk(free_gb)
            message = wire.Far(far_computer.load(), far_computer.temperature_c(), free_gb, self._lost)
            for guest in self.guests.values():
                guest.say(message)
