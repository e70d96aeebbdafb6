"""Overview of all bands, judged from the yard, the measurements and the log."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

import msgspec

from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedBandRun, LoggedObservation, LoggedSpanTest
from yarddial.session.activity import Declaration
from yarddial.session.background import Background
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.station.desk import Desk
from yarddial.session.verdict import Verdict
from yarddial.yard.bands import Band, Region
from yarddial.yard.countries import country_named
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.oscillators import Oscillators
from yarddial.yard.reach import Reaches
from yarddial.yard.segments import segment_at
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.board.report import Report
    from yarddial.analysis.board.row import BandRow, Proof
    from yarddial.analysis.ghosts.scene import Ghost
    from yarddial.session.calibration.calibration_sequence import CalibrationSequence
    from yarddial.session.calibration.oscillator_list import OscillatorRow

# These move with centre and rate, so they belong to no band.
MOVING_KINDS = ("spike", "mirror", "harmonic mixing", "alias")
# Spurious signals closer together than this count as one.
SAME_HZ = 5e3
# Notes in a report.
MAX_NOTES = 20
# Log kind of runs over all bands, and the number of entries read: about three runs.
RUN_KIND, MAX_ATTEMPTS = "band run", 400


class BoardRequest(msgspec.Struct, frozen=True):
    """Everything that the band overview depends on."""

    station: Station
    oscillators: Oscillators
    measured: frozenset[str]
    entries: tuple[Entry, ...]
    attempts: tuple[Entry, ...] = ()

    def rows(self) -> "tuple[BandRow, ...]":
        """Judge every band of the region and the person's own, about forty of them, in a moment."""
        from yarddial.analysis.board.row import row_of

        station, ghosts, proofs, attempts = self.station, self._ghosts(), self._proofs(), self._attempts()
        rows, reaches = [], Reaches(station)
        for band in station.bands:
            inside = [proof for hertz, proof in proofs if band.low_hz <= hertz <= band.high_hz]
            seen = attempts.get(band.name, ())
            rows.append(row_of(station, band, self.oscillators, self.measured, ghosts, inside, seen, reaches))
        return tuple(rows)

    def _ghosts(self) -> "tuple[Ghost, ...]":
        """Spurious signals found by span tests; the latest judgement for each frequency."""
        from yarddial.analysis.ghosts.scene import Ghost

        by_place: dict[int, Ghost | None] = {}
        for entry in self.entries:
            if entry.station != self.station.name or not isinstance(entry.data, LoggedSpanTest):
                continue
            for peak in entry.data.peaks:
                place = round(peak.dial_hz / SAME_HZ)
                is_ghost = peak.verdict == "ghost" and peak.kind not in MOVING_KINDS
                by_place.setdefault(place, Ghost(peak.dial_hz, 0.0, "true", (), peak.cause) if is_ghost else None)
        return tuple(ghost for ghost in by_place.values() if ghost is not None)

    def _proofs(self) -> "list[tuple[float, Proof]]":
        """Measured or verified signals, latest first, in one pass over the log for all bands."""
        from yarddial.analysis.board.row import Proof

        proofs: list[tuple[float, Proof]] = []
        for entry in self.entries:
            if entry.station != self.station.name:
                continue
            true: list[tuple[float, str]] = []
            match entry.data:
                case LoggedSpanTest():
                    peaks = [peak for peak in entry.data.peaks if peak.verdict == "true"]
                    # The strongest represents its band.
                    peaks.sort(key=lambda peak: -(peak.over_db or 0.0))
                    true = [(peak.dial_hz, _stood(peak.dial_hz, peak.over_db, "dB over the floor")) for peak in peaks]
                case LoggedObservation():
                    hertz = entry.data.observation.reference_hz
                    true = [(hertz, _stood(hertz, entry.data.cn0_dbhz, "dB-Hz"))]
                case _:
                    pass
            proofs += [(hertz, Proof(entry.at_utc, entry.text, entry.route, verdict)) for hertz, verdict in true]
        return proofs

    def _attempts(self) -> "dict[str, list[Proof]]":
        """Span tests of runs by band, the latest first."""
        from yarddial.analysis.board.row import Proof

        attempts_by_band: dict[str, list[Proof]] = {}
        for entry in self.attempts:
            if isinstance(entry.data, LoggedBandRun) and entry.data.band and not entry.data.failed:
                attempts_by_band.setdefault(entry.data.band, []).append(Proof(entry.at_utc, entry.text, entry.route))
        return attempts_by_band


def _stood(hertz: float, level_db: float | None, unit: str) -> str:
    """Write `10.000 MHz at 52 dB-Hz`."""
    return f"{format_frequency(hertz, -2)}" + ("" if level_db is None else f" at {level_db:.0f} {unit}")


def worst_first(rows: "Sequence[BandRow]") -> "tuple[BandRow, ...]":
    """Sort key: what needs a person most is first."""
    return tuple(sorted(rows, key=lambda row: (row.trouble, row.band.low_hz)))


