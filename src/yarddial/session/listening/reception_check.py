"""Reception check by steps: something strong first, then one change at a time; a failure names what failed and why."""

from collections.abc import Callable, Generator, Iterator
from typing import Protocol

import msgspec
import numpy as np

from yarddial.engine.events import SpanSpectrum
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.session.activity import Declaration
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.listening.listening import Listening
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.picture import row_places_hz
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.session.station.desk import Desk
from yarddial.yard.demodulation import DEMODULATIONS, Demodulation
from yarddial.yard.frequency import format_frequency
from yarddial.yard.mark import Mark
from yarddial.yard.reach import reaching

# A step passes from this level above the noise beside it; a line is this far above its span's median.
HEARD_DB, LINE_OVER_SPAN_DB = 8.0, 12.0
# A channel this strong is overloaded.
FULL_DBFS = -1.0
LISTENS_S = 1.5
# Spectra taken at each position of a search; the first may still show the former one.
SPANS_A_PLACE = 3
# As shares of the span: distance between positions, and the usable half; skip the centre.
PLACE_STEP_SHARE, USABLE_HALF_SPAN, SPIKE_HZ = 0.75, 0.4, 4_000.0
# The spike stands between two rows of the picture, and its window's side lobes reach this many rows.
SPIKE_ROWS = 5.0
MAX_SCANS = 24
RECEPTION_CHECK = JobKind(
    "reception_check", "work", "the proof by steps", "the proof by steps is under way", tunes=False
)


class CheckStep(msgspec.Struct, frozen=True):
    """A signal to listen to, and what changes relative to the step before."""

    name: str
    demodulation: Demodulation
    low_hz: float
    high_hz: float
    raster_hz: float
    changes: str


STEPS = (
    CheckStep("strong broadcast", "wfm", 87.5e6, 108e6, 100e3, "nothing yet; FM broadcast is strong everywhere"),
    CheckStep("narrow FM", "nfm", 144e6, 162.05e6, 12.5e3, "band and width; the same antenna and receiver"),
    CheckStep("AM", "am", 118e6, 137e6, 25e3, "the mode; towers of the airband speak now and then"),
    CheckStep("HF", "am", 0.5e6, 30e6, 1e3, "the route; another antenna, or a converter on the way"),
)


class Proved(msgspec.Struct, frozen=True):
    """Result of one step."""

    step: CheckStep
    mark: Mark
    sentence: str


