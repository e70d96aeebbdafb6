"""The receiver as the session sees it: running or stopped, its reports, and its safeguards."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.engine.commands import SetSafeguards, Start, Stop
from yarddial.engine.events import Event, Noticed, SafeguardsSet, Started, Stopped, Tuned, TuneRefused
from yarddial.engine.jobs.lease import Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.tuning import Safeguards, Tuning
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.tuner import ReceiverTuner
from yarddial.session.station.hands import Hands
from yarddial.yard.resolved_route import ResolvedRoute

if TYPE_CHECKING:
    # Imported after the first paint.
    from yarddial.session.station.demo_table import DemoTable


class LiveReceiver:
    """Starts and stops the receiver; `tuner` tunes it, and `picture` keeps what it shows."""

    def __init__(self, jobs: Scheduler, hands: Hands, table: "DemoTable | None" = None) -> None:
        """table : of the simulated receivers, where the yard has one."""
        self._jobs, self._hands, self._table = jobs, hands, table
        self.tuner = ReceiverTuner(jobs, self._prepared, self.why_not_connected)
        self.picture = self.tuner.picture
        jobs.on_event(self.take)
        hands.on_hands_changed(self._plugs_changed)
        self._changed = Listeners()
        self._address = ""
        # Address of the recording that plays instead of the receiver; empty for the receiver itself.
        self.plays = ""
        self._vetoes: list[Callable[[ResolvedRoute], str]] = []
        # Part of the address that connects a simulated receiver to the stand-in transceiver.
        self.cable = ""
        # Requested safeguards; and why the driver refused the latest of them.
        self._safeguards, self._safeguards_id = Safeguards(), 0
        self._refusal = ""
        self._is_muted = False
        # Receivers and ports for which a person allowed it; forgotten with the session.
        self._fed: set[tuple[str, str]] = set()
        self.wanted = False
        # True after a start command: a stop of the former run may still arrive.
        self._is_starting = False
        self.running = False
        self.device_name = ""
        # Why it stopped, or cannot be started.
        self._why_off = ""
        # Class name of the error; "no driver" where none is chosen.
        self.trouble_kind = ""
        self.lost_samples = self.missed_samples = 0
        self.remark = ""
        self.pictures_left_out = 0

    @property
    def trouble(self) -> str:
        """Why it stopped or cannot be started, independent of the dial; else why it is not tuned."""
        return self._why_off or self.tuner.refusal

    @property
    def tuning(self) -> Tuning | None:
        """Acknowledged tuning of the latest request; see `ReceiverTuner.tuning`."""
        return self.tuner.tuning

    @property
    def is_tuned(self) -> bool:
        """True while the latest requested tuning is acknowledged and in force."""
        return self.tuner.tuning is not None

    def on_receiver_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for starts, stops, tunings and refusals."""
        return self._changed.add(listener)

    def consult(self, why_not: Callable[[ResolvedRoute], str]) -> None:
        """Register a veto asked before a route's receiver is opened: the reason to keep it off, or an empty text."""
        self._vetoes.append(why_not)

    def why_not_connected(self, route_name: str) -> str:
        """Why a hand must connect a route before anything is received over it; a recording needs no plug."""
        return "" if self.plays else self._hands.why_not(route_name)

    def _plugs_changed(self) -> None:
        self.tuner.plugs_changed()
        if self.tuner.waits_for_hand:
            for lease in self._jobs.leases:
                self._end_after_move(lease, self.tuner.refusal)
        self._changed.tell()

    def _end_after_move(self, lease: Lease, why: str) -> None:
        """End a job whose samples a moved plug has taken away; those that ask for moves go on."""
        if lease.kind.nature == "record":
            # The recording is completed with what came before.
            lease.release()
        elif lease.kind.nature in ("work", "glance") and not (lease.kind.outlives or lease.kind.asks_hands):
            lease.end("stale", why)

    def _forbidden(self, route: ResolvedRoute) -> str:
        return next((why for why_not in self._vetoes if (why := why_not(route))), "")

    # On and off

    def start(self, route: ResolvedRoute) -> None:
        """Start the receiver of a route and tune it, since its process may be new."""
        self.wanted, self._why_off, self.trouble_kind = True, "", ""
        self.tuner.begin_anew()
        self._open(route)
        self._jobs.retry()
        self._changed.tell()

    def _open(self, route: ResolvedRoute) -> None:
        self._address = self.address_of(route)
        if route.missing or not self._address:
            self.wanted = False
            self._why_off = (
                route.missing or f"no receiver is chosen for {route.receiver.name}: choose what it really is"
            )
            self.trouble_kind = "" if route.missing else "no driver"
            self._command(Stop())
            return
        if why := self._forbidden(route):
            self.refuse(why)
            return
        self._safeguards = msgspec.structs.replace(self._safeguards, feeds=self._feeds(route))
        self._command(Start(self._address, self._safeguards))

    def _command(self, command: Start | Stop) -> None:
        self._is_starting = isinstance(command, Start)
        self._jobs.command(command)

    def _prepared(self, route: ResolvedRoute) -> bool:
        """Return whether a route's receiver may be tuned; open it if another one is in use."""
        if not (self.plays or route.receiver.device):
            return False
        if self.wanted and (why := self._forbidden(route)):
            self.refuse(why)
            return False
        if self.wanted and self.address_of(route) != self._address:
            self.tuner.begin_anew()
            self._open(route)
        return True

    def refuse(self, why: str) -> None:
        """Stop, with the reason why it must stay off."""
        self.wanted, self._why_off, self.trouble_kind = False, why, "transmitter"
        self._command(Stop())
        self._changed.tell()

    def stop(self) -> None:
        """Stop it; everything in progress ends, whether the receiver still answers or not."""
        self._jobs.end_for_stop()
        self.wanted = False
        self._command(Stop())
        self._changed.tell()

    def play(self, address: str) -> None:
        """Play a recording instead of the receiver from the next start on; an empty text ends that."""
        self._jobs.end_for_stop("the receiver was stopped for a recording, or a recording ended")
        self.plays = address
        self.wanted = False
        self._command(Stop())
        self._changed.tell()

    def address_of(self, route: ResolvedRoute) -> str:
        """Address that is opened for a route: its receiver's, or that of the recording that plays."""
        device = self.plays or route.receiver.device
        if not device.startswith("simulated:"):
            return device
        more = "&".join(filter(None, (self._table.query() if self._table is not None else "", self.cable)))
        return f"{device}{'&' if '?' in device else '?'}{more}" if more else device

    # Safeguards: they need no lease, and count when the engine says so

    def guard(self, on: bool) -> None:
        """Lower every gain to its minimum while somebody transmits, and restore them afterwards."""
        self._hold(msgspec.structs.replace(self._safeguards, is_guarded=on))

    def mute(self, on: bool) -> None:
        """Mute the engine's audio, or unmute it."""
        self._hold(msgspec.structs.replace(self._safeguards, is_muted=on))

    def _hold(self, wanted: Safeguards) -> None:
        if wanted == self._safeguards:
            return
        self._safeguards, self._safeguards_id = wanted, self._jobs.next_number()
        self._jobs.command(SetSafeguards(self._safeguards_id, wanted))

    @property
    def wants_guard(self) -> bool:
        """True while minimum gains are requested, whether in force or not."""
        return self._safeguards.is_guarded

    @property
    def is_guarded(self) -> bool:
        """True while minimum gains are acknowledged, or nothing is received at all."""
        tuning = self.tuner.acknowledged
        return self._safeguards.is_guarded and (not self.running or tuning is None or tuning.is_guarded)

    @property
    def guard_trouble(self) -> str:
        """Why gains are not at their minimum though requested; empty while they are, or while waiting for the
        answer.
        """
        tuning = self.tuner.acknowledged
        if not self._safeguards.is_guarded or not self.running or tuning is None:
            return ""
        return self._refusal or tuning.guard_trouble

    @property
    def guard_has_failed(self) -> bool:
        """True when the driver was told to lower the gains, could, and did not."""
        tuning = self.tuner.acknowledged
        return bool(self.guard_trouble) and (bool(self._refusal) or (tuning is not None and tuning.guard == "failed"))

    @property
    def is_muted(self) -> bool:
        """True while the engine has confirmed that it is muted."""
        return self._is_muted

    def _feeds(self, route: ResolvedRoute) -> frozenset[str]:
        """Ports that may feed the line: those allowed in this session, and all simulated ones."""
        receiver = route.receiver
        if receiver.device.startswith("simulated:"):
            return frozenset(port.name for port in receiver.ports)
        return frozenset(port for name, port in self._fed if name == receiver.name)

    def waits_to_feed(self, route: ResolvedRoute) -> bool:
        """True where the yard wants the receiver to feed the line, and nobody has allowed it yet."""
        is_live = bool(route.receiver.device) and not self.plays
        return is_live and route.receiver.feeds(route.port) and route.port not in self._feeds(route)

    def feed(self, route: ResolvedRoute) -> None:
        """Allow a route's receiver to feed its line from now on."""
        self._fed.add((route.receiver.name, route.port))
        if self.wanted:
            self._hold(msgspec.structs.replace(self._safeguards, feeds=self._feeds(route)))
        self._changed.tell()

    # What the engine says

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        tells_of_tuning = self.tuner.take(event)
        match event:
            case Started():
                self.running, self.device_name = True, event.name
                if self._is_starting:
                    # A stop reported meanwhile belonged to the former run.
                    self.wanted, self._why_off, self.trouble_kind = True, "", ""
                self.lost_samples = self.missed_samples = self.pictures_left_out = 0
                self.remark = self._refusal = ""
            case Stopped():
                self.running = False
                if event.reason:
                    self.wanted, self._why_off, self.trouble_kind = False, event.reason, event.error
            case SafeguardsSet() if event.id == self._safeguards_id:
                self._is_muted = event.holds.is_muted
                has_answered = event.tuning is not None and event.tuning.guard != "off"
                self._refusal = "" if has_answered else event.why_not
            case Tuned() | TuneRefused() if tells_of_tuning:
                pass
            case Noticed():
                self.lost_samples, self.missed_samples = event.lost, event.missed
                self.remark = event.remark or self.remark
                self.pictures_left_out += event.pictures_left_out
            case _:
                return
        self._changed.tell()
