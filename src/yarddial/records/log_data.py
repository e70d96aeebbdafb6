"""Data of each kind of log entry, as tagged structs; older shapes are upgraded on reading."""

from typing import Any, get_args

import msgspec

from yarddial.yard.observation import Observation, lasting_error_of, tells_of_centre
from yarddial.yard.strong import Strong

# Value and one sigma of an oscillator, in its own unit.
Known = tuple[float, float]


class LoggedNothing(msgspec.Struct, frozen=True, tag="nothing"):
    """No data: the text says everything."""


class LoggedLater(msgspec.Struct, frozen=True, tag="later"):
    """Data written by a later version of this program, kept unchanged."""

    raw: dict[str, Any]


class LoggedTuning(msgspec.Struct, frozen=True, omit_defaults=True):
    """Acknowledged settings of the receiver: hertz as the receiver counts, gains in dB.

    middle_hz : of the slice that was measured. requested_centre_hz : as requested.
    """

    centre_hz: float
    rate_hz: float
    middle_hz: float
    requested_centre_hz: float
    gains_db: dict[str, float] = {}
    port: str = ""
    route: str = ""
    is_guarded: bool = False


class LoggedObservation(msgspec.Struct, frozen=True, tag="observation", omit_defaults=True):
    """A measured or entered carrier, with the state of every oscillator at that time.

    oscillators : added when the fit is done; until then only the observation is kept.
    tuning : on which it rests; None for other sources, and in older logs.
    more : further results of other methods.
    model, is_adequate, remark : signal model of the measurement, whether it explains the record, and a remark.
    """

    observation: Observation
    oscillators: dict[str, Known] = {}
    cn0_dbhz: float | None = None
    duration_s: float | None = None
    drift_hz_per_s: float | None = None
    more: dict[str, float] = {}
    model: str = ""
    is_adequate: bool = True
    remark: str = ""
    tuning: LoggedTuning | None = None


class LoggedObservations(msgspec.Struct, frozen=True, tag="observations", omit_defaults=True):
    """Observations made by another method; `more` holds that method's further results."""

    observations: tuple[Observation, ...]
    oscillators: dict[str, Known] = {}
    more: dict[str, float] = {}


class LoggedChange(msgspec.Struct, frozen=True):
    """One number entered: ppm for a crystal, hertz for a converter's oscillator."""

    part: str
    unit: str
    old: float
    new: float
    known_only: bool = False


class LoggedCorrection(msgspec.Struct, frozen=True, tag="correction"):
    """Values entered, and the dial's expected one-sigma uncertainty."""

    changes: tuple[LoggedChange, ...]
    expected_sigma_hz: float


class LoggedEntered(msgspec.Struct, frozen=True, tag="entered values"):
    """All entered values after a correction was undone or redone, by part."""

    entered: dict[str, float]


class LoggedPlace(msgspec.Struct, frozen=True, tag="place", omit_defaults=True):
    """Dial position of a note or a settings card; `file` is the card's."""

    dial_hz: float
    mode: str = ""
    file: str = ""


class LoggedGainSweep(msgspec.Struct, frozen=True, tag="gain sweep"):
    """Result of a gain sweep at each step, and its advice."""

    advice: dict[str, Any]
    steps: tuple[dict[str, Any], ...]
    tuning: LoggedTuning | None = None


class LoggedNoiseReading(msgspec.Struct, frozen=True, omit_defaults=True):
    """A noise reading: seconds since the first, the floor in its unit, or None with the reason."""

    at_s: float
    floor: float | None
    unit: str
    dial_hz: float
    gains_db: dict[str, float] = {}
    why_not: str = ""


class LoggedNoise(msgspec.Struct, frozen=True, tag="noise"):
    """Readings of the noise floor, one per minute."""

    readings: tuple[LoggedNoiseReading, ...]


class LoggedAttenuationTest(msgspec.Struct, frozen=True, tag="attenuation test"):
    """Result of the 3:1 test for each line."""

    lines: tuple[dict[str, Any], ...]
    tuning: LoggedTuning | None = None


class LoggedPeak(msgspec.Struct, frozen=True):
    """A judged peak of a tested span. over_db : height over the floor; None in older logs."""

    dial_hz: float
    verdict: str
    cause: str
    kind: str = ""
    over_db: float | None = None


class LoggedSpanTest(msgspec.Struct, frozen=True, tag="span test"):
    """All peaks of a tested span."""

    peaks: tuple[LoggedPeak, ...]


class LoggedInterferenceSearch(msgspec.Struct, frozen=True, tag="hunt"):
    """An interference search: fingerprint, every step with its level, and the result."""

    what: str
    steps: tuple[tuple[str, float], ...]
    culprit: str = ""


class LoggedComparison(msgspec.Struct, frozen=True, tag="comparison"):
    """Comparison of two set-ups: the answer, and every pair behind it."""

    compared: dict[str, Any]
    pairs: tuple[dict[str, Any], ...]


class LoggedWatch(msgspec.Struct, frozen=True, tag="watch"):
    """A carrier watched: seconds, ppm, one sigma in ppm."""

    points: tuple[tuple[float, float, float], ...]


