"""First light for a person: runs on the active route's receiver, shows progress, stores results in log and parts."""

from collections.abc import Callable
from typing import Any

import msgspec

from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedDeviceCheck
from yarddial.session.first_light.result import CheckResult, overall
from yarddial.session.first_light.runner import Runner
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard.errors import YardDialError
from yarddial.yard.parts import Origin, Receiver
from yarddial.yard.plain_text import count_of
from yarddial.yard.station import Station

# Function that begins a run: station, device, route.
BeginRun = Callable[[Station, str, str], Runner]
DEVICE_CHECK = JobKind("device_check", "device", "First light", "checks are being made", tunes=False, outlives=True)


class DeviceCheck(Job):
    """One run at a time, and the results of the last one."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, log: LogKeeper, begin: BeginRun | None
    ) -> None:
        self._desk, self._live_receiver, self._jobs, self._log, self._begin = desk, live_receiver, jobs, log, begin
        self._changed = Listeners()
        self._runner: Runner | None = None
        self._lease: Lease | None = None
        self.results: tuple[CheckResult, ...] = ()
        self.receiver = ""
        self.outcome = ""

    @property
    def running(self) -> bool:
        """True while checks run."""
        return self._lease is not None

    def on_device_check_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new results, and for the begin and end of a run."""
        return self._changed.add(listener)

    def why_not(self) -> str:
        """Reason why it cannot run now; empty when it can."""
        route = self._desk.route
        if why_not := self._jobs.why_not(DEVICE_CHECK):
            return why_not
        if route.missing:
            return route.missing
        if why_not := self._live_receiver.why_not_connected(route.name):
            return why_not
        if not route.receiver.device or self._begin is None:
            return f"no receiver is chosen for {route.receiver.name}"
        return ""

    def start(self) -> None:
        """Run all checks on the active route's receiver, which is stopped for them because only one can use it."""
        if self.why_not() or self._begin is None:
            return
        lease = self._jobs.request(DEVICE_CHECK, self)
        if isinstance(lease, Refusal):
            return
        self._lease = lease
        if self._live_receiver.wanted:
            self._live_receiver.stop()
            lease.restore_with(self._start_again)
        route = self._desk.route
        self.results, self.receiver, self.outcome = (), route.receiver.name, ""
        try:
            self._runner = self._begin(self._desk.station, self._live_receiver.address_of(route), route.name)
        except YardDialError as error:
            self.results = (CheckResult("opens", "stop", str(error), "choose the receiver anew on Bench"),)
            lease.end("failed", str(error))
        self._changed.tell()

    def cancel(self) -> None:
        """Stop the run; results so far stay visible."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def ended(self, ending: Ending) -> None:
        """Restart the receiver: the device is free again."""
        if self._runner is not None:
            self._runner.cancel()
        self._lease, self._runner, self.outcome = None, None, "done" if ending.how == "done" else "cancelled"
        self._changed.tell()

    def _start_again(self) -> None:
        """Start the receiver again if it ran before."""
        self._live_receiver.start(self._desk.route)

    def poll(self) -> None:
        """Process results that arrived."""
        runner = self._runner
        if runner is None:
            return
        results = runner.poll()
        self.results = (*self.results, *results)
        if not runner.running and self._lease is not None:
            self._keep()
            self._lease.end()
        elif results:
            self._changed.tell()

    def _keep(self) -> None:
        """Log the results, and store measured rates and ranges in the receiver."""
        verdict = overall(list(self.results))
        wrong = [result for result in self.results if result.verdict in ("stop", "look")]
        text = f"First light of {self.receiver}: " + (
            "; ".join(f"{result.name}, {result.detail}" for result in wrong) or "all well"
        )
        data = LoggedDeviceCheck(verdict, msgspec.to_builtins(self.results))
        entry = Entry(
            station=self._desk.station.name, kind="first light", route=self._desk.route.name, text=text, data=data
        )
        self._log.add(entry)
        self._keep_measured(entry.at_utc[:10])

    def _keep_measured(self, day: str) -> None:
        """Replace stated by measured values: losses at each rate, and the tuner's range where it held."""
        station = self._desk.station
        part = next((p for p in station.parts if isinstance(p, Receiver) and p.name == self.receiver), None)
        lost = tuple(
            (result.figures["rate_hz"], result.figures["lost_share"])
            for result in self.results
            if "lost_share" in result.figures
        )
        if part is None or not lost:
            return
        clean = sum(not share for _, share in lost)
        origins = {
            "lost_shares": Origin(
                "measured", day, f"First light: {clean} of {count_of(len(lost), 'rate')} without loss"
            )
        }
        changes: dict[str, Any] = {"lost_shares": lost}
        tuned = next((result.figures for result in self.results if result.name == "tunes"), {})
        if tuned and not part.samples_directly(self._desk.route.port):
            holes = (key for key in tuned if key.startswith("hole_") and key.endswith("_low_hz"))
            changes["tuner_low_hz"], changes["tuner_high_hz"] = tuned["low_hz"], tuned["high_hz"]
            changes["holes_hz"] = tuple((tuned[key], tuned[key.replace("_low_", "_high_")]) for key in holes)
            origins |= {key: Origin("measured", day, "First light") for key in changes if key != "lost_shares"}
        changed = msgspec.structs.replace(part, origins={**part.origins, **origins}, **changes)
        self._desk.edit("first light", station.with_part(changed))