class ReceptionCheck(Job):
    """One run at a time, through the Listen place."""

    def __init__(self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, listening: Listening) -> None:
        self._desk, self._live_receiver, self._jobs, self._listening = desk, live_receiver, jobs, listening
        self._lease: Lease | None = None
        self._changed = Listeners()
        self._run: Iterator[None] | None = None
        self._spans: list[SpanSpectrum] = []
        self.results: tuple[Proved, ...] = ()
        self.trouble = ""
        self.at: CheckStep | None = None
        live_receiver.picture.on_span_moved(self._take_span)

    def on_reception_check_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for the begin and end of steps."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while the check runs."""
        return self._lease is not None

    def why_not(self) -> str:
        """Reason why it cannot begin now; empty when it can."""
        if self.running:
            return "it is under way"
        if why_not := self._jobs.why_not(RECEPTION_CHECK, self._listening.lease):
            return why_not
        if not self._live_receiver.wanted:
            return "the receiver is off: Space starts it"
        return "" if self._listening.is_open else "Listen is not open"

    def start(self) -> None:
        """Start with the first step; dial, mode and route are set for each."""
        if self.why_not():
            return
        lease = self._jobs.request(RECEPTION_CHECK, self, self._listening.lease)
        if isinstance(lease, Refusal):
            return
        self._lease, self.results, self.trouble = lease, (), ""
        lease.restore_with(self._desk.restorer())
        self._run = self._steps()
        self.poll()

    def cancel(self) -> None:
        """Cancel; the dial returns to its former position."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def ended(self, ending: Ending) -> None:
        """Clean up; the results stay."""
        self._lease, self._run, self.at = None, None, None
        self.trouble = "" if ending.how in ("done", "cancelled") else ending.reason
        self._changed.tell()

    def poll(self) -> None:
        """Advance as far as the received data allows."""
        if self._run is not None and next(self._run, "done") == "done" and self._lease is not None:
            self._lease.end()

    # The run

    def _steps(self) -> Iterator[None]:
        for step in STEPS:
            self.at = step
            self._changed.tell()
            mark, sentence = yield from self._try(step)
            self.results = (*self.results, Proved(step, mark, sentence))
            self._changed.tell()
            if mark == "stop":
                # A failure here affects every later step.
                return

    def _try(self, step: CheckStep) -> Generator[None, None, tuple[Mark, str]]:
        """Tune, listen and judge a step; return a mark and a sentence."""
        places = self._known(step)
        if not places and not self._reaches(step):
            return "unknown", "no route of the yard reaches this band: nothing to prove"
        found_hz = places[0] if places else None
        if found_hz is None:
            found_hz, why = yield from self._search(step)
            if found_hz is None:
                # Silence in the airband proves nothing; silence of all FM broadcasters does.
                return ("look" if step.demodulation == "am" else "stop"), why
        self._desk.dial(found_hz)
        self._listening.choose_demodulation(step.demodulation)
        yield from self._waiting()
        if self._live_receiver.trouble:
            return "stop", self._live_receiver.trouble
        begun_s = self._listening.heard_s
        while self._listening.heard_s - begun_s < LISTENS_S:
            yield
        return self._judged(step, found_hz)

    def _search(self, step: CheckStep) -> Generator[None, None, tuple[float | None, str]]:
        """Find the strongest line of a band that some route reaches; return its frequency, or None and why."""
        rate_hz = self._desk.route.receiver.rate_hz
        best_hz, best_db, any_line = None, LINE_OVER_SPAN_DB, False
        places = np.arange(step.low_hz + USABLE_HALF_SPAN * rate_hz, step.high_hz, PLACE_STEP_SHARE * rate_hz)[
            :MAX_SCANS
        ]
        for place_hz in places.tolist():
            if not reaching(self._desk.station, place_hz):
                continue
            self._desk.dial(place_hz)
            yield from self._waiting()
            if self._live_receiver.trouble:
                return None, self._live_receiver.trouble
            self._spans = []
            while len(self._spans) < SPANS_A_PLACE:
                yield
            line = self._spans[-1]
            any_line = any_line or float(line.mean_db.max() - np.median(line.mean_db)) > LINE_OVER_SPAN_DB
            hertz, over_db = self._strongest(line, step)
            if over_db > best_db:
                best_hz, best_db = hertz, over_db
        if best_hz is None:
            why = "lines stand there, but none like this" if any_line else "nothing at all stands there"
            return None, f"{why} from {format_frequency(step.low_hz)} to {format_frequency(step.high_hz)}"
        return round(best_hz / step.raster_hz) * step.raster_hz, ""

    def _strongest(self, line: SpanSpectrum, step: CheckStep) -> tuple[float, float]:
        """Dial frequency of the strongest signal in a spectrum, and its height over the median."""
        count = line.mean_db.size
        counted_hz = line.centre_hz + line.rate_hz * ((np.arange(count) + 0.5) / count - 0.5)
        dial_hz = self._desk.station.dial_hz
        route = self._desk.route.at(dial_hz)
        placed_hz = np.array([route.dial_of(float(hertz), dial_hz) for hertz in counted_hz])
        inside = (placed_hz > step.low_hz) & (placed_hz < step.high_hz)
        inside &= np.abs(counted_hz - line.centre_hz) < USABLE_HALF_SPAN * line.rate_hz
        inside &= np.abs(counted_hz - line.centre_hz) > SPIKE_HZ
        level_db = line.mean_db.astype(float)
        # Average over the raster's width, because a wide signal is weak in each bin.
        cells = max(round(step.raster_hz / (line.rate_hz / count)), 1)
        power = np.convolve(10 ** (level_db / 10), np.ones(cells) / cells, "same")
        power[~inside] = 0.0
        at = int(np.argmax(power))
        return float(placed_hz[at]), float(10 * np.log10(max(power[at], 1e-30)) - np.median(level_db))

    def _judged(self, step: CheckStep, dial_hz: float) -> tuple[Mark, str]:
        listening, where = self._listening, format_frequency(dial_hz)
        over_db, level_dbfs = listening.over_floor_db(), listening.level_dbfs
        if over_db is None or level_dbfs is None:
            return "look", f"{where}: no level came"
        if level_dbfs > FULL_DBFS:
            return "look", f"{where} drives the receiver to its limit: lower the gain in Levels, then try again"
        if over_db >= HEARD_DB:
            pilot = listening.pilot_db
            stereo = f", with its stereo pilot {pilot:.0f} dB clear" if pilot is not None and pilot > 15 else ""
            return "good", f"{where} stands {over_db:.0f} dB over the noise{stereo}"
        beside_hz = self._nearest_line(dial_hz)
        if beside_hz is not None:
            away_hz = beside_hz - dial_hz
            return "look", f"{where} is silent, but a line stands {away_hz / 1e3:+.1f} kHz away: true the dial".replace(
                "-", "−"
            )
        if step.demodulation == "am" and step.low_hz > 100e6:
            return "look", f"{where} is silent now: towers speak in turns; try again"
        name = self._desk.route.antenna.name
        # Where the strongest is silent, nothing else will be heard.
        mark: Mark = "stop" if step is STEPS[0] else "look"
        return mark, f"{where}: hardly more than noise; see that {name} is connected, then raise the gain in Levels"

    def _nearest_line(self, dial_hz: float) -> float | None:
        """Dial frequency of the nearest line in the picture outside the channel."""
        level_db, half_hz = self._live_receiver.picture.recent()
        if level_db.size < 16:
            return None
        places_hz = self._listening.chart_hz + row_places_hz(level_db.size, half_hz)
        stands = level_db > np.median(level_db) + LINE_OVER_SPAN_DB
        settings = self._listening.settings
        stands &= (places_hz < dial_hz + settings.low_hz) | (places_hz > dial_hz + settings.high_hz)
        centre_hz = self._listening.centre_hz()
        if centre_hz is not None:
            row_hz = 2 * half_hz / level_db.size
            stands &= np.abs(places_hz - centre_hz) > max(SPIKE_HZ, SPIKE_ROWS * row_hz)
        return float(min(places_hz[stands], key=lambda hertz: abs(hertz - dial_hz))) if stands.any() else None

    def _known(self, step: CheckStep) -> list[float]:
        """Known stations of the kind that some route reaches, the most accurate first."""
        wanted = {DEMODULATIONS[step.demodulation].mode}
        able = [
            r
            for r in self._desk.station.references
            if step.low_hz <= r.frequency_hz <= step.high_hz and r.mode in wanted
            and reaching(self._desk.station, r.frequency_hz)
        ]  # fmt: skip
        return [r.frequency_hz for r in sorted(able, key=lambda r: r.sigma_hz / r.frequency_hz)]

    def _reaches(self, step: CheckStep) -> bool:
        return any(reaching(self._desk.station, hertz) for hertz in np.linspace(step.low_hz, step.high_hz, 9).tolist())

    def _waiting(self) -> Iterator[None]:
        """Wait until the receiver is tuned, or refuses."""
        while not self._live_receiver.is_tuned and not self._live_receiver.trouble:
            yield

    def _take_span(self) -> None:
        if self._live_receiver.picture.span is not None:
            self._spans = [*self._spans[-SPANS_A_PLACE:], self._live_receiver.picture.span]


class ReceptionTopics(ReceiverTopics, Protocol):
    """What this activity needs of the session."""

    @property
    def listening(self) -> Listening:
        """The listening activity."""
        ...


def _make(of: ReceptionTopics) -> ReceptionCheck:
    return ReceptionCheck(of.desk, of.live_receiver, of.jobs, of.listening)


DECLARATION = Declaration(
    make=_make, kinds=(RECEPTION_CHECK,), is_under_way=lambda check: check.running, poll=ReceptionCheck.poll
)