class LoggedDeviceCheck(msgspec.Struct, frozen=True, tag="device check"):
    """First light: the verdict and every check."""

    verdict: str
    checks: tuple[dict[str, Any], ...]


class LoggedStrong(msgspec.Struct, frozen=True, tag="strong signals"):
    """All strong signals known at the time."""

    signals: tuple[Strong, ...]


class LoggedRemedy(msgspec.Struct, frozen=True, tag="remedy"):
    """Remedy set against a spurious signal, with the channel before and after."""

    remedy: str
    over_before_db: float
    over_db: float


class LoggedBandRun(msgspec.Struct, frozen=True, tag="band run", omit_defaults=True):
    """A step of the proof of all bands: its beginning, a band, or its end.

    failed : why a band was not tested; empty where it was.
    """

    run: str
    ended: bool = False
    band: str = ""
    failed: str = ""
    true: int = 0
    ghost: int = 0
    unsure: int = 0


LogData = (
    LoggedNothing | LoggedLater | LoggedObservation | LoggedObservations | LoggedCorrection | LoggedEntered
    | LoggedPlace | LoggedGainSweep | LoggedAttenuationTest | LoggedSpanTest
    | LoggedNoise | LoggedInterferenceSearch | LoggedComparison | LoggedWatch
    | LoggedDeviceCheck | LoggedStrong | LoggedRemedy | LoggedBandRun
)  # fmt: skip
NO_DATA = LoggedNothing()
_TAGS = frozenset(kind.__struct_config__.tag for kind in get_args(LogData))


def read_log_data(kind: str, raw: dict[str, Any]) -> LogData:
    """Decode the data of an entry; version 1 had no tags, so its kind decides.

    An unknown tag was written by a later version and is kept unchanged. Raises ValueError where the data contradict the
    tag, and KeyError or TypeError for misshapen data of version 1.
    """
    current = raw if "type" in raw else _of_version_1(kind, raw)
    try:
        data: LogData = msgspec.convert(current, LogData)
    except msgspec.ValidationError as error:
        if current.get("type") in _TAGS:
            raise ValueError(f"data is not what it says it is: {error}") from error
        return LoggedLater(raw)
    return data


def log_builtins(data: LogData) -> dict[str, Any]:
    """Convert log data to JSON-ready values."""
    if isinstance(data, LoggedLater):
        return data.raw
    builtins = msgspec.to_builtins(data, enc_hook=lambda number: number.item())
    assert isinstance(builtins, dict)
    return builtins


def oscillators_of(data: LogData) -> dict[str, Known]:
    """State of every oscillator in an entry that holds it."""
    return data.oscillators if isinstance(data, LoggedObservation | LoggedObservations) else {}


def observations_of(data: LogData) -> tuple[Observation, ...]:
    """Observations of an entry, in the order in which they were made."""
    match data:
        case LoggedObservation():
            return (data.observation,)
        case LoggedObservations():
            return data.observations
        case _:
            return ()


# Shape of each kind in untagged entries.
_TAGS_OF_VERSION_1 = {
    "correction": "correction", "undo": "entered values", "note": "place", "card": "place", "ghosts": "span test",
    "comparison": "comparison", "watch": "watch", "first light": "device check", "strong signals": "strong signals",
    "remedy": "remedy", "band run": "band run",
}  # fmt: skip


def _of_version_1(kind: str, raw: dict[str, Any]) -> dict[str, Any]:
    if not raw:
        return {"type": "nothing"}
    if kind in ("observation", "verification"):
        return _observations_of_version_1(raw)
    if kind == "levels":
        if "lines" in raw:
            return {"type": "attenuation test", "lines": raw["lines"]}
        return {"type": "gain sweep", "steps": raw.get("steps", ()), "advice": _without(raw, "steps")}
    return {**raw, "type": _TAGS_OF_VERSION_1.get(kind, "later"), "raw": raw}


def _observations_of_version_1(raw: dict[str, Any]) -> dict[str, Any]:
    if "observations" in raw:
        several = [_observation_of_version_1(raw_observation) for raw_observation in raw["observations"]]
        more = _without(raw, "observations", "oscillators")
        return {
            "type": "observations", "observations": several, "oscillators": raw.get("oscillators", {}), "more": more
        }  # fmt: skip
    if "observation" not in raw:
        return {"type": "later", "raw": raw}
    named = ("observation", "oscillators", "cn0_dbhz", "duration_s", "drift_hz_per_s")
    seen = _observation_of_version_1(raw["observation"])
    return {**raw, "type": "observation", "observation": seen, "more": _without(raw, *named)}


def _observation_of_version_1(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 1 encoded the clocks by a centre, and shared errors by name and frequency."""
    shares = lasting_error_of(raw.get("reference_name", ""), raw["reference_hz"])
    tells_of = msgspec.to_builtins(tells_of_centre(raw.get("centre_hz")))
    return {**_without(raw, "centre_hz"), "tells_of": tells_of, "shares": shares}


def _without(raw: dict[str, Any], *keys: str) -> dict[str, Any]:
    return {key: value for key, value in raw.items() if key not in keys}
