"""Strong signals that cause spurious ones: found in span tests and scans, or read from a file."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.jobs.lease import Ending
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedStrong
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.spurious.span_recording import SpanRecording, SpanSetting
from yarddial.session.station.desk import Desk
from yarddial.yard.frequency import format_frequency
from yarddial.yard.reach import reaching
from yarddial.yard.resolved_route import ResolvedRoute

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.ghosts.span import Peak, Span
    from yarddial.yard.strong import Strong

# Number of strongest signals kept; minimum height above the floor; closer than this two are the same.
MAX_SIGNALS, OVER_DB, SAME_HZ = 60, 25.0, 5e3
# Scan: time per spectrum, step as a share of the rate, and the widest band scanned.
RECORD_S, STEP_SHARE, WIDEST_HZ = 0.25, 0.75, 40e6
# Assumed level of a known station or of another antenna's signal: only its frequency is checked.
ELSEWHERE_DBM = -30.0
# Exclude the centre spike within this many steps, and mirrors this far below their signal.
SPIKE_STEPS, MIRROR_DB = 4.0, 15.0
KIND = "strong signals"
STRONG_SCAN = JobKind("strong_scan", "work", "the scan for strong signals", "the bands are being scanned")


class StrongSignals:
    """Known strong signals, and one scan at a time."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration, log: LogKeeper,
    ) -> None:  # fmt: skip
        self._desk, self._live_receiver, self._calibration, self._log = desk, live_receiver, calibration, log
        self._records = SpanRecording(desk, live_receiver, jobs, calibration, STRONG_SCAN)
        self._changed = Listeners()
        self._known: tuple[Strong, ...] = ()
        # Name of the yard to which they belong.
        self._yard: str | None = None
        # Signals of the present scan, by route.
        self._scanned: dict[str, list[Strong]] = {}
        self.trouble = ""

    def on_strong_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new signals, and for a scan's begin, progress and end."""
        return self._changed.add(listener)

    @property
    def known(self) -> "tuple[Strong, ...]":
        """Signals, strongest first; those of the last scan are loaded from the log."""
        if self._yard != self._desk.station.name and self._log.is_open:
            # Signals found before the log could be read are kept beside it.
            before = self._known if self._yard is None else ()
            self._yard = self._desk.station.name
            self._known = _each_once((*before, *self._recalled()))
        return self._known

    def on_antenna(self, route: ResolvedRoute) -> "tuple[Strong, ...]":
        """Known signals on a route's own antenna, with their levels there."""
        return tuple(signal for signal in self.known if signal.antenna in ("", route.antenna.name))

    def elsewhere(self, route: ResolvedRoute) -> "tuple[Strong, ...]":
        """Signals of unknown level on a route's antenna: of other antennas, and the known stations."""
        from yarddial.yard.strong import Strong

        here = [known_signal.frequency_hz for known_signal in self.on_antenna(route)]
        signals = [
            msgspec.structs.replace(o, level_dbm=ELSEWHERE_DBM)
            for o in self.known
            if o.antenna not in ("", route.antenna.name)
        ]
        signals += [Strong(r.frequency_hz, ELSEWHERE_DBM, r.name) for r in self._desk.station.references]
        return tuple(signal for signal in signals if all(abs(signal.frequency_hz - hertz) > SAME_HZ for hertz in here))

    def seen(self, route: ResolvedRoute, span: "Span", peaks: "Sequence[Peak]") -> "tuple[Strong, ...]":
        """Convert peaks of a span to signals on the air, named after known stations."""
        from yarddial.analysis.ghosts.from_yard import strong_seen

        names = [(r.frequency_hz, r.name) for r in self._desk.station.references]
        return strong_seen(route, span, peaks, names, self._desk.station.bands)

    def read(self, path: Path) -> int:
        """Add the signals of a CSV file; raises BadObservations."""
        from yarddial.records.strong_file import read_strong

        signals = read_strong(path)
        self.keep(signals)
        self._tell(f"{len(signals)} strong signals read from {path.name}")
        return len(signals)

    def write(self, path: Path) -> int:
        """Write all known signals into a CSV file; raises NotWritten."""
        from yarddial.records.strong_file import write_strong

        write_strong(path, self.known)
        return len(self.known)

    # The scan

    @property
    def running(self) -> bool:
        """True while bands are scanned."""
        return self._records.running

    @property
    def fraction(self) -> float:
        """Share of the scan that is done."""
        return self._records.fraction

    @property
    def doing(self) -> str:
        """Present place of the scan, in words."""
        now = self._records.now
        return "" if now is None else f"around {format_frequency(now.route.dial_hz, 0)} over {now.route.name}"

    def why_not(self) -> str:
        """Reason why it cannot begin now; empty when it can."""
        if why := self._records.why_not():
            return why
        if not self._live_receiver.wanted:
            return "the receiver is off: Space starts it"
        if self._live_receiver.plays:
            return "a recording plays: end it first"
        return ""

    def scan(self) -> None:
        """Scan every band that the yard reaches, over its preferred route."""
        if self.why_not():
            return
        steps = self._steps()
        self._scanned = {}
        self.trouble = "" if steps else "no band is reached with a receiver that has a driver"
        if not steps:
            self._changed.tell()
            return
        self._records.begin(steps, self._seen, self._ended, RECORD_S)
        self._changed.tell()

    def cancel(self) -> None:
        """Cancel the scan; signals found so far stay."""
        self._records.cancel()

    def _steps(self) -> list[SpanSetting]:
        """Spans that cover all bands once, sorted by route, so that receivers change rarely."""
        steps: dict[tuple[str, int], SpanSetting] = {}
        for band in self._desk.station.bands:
            able = [route for route in reaching(self._desk.station, band.middle_hz) if route.receiver.device]
            able = [route for route in able if not self._live_receiver.why_not_connected(route.name)]
            # Avoid routes whose transceiver would have to be tuned along.
            able = [route for route in able if route.transceiver is None] or able
            if not able or band.high_hz - band.low_hz > WIDEST_HZ:
                continue
            route = able[0]
            step_hz = STEP_SHARE * route.receiver.rate_hz
            for index in range(int(band.low_hz / step_hz), int(band.high_hz / step_hz) + 1):
                dial_hz = (index + 0.5) * step_hz
                there = route.at(dial_hz)
                if (route.name, index) in steps or there.why_not(dial_hz):
                    continue
                centre_hz = round(there.counted_hz(dial_hz), -3)
                ask = RequestedSettings(
                    centre_hz, route.receiver.rate_hz, route.port, gains_db=route.receiver.gains_db()
                )
                if not route.receiver.why_not(centre_hz, route.port):
                    steps[route.name, index] = SpanSetting("scan", 0.0, there, ask, calibrated=True)
        return [steps[key] for key in sorted(steps)]

    def _seen(self, step: SpanSetting, span: "Span") -> None:
        spike_hz = SPIKE_STEPS * span.step_hz
        peaks = [p for p in span.peaks(MAX_SIGNALS, OVER_DB) if abs(p.dial_hz - span.centre_hz) > spike_hz]
        signals = self.seen(step.route, span, peaks)
        there = self._scanned.setdefault(step.route.name, [])
        there += [signal for signal in signals if not _is_mirror(signal, signals, span)]
        self._changed.tell()

    def _ended(self, ending: Ending) -> None:
        from yarddial.analysis.ghosts.inference import without_products

        self.trouble = ending.reason
        for name, signals in self._scanned.items():
            if any(route.name == name for route in self._desk.station.resolved_routes()):
                self.keep(without_products(self._desk.station.resolve(name), signals))
        self._tell(f"Bands scanned: {len(self.known)} strong signals known")
        self._changed.tell()

    # The store

    def keep(self, seen: "Sequence[Strong]") -> None:
        """Keep the strongest signals, each once per antenna; new ones replace old ones."""

        newest_first = (*sorted(seen, key=lambda signal: -signal.level_dbm), *self.known)
        self._known = _each_once(newest_first)
        self._changed.tell()

    def _tell(self, text: str) -> None:
        data = LoggedStrong(self.known)
        self._log.add(Entry(station=self._desk.station.name, kind=KIND, text=text, data=data))

    def _recalled(self) -> "tuple[Strong, ...]":
        for entry in self._log.entries(KIND, self._desk.station.name, limit=1):
            if isinstance(entry.data, LoggedStrong):
                return entry.data.signals
        return ()


