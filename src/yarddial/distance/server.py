"""Serves receivers to paired computers: TLS 1.3 alone, nobody is told anything before it is known who it is.

One guest controls, others listen to channels of their own. What a guest says is data: no path, name or command of it is
used here; which receivers may be started, whether a line is fed, and where recordings lie is this computer's own.
"""

import asyncio
import contextlib
import ssl
import time
from collections.abc import Callable, Coroutine
from pathlib import Path

import msgspec

from yarddial.distance import far_computer, wire
from yarddial.distance.far_check import MOST_STATION, CheckReceiver, CheckRun, CheckTold, EndCheck
from yarddial.distance.guest import Guest, renumbered
from yarddial.distance.identity import Identity, PairedComputer, Role
from yarddial.distance.pairing_code import PairingCode, new_code
from yarddial.distance.recording_shelf import LEAST_FREE_GB, RecordingShelf
from yarddial.drivers.protocol import Capabilities, FoundReceiver
from yarddial.engine.link import EngineLink
from yarddial.engine.messages import (
    Answer,
    Cancel,
    Clean,
    Command,
    Event,
    Follow,
    Hear,
    Measure,
    Noticed,
    NotMeasured,
    Quit,
    RecordingState,
    RecordSamples,
    Request,
    SendChannel,
    Show,
    Start,
    Started,
    Stop,
    Stopped,
    Sweep,
    SweepDone,
    Tune,
    TuneRefused,
)
from yarddial.yard.errors import YardDialError
from yarddial.yard.fault_log import log_fault

POLLS_S, STATE_S = 0.01, 5.0
# Who has not said who it is by then goes; so many may stand at the door at a time.
DOOR_S, MOST_AT_DOOR = 5.0, 20
# Wrong words and codes cost time, ever more of it, and a code is void after so many.
WRONG_S, MOST_WRONG_S, CODE_TRIES, CODE_LASTS_S = 0.5, 8.0, 20, 600.0
# A guest whose link broke is waited for; nothing of its work ends before.
WAITS_S = 120.0
# One that is revoked is gone within this.
REVOKED_S = 2.0
# A guest that has been told things says at least so often that they came.
SILENT_S = 15.0