class BandBoard:
    """Board of all bands, computed from desk, calibration and log when it is requested."""

    def __init__(
        self,
        desk: Desk,
        calibration: Calibration,
        log: LogKeeper,
        background: Background,
        oscillators: "Callable[[], Sequence[OscillatorRow]]",
    ) -> None:
        """oscillators : their states, as every place shows them."""
        self._oscillators = oscillators
        self._desk, self._calibration, self._log, self._background = desk, calibration, log, background
        # Latest result; empty before the first request.
        self.last: tuple[BandRow, ...] = ()
        self.trouble = ""
        self._changed = Listeners()

    def on_board_changed(self, listener: Listener) -> Callable[[], None]:
        """Listen for a changed board."""
        return self._changed.add(listener)

    def refresh(self) -> None:
        """Request a new computation; `last` is updated soon."""
        self._background.ask("the board of bands", self._request().rows, self._take, self._fail)

    def rows(self) -> "tuple[BandRow, ...]":
        """Compute all bands at once."""
        self._take(self._request().rows())
        return self.last

    def _request(self) -> BoardRequest:
        estimates = self._calibration.oscillator_estimates
        return BoardRequest(
            self._desk.station,
            estimates.oscillators,
            frozenset(estimates.touched()),
            self._log.of_places(self._desk.station.name),
            self._log.entries(RUN_KIND, self._desk.station.name, limit=MAX_ATTEMPTS),
        )

    def _take(self, rows: "tuple[BandRow, ...]") -> None:
        if rows != self.last or self.trouble:
            self.last, self.trouble = rows, ""
            self._changed.tell()

    def _fail(self, sentence: str) -> None:
        self.trouble = sentence
        self._changed.tell()

    def choose_region(self, region: Region) -> None:
        """Choose a region of the radio regulations; undoable."""
        self._desk.edit("region", self._desk.station.in_region(region))

    def choose_country(self, name: str) -> str:
        """Choose a country, undoable; return what follows from it. An empty name is none.

        Raises BadStation for an unknown one.
        """
        if not name:
            self._desk.edit("country", msgspec.structs.replace(self._desk.station, country=""))
            return ""
        country = country_named(name)
        if country is None:
            raise BadStation(f"'{name}' is not in the table of countries: choose one of the list, or the region alone")
        self._desk.edit("country", self._desk.station.in_country(country))
        return country.sentence

    def keep_band(self, band: Band) -> None:
        """Add a band of the person's own, undoable; raises BadStation."""
        if not band.name.strip() or not 0 < band.low_hz < band.high_hz:
            raise BadStation("a band needs a name and two ends, the lower first: such as harbour 156.3 to 157.5 MHz")
        self._desk.edit("band", self._desk.station.with_own_bands((band,)))

    @property
    def own(self) -> tuple[Band, ...]:
        """The person's own bands."""
        return self._desk.station.own_bands

    def drop_band(self, band: Band) -> None:
        """Remove one of the person's own bands; undoable."""
        left = tuple(own for own in self.own if own != band)
        self._desk.edit("band", msgspec.structs.replace(self._desk.station, own_bands=left))

    def read_bands(self, path: Path) -> int:
        """Add the bands of a file, replacing those of the same names. Raises BadStation."""
        from yarddial.records.band_file import read_bands

        bands = read_bands(path)
        self._desk.edit("bands", self._desk.station.with_own_bands(bands))
        return len(bands)

    def write_bands(self, path: Path) -> int:
        """Write all bands into a file. Raises NotWritten."""
        from yarddial.records.band_file import write_bands

        bands = self._desk.station.bands
        write_bands(path, bands)
        return len(bands)

    def report(self) -> "Report":
        """State of the yard and all bands at this moment."""
        from yarddial.analysis.board.report import Report, ReportedOscillator
        from yarddial.analysis.correction.measurement_plan import WantedPlace
        from yarddial.records.entry import utc_now
        from yarddial.session.calibration.oscillator_list import wanted_places

        station = self._desk.station
        worst: dict[str, WantedPlace] = {}
        for place in wanted_places(station):
            worst.setdefault(place.route.name, place)
        routes = []
        for route in station.resolved_routes():
            parts, demanding = " - ".join(station.route_named(route.name).parts), worst.get(route.name)
            text = "not finished" if route.missing else "nothing of the bands"
            if demanding is not None:
                state = self._calibration.state(demanding.route, demanding.dial_hz)
                error = f"{format_hertz(state.error_hz, state.sigma_hz)} {format_sigma(state.sigma_hz)}"
                text = f"{error} at {format_frequency(demanding.dial_hz)}"
            routes.append((route.name, parts, text))
        oscillators = tuple(
            ReportedOscillator(row.title, row.value, row.known_to, row.entered, row.next_step)
            for row in self._oscillators()
        )
        notes = tuple(
            f"{entry.at_utc[:10]} {entry.at_utc[11:16]} UTC: {entry.text}"
            for entry in self._log.entries("note", station.name, limit=MAX_NOTES)
        )
        return Report(station.name, station.region, utc_now(), self.rows(), tuple(routes), oscillators, notes)

    def go(self, row: "BandRow") -> None:
        """Dial into a band with everything set: to a known station if there is one, else to its middle."""
        station, band = self._desk.station, row.band
        near = [r for r in station.references if band.low_hz <= r.frequency_hz <= band.high_hz]
        dial_hz = near[0].frequency_hz if near else round(band.middle_hz, -3)
        segment = segment_at(dial_hz, (band,))
        self._desk.dial(dial_hz)
        self._desk.choose_mode(near[0].mode if near else segment.mode if segment is not None else row.mode.key)
        if row.route and not station.held:
            self._desk.choose_route(row.route)


class BoardTopics(CalibrationTopics, Protocol):
    """What the overview of bands needs of the session."""

    @property
    def calibration_sequence(self) -> "CalibrationSequence":
        """The list of oscillators."""
        ...


def _make(of: BoardTopics) -> BandBoard:
    return BandBoard(of.desk, of.calibration, of.log, of.background, lambda: of.calibration_sequence.rows())  # noqa: PLW0108 - made when asked


def _verdict(board: BandBoard, of: object) -> Verdict:
    from yarddial.session.bands.verdict import bands_verdict

    return bands_verdict(board.last)


DECLARATION = Declaration(make=_make, on_changed=lambda board: board.on_board_changed, verdict=("Bands", _verdict))