def _each_once(signals: "Sequence[Strong]") -> "tuple[Strong, ...]":
    """The strongest signals; of equal frequencies only the first."""
    distinct: list[Strong] = []
    for signal in signals:
        if not any(_is_same(signal, other) for other in distinct):
            distinct.append(signal)
    return tuple(sorted(distinct, key=lambda signal: -signal.level_dbm)[:MAX_SIGNALS])


def _is_same(signal: "Strong", other: "Strong") -> bool:
    apart_hz = max(SAME_HZ, (signal.width_hz + other.width_hz) / 4)
    return signal.antenna == other.antenna and abs(signal.frequency_hz - other.frequency_hz) <= apart_hz


def _is_mirror(signal: "Strong", others: "Sequence[Strong]", span: "Span") -> bool:
    """Return True for a signal mirrored about the centre by a much stronger one."""
    away_hz = signal.frequency_hz - span.centre_hz
    within_hz = max(2 * span.within_hz, signal.width_hz / 2)
    return any(
        abs(other.frequency_hz - span.centre_hz + away_hz) <= within_hz
        and other.level_dbm > signal.level_dbm + MIRROR_DB
        for other in others
    )


def _make(of: CalibrationTopics) -> StrongSignals:
    return StrongSignals(of.desk, of.live_receiver, of.jobs, of.calibration, of.log)


DECLARATION = Declaration(
    make=_make,
    kinds=(STRONG_SCAN,),
    begin={STRONG_SCAN.name: StrongSignals.scan},
    is_under_way=lambda strong: strong.running,
    logs=(LoggedStrong,),
)