class Server:
    """The engine, its guests, and the door. Everything runs in one event loop."""

    def __init__(
        self,
        identity: Identity,
        engine: EngineLink,
        receivers: Callable[[], tuple[tuple[str, FoundReceiver], ...]],
        capabilities: Callable[[str], tuple[Capabilities | None, str]],
        recordings: Path,
        name: str,
        check: Callable[[str, str, str], CheckRun] | None = None,
    ) -> None:
        """`check` begins First light: an address that is offered, a station's file as text, one of its routes."""
        # The run under way, whose it is, and its number there.
        self._check, self._checks = check, _RunningChecks()
        self._identity, self._engine, self._receivers = identity, engine, receivers
        self._capabilities, self._shelf, self._name = capabilities, RecordingShelf(recordings), name
        self._guests: dict[str, Guest] = {}
        # Whose a job of the engine's is, and by which number.
        self._jobs: dict[int, tuple[Guest, int]] = {}
        self._job_number = 0
        # Those of them that record.
        self._records: set[int] = set()
        self._at_door = 0
        self._wrong: dict[str, int] = {}
        self._code: tuple[PairingCode, Role, float] | None = None
        self._code_tries = 0
        # What may be started, as last looked for; and work for guests that takes a while.
        self._offered: tuple[tuple[str, FoundReceiver], ...] = ()
        self._errands: set[asyncio.Task[None]] = set()
        self._started: Started | None = None
        self._lost = 0
        self._looked_s = 0.0
        self.accepted = self.refused = 0
        self.on_paired: Callable[[str], None] = lambda name: None

    # The door

    def offer_pairing(self, role: Role) -> str:
        """A code that one computer may come with, once, for ten minutes."""
        code = new_code(self._identity.certificate)
        self._code, self._code_tries = (code, role, time.monotonic()), 0
        return code.text

    def context(self) -> ssl.SSLContext:
        """TLS 1.3 and nothing below it."""
        made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        made.minimum_version = ssl.TLSVersion.TLSv1_3
        made.load_cert_chain(self._identity.certificate_path, self._identity.key_path)
        made.num_tickets = 0
        return made

    async def listen(self, host: str, port: int) -> asyncio.Server:
        """Open the door."""
        return await asyncio.start_server(
            self._come, host, port, ssl=self.context(), ssl_handshake_timeout=DOOR_S, limit=1 << 16
        )

    async def serve(self) -> None:
        """Until it is cancelled: pass on what the engine says."""
        state_s = 0.0
        try:
            while True:
                self._checks.poll()
                for event in self._engine.poll():
                    self._pass_on(event)
                    # Whoever sends has its turn, so that a burst does not pass for a link that is full.
                    await asyncio.sleep(0)
                now_s = time.monotonic()
                self._look_after(now_s)
                if now_s - state_s > STATE_S:
                    state_s = now_s
                    self._tell_state()
                await asyncio.sleep(POLLS_S)
        finally:
            self._checks.end(None)
            self._engine.close()

    async def _come(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Somebody stands at the door."""
        if self._at_door >= MOST_AT_DOOR:
            writer.transport.abort()
            return
        self._at_door += 1
        guest: Guest | None = None
        try:
            try:
                guest = await asyncio.wait_for(self._greet(reader, writer), DOOR_S + MOST_WRONG_S)
            finally:
                self._at_door -= 1
            if guest is not None:
                await self._entertain(guest, reader, writer)
        except (TimeoutError, wire.BadFrame, OSError, asyncio.IncompleteReadError, ssl.SSLError):
            pass
        except asyncio.CancelledError:
            raise
        except Exception as fault:
            log_fault("serving a guest failed", fault)
        finally:
            writer.transport.abort()

    async def _greet(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> Guest | None:
        """Who is it? Nothing is told before that is known; a wrong word or code costs time."""
        hello = wire.read_near(await asyncio.wait_for(_body(reader, wire.MOST_HELLO), DOOR_S))
        if not isinstance(hello, wire.Hello):
            return None
        place = str((writer.get_extra_info("peername") or ("",))[0])
        if hello.version != wire.VERSION:
            older = "older" if hello.version < wire.VERSION else "newer"
            sentence = f"your program is {older} than the one on the far computer: bring both to the same version"
            await self._refuse(writer, sentence)
            return None
        who, word = self._known(hello)
        if who is None:
            self.refused += 1
            self._wrong[place] = wrong = min(self._wrong.get(place, 0) + 1, 10)
            await asyncio.sleep(min(WRONG_S * 2.0 ** (wrong - 1), MOST_WRONG_S))
            await self._refuse(writer, "not known here, or the code is wrong, used or too old: ask for a new one")
            return None
        self._wrong.pop(place, None)
        self.accepted += 1
        if word:
            # It knows the way now, and comes again by it.
            writer.write(wire.frame(wire.Welcome(wire.VERSION, self._name, who.role, "", False, 0, (), word)))
            await writer.drain()
            return None
        return await self._welcome(who, hello, writer)

    def _known(self, hello: wire.Hello) -> tuple[PairedComputer | None, str]:
        """The paired computer, and its word where it was paired just now."""
        if hello.word:
            return self._identity.who_comes_with(hello.word), ""
        if self._code is None or hello.secret < 0:
            return None, ""
        code, role, made_s = self._code
        self._code_tries += 1
        if hello.secret != code.secret or time.monotonic() - made_s > CODE_LASTS_S:
            if self._code_tries >= CODE_TRIES:
                self._code = None
            return None, ""
        self._code = None
        name = _plain_name(hello.name)
        word = self._identity.pair(name, role)
        self.on_paired(name)
        return self._identity.who_comes_with(word), word

    async def _welcome(self, who: PairedComputer, hello: wire.Hello, writer: asyncio.StreamWriter) -> Guest:
        guest = self._guests.get(hello.session)
        is_resumed = guest is not None and guest.who.name == who.name
        if guest is None or not is_resumed:
            for former in [one for one in self._guests.values() if one.who.name == who.name]:
                if former.away_since_s is not None:
                    # The same computer began anew: nobody comes back to what it left.
                    self._let_go(former)
            guest = Guest(who)
            self._guests[guest.session] = guest
        guest.who = who
        self._offered = receivers = await asyncio.to_thread(self._receivers)
        answer = wire.Welcome(
            wire.VERSION, self._name, who.role, guest.session, is_resumed, guest.heard_command, receivers
        )
        writer.write(wire.frame(answer))
        await writer.drain()
        guest.linked(hello.heard if is_resumed else 0)
        if who.role == "control" and not any(other.controls for other in self._guests.values()):
            guest.controls = True
        if not is_resumed and self._started is not None and not guest.controls:
            guest.tell(self._started)
        self._tell_who()
        return guest

    async def _refuse(self, writer: asyncio.StreamWriter, sentence: str) -> None:
        with contextlib.suppress(OSError):
            writer.write(wire.frame(wire.Refused(sentence)))
            await writer.drain()

    # A guest

    async def _entertain(self, guest: Guest, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Its link stands: what it says is done, what is owed to it goes out as the link carries it."""
        wakes = asyncio.Event()
        guest.send_now, guest.transport = wakes.set, writer.transport
        wakes.set()
        out = asyncio.create_task(self._send_on(guest, writer, wakes))
        mine = guest.thin
        try:
            while guest.session in self._guests and guest.thin is mine:
                body = await asyncio.wait_for(_body(reader, wire.MOST_ASKED), SILENT_S)
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
                    # Told again after a link broke: done already.
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
        """What takes a while for a guest."""
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
        """Whoever asks and may, gets it where nobody has it or the one who has it is away; else the one is told.

        One that is handed over goes to who has asked for it.
        """
        guest.asks = False
        if not wanted:
            asking = next((one for one in self._guests.values() if one.asks and one.away_since_s is None), None)
            if guest.controls and asking is not None:
                asking.controls, asking.asks = True, False
            guest.controls = False
        elif guest.who.role == "control":
            holder = next((one for one in self._guests.values() if one.controls and one is not guest), None)
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
        if address not in {offered for offered, _ in self._offered}:
            guest.say(wire.AbleMessage(address, None, "the far computer offers no such receiver"))
            return
        able, why = await asyncio.to_thread(self._capabilities, address)
        guest.say(wire.AbleMessage(address, able, why))

    def _begin_check(self, guest: Guest, asked: CheckReceiver) -> None:
        """First light here: the receiver is left by everybody for it."""
        why = ""
        if asked.address not in {address for address, _ in self._offered} or self._check is None:
            why = "the far computer offers no such receiver: choose another"
        elif self._checks.is_running:
            why = "another check runs there: wait until it is over"
        elif len(asked.station) > MOST_STATION:
            why = "the yard is too large to be sent for a check: check it there, with 'yard-dial check'"
        run: CheckRun | None = None
        if not why and self._check is not None:
            self._engine.send(Stop())
            try:
                run = self._check(asked.address, asked.station, asked.route)
            except YardDialError as error:
                why = f"the yard that was sent cannot be read there: {error}"
        if run is None:
            guest.tell_once(CheckTold(asked.number, (), is_done=True, why=why))
        else:
            self._checks.begin(guest, asked.number, run)

    def _do(self, guest: Guest, command: Command | CheckReceiver | EndCheck) -> None:
        """What it may; the rest is answered with why not."""
        if not guest.controls and not isinstance(command, Hear | Cancel):
            self._refuse_command(guest, command)
            return
        match command:
            case CheckReceiver():
                self._begin_check(guest, command)
            case EndCheck():
                self._checks.end(guest)
            case Quit():
                return
            case Start():
                self._start(guest, command)
            case Cancel():
                if command.job in guest.jobs:
                    self._engine.send(Cancel(guest.jobs[command.job]))
            case Stop() | Show():
                self._engine.send(command)
            case Hear() if command.settings.way != "wfm":
                heard = SendChannel(command.hear_hz, command.settings, job=self._job(guest, command), id=command.id)
                self._engine.send(heard)
            case RecordSamples():
                self._record(guest, command)
            case Tune() | Measure() | Follow() | Hear() | SendChannel() | Clean() | Sweep():
                self._send_numbered(guest, command)

    def _record(self, guest: Guest, command: RecordSamples) -> None:
        """Under a name of this computer's, as long as there is room."""
        free_gb = far_computer.free_gb(self._shelf.folder.parent)
        try:
            path = self._shelf.new_path(guest.who)
        except OSError as error:
            why = f"the far computer cannot write: {error.strerror}"
        else:
            why = f"the disk there has {free_gb:.1f} GB left: make room" if 0 <= free_gb < LEAST_FREE_GB else ""
        if why:
            guest.tell(RecordingState("", 0.0, True, why, job=command.job, id=command.id))
            return
        self._records.add(self._job(guest, command))
        self._send_numbered(guest, msgspec.structs.replace(command, path=str(path)))

    def _send_numbered(self, guest: Guest, request: Request) -> None:
        self._engine.send(msgspec.structs.replace(request, job=self._job(guest, request)))  # type: ignore[arg-type]

    def _job(self, guest: Guest, request: Request) -> int:
        """The engine's number for a guest's job; 0 stays nobody's, but is remembered to be this guest's."""
        if request.job not in guest.jobs:
            self._job_number += 1
            guest.jobs[request.job] = self._job_number
            self._jobs[self._job_number] = (guest, request.job)
        return guest.jobs[request.job]

    def _start(self, guest: Guest, command: Start) -> None:
        """Only what is offered, and no line is fed: that is the owner's own affair."""
        if command.address not in {address for address, _ in self._offered}:
            guest.tell(Stopped("the far computer offers no such receiver: choose another", error="DeviceNotFound"))
            return
        if self._checks.is_running:
            guest.tell(Stopped("the receiver is being checked there: wait until that is over", error="DeviceBusy"))
            return
        self._engine.send(Start(command.address))

    def _refuse_command(self, guest: Guest, command: Command | CheckReceiver | EndCheck) -> None:
        holder = next((one.who.name for one in self._guests.values() if one.controls), "nobody")
        why = f"{holder} controls the receiver: ask for control"
        match command:
            case Tune():
                guest.tell(TuneRefused(why, job=command.job, id=command.id))
            case Measure():
                guest.tell(NotMeasured(why, job=command.job, id=command.id))
            case CheckReceiver():
                guest.tell_once(CheckTold(command.number, (), is_done=True, why=why))
            case Sweep():
                guest.tell(SweepDone(why, job=command.job, id=command.id))
            case RecordSamples():
                guest.tell(RecordingState("", 0.0, True, why, job=command.job, id=command.id))
            case Start():
                if self._started is not None:
                    guest.tell(self._started)
                else:
                    guest.tell(Stopped(why))
            case _:
                pass

    # The engine

    def _pass_on(self, event: Event) -> None:
        """An answer to whom it belongs; everything else to all."""
        match event:
            case Started():
                self._started = event
            case Stopped() if not event.replaced:
                self._started = None
            case Noticed():
                self._lost = event.lost
            case _:
                pass
        if isinstance(event, Answer) and event.job:
            engine_job = event.job
            owner = self._jobs.get(engine_job)
            if owner is not None:
                guest, job = owner
                if isinstance(event, RecordingState):
                    # Where it lies is no affair of a guest's.
                    trouble = event.trouble.replace(f"{self._shelf.folder}/", "")
                    event = msgspec.structs.replace(event, path=Path(event.path).stem, trouble=trouble)
                    if event.is_done:
                        self._records.discard(engine_job)
                guest.tell(renumbered(event, job))
            return
        for guest in self._guests.values():
            guest.tell(event)

    def _look_after(self, now_s: float) -> None:
        """Give up guests that do not come back, and end what was under way for them."""
        for guest in list(self._guests.values()):
            away_s = now_s - guest.away_since_s if guest.away_since_s is not None else 0.0
            if away_s > WAITS_S or guest.is_hopeless:
                self._let_go(guest)
        if self._guests and now_s - self._looked_s > REVOKED_S:
            self._looked_s = now_s
            still = {one.name for one in self._identity.paired()}
            for guest in list(self._guests.values()):
                if guest.who.name not in still:
                    self._let_go(guest)

    def _let_go(self, guest: Guest) -> None:
        self._guests.pop(guest.session, None)
        self._checks.end(guest)
        for engine_job in guest.jobs.values():
            self._jobs.pop(engine_job, None)
            self._engine.send(Cancel(engine_job))
        if not self._guests:
            self._engine.send(Stop())
        self._tell_who()

    def _tell_who(self) -> None:
        guests = list(self._guests.values())
        people = tuple((one.who.name, one.who.role, one.controls) for one in guests)
        asks = next((one.who.name for one in guests if one.asks), "")
        for place, guest in enumerate(guests):
            guest.say(wire.Here(people, place, asks))

    def _tell_state(self) -> None:
        if self._guests:
            free_gb = far_computer.free_gb(self._shelf.folder.parent)
            if 0 <= free_gb < LEAST_FREE_GB:
                # Whose disk it is needs some of it: what is recorded ends whole.
                for job in self._records:
                    self._engine.send(Cancel(job))
            told = wire.Far(far_computer.load(), far_computer.temperature_c(), free_gb, self._lost)
            for guest in self._guests.values():
                guest.say(told)


class _RunningChecks:
    """At most one run of First light, told to whom it belongs."""

    def __init__(self) -> None:
        self._now: tuple[Guest, int, CheckRun] | None = None

    @property
    def is_running(self) -> bool:
        """True while one is made."""
        return self._now is not None

    def begin(self, guest: Guest, number: int, run: CheckRun) -> None:
        """This one."""
        self._now = (guest, number, run)

    def poll(self) -> None:
        """Tell what has come."""
        if self._now is None:
            return
        guest, number, run = self._now
        found = tuple(run.poll())
        if not run.running:
            self._now = None
        if found or self._now is None:
            guest.tell_once(CheckTold(number, found, is_done=self._now is None))

    def end(self, guest: Guest | None) -> None:
        """It is not wanted any more by this guest, or by anybody."""
        if self._now is not None and guest in (None, self._now[0]):
            self._now[2].cancel()
            self._now = None


async def _body(reader: asyncio.StreamReader, most: int) -> bytes:
    """One frame's; raises BadFrame for one that is too long, before any of it is taken."""
    return await reader.readexactly(wire.length_of(await reader.readexactly(4), most))


def _plain_name(name: str) -> str:
    """As a guest gives it: short, and seen."""
    plain = "".join(sign for sign in name if sign.isprintable()).strip()[:40]
    return plain or "a computer"
