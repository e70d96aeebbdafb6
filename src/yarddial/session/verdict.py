"""A verdict, then the evidence, then the fix: the sentences over the places, made from the numbers."""

from datetime import UTC, datetime
from typing import TYPE_CHECKING, Literal

import msgspec

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.checking import Checking
from yarddial.session.desk import Desk
from yarddial.session.inspection import Inspection
from yarddial.session.leveling import Leveling
from yarddial.session.listening import Listening
from yarddial.session.log_keeper import LogKeeper
from yarddial.session.reception import Reception
from yarddial.session.truing import Truing
from yarddial.yard.frequency import format_bound, format_doubt, format_frequency, format_hertz, format_number
from yarddial.yard.modes import Mode, mode_named, suitability
from yarddial.yard.oscillators import DialState
from yarddial.yard.parts import Antenna
from yarddial.yard.reach import Segment, why_out_of_reach
from yarddial.yard.ways import WAYS

if TYPE_CHECKING:
    from yarddial.analysis.levels.advice import Advice
    from yarddial.session.spanning import SpanAnswer

# A signal is more than noise from here on.
HEARD_DB = 6.0
# A step or two beside the advised gain nobody hears.
NEAR_GAIN_DB = 3.0
# A channel this strong alone leaves nothing below full scale.
LIMIT_DBFS = -1.0

Mark = Literal["good", "look", "stop", "unknown"]


class Verdict(msgspec.Struct, frozen=True):
    """A mark, one sentence, and what follows from it."""

    mark: Mark
    sentence: str
    consequence: str
    short: str


def dial_verdict(state: DialState, mode: Mode, *, measured: bool) -> Verdict:
    """Judge the dial at its place for a mode.

    An error within twice its doubt counts as none: the dial is then true to within the doubt.
    """
    error_hz, sigma_hz = state.error_hz, state.sigma_hz
    served = abs(error_hz) + 2 * sigma_hz <= mode.bears_hz
    fits = suitability(error_hz, sigma_hz)
    if not measured:
        return Verdict(
            "good" if served else "unknown",
            f"Your dial may be off by {format_doubt(2 * sigma_hz)[1:]} here.",
            f"Only the data sheets speak so far. {fits}",
            f"±{format_doubt(sigma_hz)[1:]}, not measured",
        )
    if abs(error_hz) > max(2 * sigma_hz, 0.5):
        side = "high" if error_hz > 0 else "low"
        size = format_hertz(abs(error_hz), sigma_hz, signed=False)
        return Verdict(
            "look",
            f"Your dial reads {size} {side} on this route.",
            f"Known to {format_doubt(sigma_hz)[1:]}. Enter the correction, then verify. {fits}",
            f"{size} {side}",
        )
    within = max(abs(error_hz), sigma_hz)
    return Verdict(
        "good" if served else "look",
        f"Your dial is true to {format_doubt(within)[1:]} on this route.",
        fits,
        f"true to {format_doubt(within)[1:]}",
    )


def place_verdict(truing: Truing, mode: Mode) -> Verdict:
    """True's line in the list of places: the dial, whatever is under way."""
    why_not = truing.why_out_of_reach()
    if why_not:
        return Verdict("look", "The dial is out of reach.", f"{why_not}.", "out of reach")
    return dial_verdict(truing.state(), mode, measured=truing.touches_active_route())


def true_verdict(truing: Truing, mode: Mode) -> Verdict:
    """The heading of True: a failure first, then what is under way, then the dial."""
    if truing.outcome is not None and truing.outcome.kind == "failed":
        return Verdict("stop", "Nothing was measured.", _capital(truing.outcome.text) + ".", "not measured")
    if truing.measuring is not None:
        now = truing.measuring
        doubt = "nothing stands out yet" if now.doubt_hz == float("inf") else f"doubt {format_doubt(now.doubt_hz)}"
        return Verdict(
            "unknown",
            f"Measuring {now.reference.name}: {doubt}.",
            f"Searching {format_doubt(now.within_hz)} around the stated place. Esc cancels.",
            "measuring",
        )
    verdict = place_verdict(truing, mode)
    if verdict.short == "out of reach":
        return verdict
    if truing.fit is not None and truing.fit.inseparable:
        consequence = _capital(truing.fit.inseparable[0]) + "."
        return msgspec.structs.replace(verdict, consequence=consequence)
    return verdict


def bench_verdict(desk: Desk, found: tuple[BenchFinding, ...], coverages: dict[str, tuple[Segment, ...]]) -> Verdict:
    """What is wrong with the yard first; then how much of the spectrum it reaches, and whether the dial is in it."""
    station, line = desk.station, desk.line
    if not station.routes:
        return Verdict(
            "unknown",
            "This yard is still empty.",
            "Put in an antenna, what comes behind it, and a receiver; the rest follows from their values.",
            "empty",
        )
    stops = [finding for finding in found if finding.mark == "stop" and finding.seen is None]
    if stops:
        more = f" {len(stops) - 1} more below." if len(stops) > 1 else ""
        return Verdict("stop", f"{stops[0].what}.", f"{_capital(stops[0].why)}.{more}", _count(len(stops), "stop"))
    if line.missing:
        return Verdict("look", f"{_capital(line.missing)}.", "Until then it reaches nothing.", "unfinished route")
    why_not = why_out_of_reach(station, station.dial_hz) or desk.line.why_not(station.dial_hz)
    antennas = sum(isinstance(part, Antenna) for part in station.parts)
    short = f"{_count(antennas, 'antenna')}, {_count(len(station.routes), 'route')}"
    spans = sorted(
        (segment.low_hz, segment.high_hz)
        for segments in coverages.values()
        for segment in segments
        if segment.state == "reached"
    )
    if not spans:
        return Verdict("stop", "No route of this yard reaches anything.", "Look at the ranges below.", short)
    joined = _joined(spans)
    reach = " and ".join(f"{format_bound(low)} to {format_bound(high)}" for low, high in joined)
    if len(joined) > 2:
        reach = f"{format_bound(joined[0][0])} to {format_bound(joined[-1][1])}, with {len(joined) - 1} gaps"
    if why_not:
        return Verdict("look", f"{format_frequency(station.dial_hz)} is out of reach.", f"{_capital(why_not)}.", short)
    weak = line.reach(station.dial_hz).reason
    if weak:
        sentence = f"{format_frequency(station.dial_hz)} is reached, but weakly."
        return Verdict("look", sentence, f"{_capital(weak)}.", short)
    return Verdict("good", f"The yard reaches {reach}.", f"The dial's frequency runs over {station.route}.", short)


def first_light_verdict(checking: Checking, desk: Desk) -> Verdict:
    """What the last run of First light found, the worst first."""
    results = checking.results
    if checking.running:
        done = f"{_count(len(results), 'check')} done"
        return Verdict("unknown", f"Checking {checking.receiver}: {done}.", "Each appears as it is made.", "checking")
    if checking.ended == "cancelled":
        return Verdict(
            "unknown", f"The check of {checking.receiver} was cancelled.", "What was found is below.", "cancelled"
        )
    if not results:
        name = desk.line.receiver.name if not desk.line.missing else "the receiver"
        sentence = f"It is not known yet whether {name} answers."
        return Verdict("unknown", sentence, "One run tells: driver, link, rates, gain, antenna.", "not checked")
    worst = {"stop": 0, "look": 1, "unknown": 2, "good": 3}
    first = min(results, key=lambda result: worst[result.verdict])
    if first.verdict == "good":
        text = f"{_count(len(results), 'check')}, all of them good."
        return Verdict("good", f"{checking.receiver} answers, and all is well with it.", text, "all well")
    wrong = sum(result.verdict in ("stop", "look") for result in results)
    named = checking.receiver in first.detail
    about = _capital(first.detail) if named else f"{checking.receiver}, {first.name}: {first.detail}"
    return Verdict(
        first.verdict,
        f"{about}.",
        f"{_capital(first.fix)}." if first.fix else "",
        f"{wrong} to look at" if wrong else "partly known",
    )


def span_line(desk: Desk) -> Verdict:
    """Span's line in the list of places: the rate in use, as far as that can be said at a glance."""
    line = desk.line
    if line.missing or line.why_not(desk.station.dial_hz):
        return Verdict("unknown", "", "", "out of reach")
    return Verdict("good", "", "", f"{line.receiver.rate_hz / 1e6:g} MS/s")


def span_verdict(answer: "SpanAnswer | None", desk: Desk) -> Verdict:
    """Where to put rate and centre for a band, and how clean that is."""
    if answer is None:
        why = desk.line.why_not(desk.station.dial_hz)
        return Verdict("look", "The dial is out of reach.", f"{_capital(why)}.", "out of reach")
    if not answer.covers:
        sentence = f"{_capital(answer.band.name)} takes {_count(len(answer.steps), 'step')}."
        return Verdict("look", sentence, f"{_capital(answer.trouble)}.", "in steps")
    best = answer.covers[0]
    where = format_frequency(best.centre_hz)
    sentence = f"{_capital(answer.band.name)}: {best.rate_hz / 1e6:g} MS/s, centre at {where}."
    return Verdict(
        "look" if best.hits else "good", sentence, f"{_capital(best.why())}.", f"{best.rate_hz / 1e6:g} MS/s"
    )


def levels_verdict(leveling: Leveling, desk: Desk) -> Verdict:
    """Which gain, and why."""
    stages = leveling.stages
    if not stages:
        name = desk.line.receiver.name
        return Verdict("unknown", f"{name} has no gain to set.", "Nothing is to be done here.", "no gain")
    now = ", ".join(f"{stage.name} {stage.set_db:g} dB" for stage in stages)
    if leveling.fraction is not None:
        return Verdict("unknown", f"Sweeping: {leveling.fraction:.0%} done.", "Each step is heard shortly.", "sweeping")
    if leveling.trouble:
        return Verdict("look", "The sweep brought nothing.", f"{_capital(leveling.trouble)}.", "no result")
    advice, swept = leveling.advice, leveling.swept
    if advice is None or swept is None or not leveling.is_current:
        what = "Sweep a stage: floor and signal are measured at each of its steps."
        return Verdict("unknown", f"Gain is not judged here: {now}.", what, now)
    set_db = next(stage.set_db for stage in stages if stage.name == swept.stage)
    if abs(set_db - advice.gain_db) <= NEAR_GAIN_DB and not _bends(advice, set_db):
        return Verdict(
            "good", f"{_capital(swept.stage)} is right at {set_db:g} dB.", f"{_capital(advice.reason)}.", now
        )
    verb = "Raise" if advice.gain_db > set_db else "Lower"
    sentence = f"{verb} {swept.stage} from {set_db:g} to {advice.gain_db:g} dB."
    return Verdict("look", sentence, f"{_capital(advice.reason)}.", f"{verb.lower()} to {advice.gain_db:g} dB")


def _bends(advice: "Advice", gain_db: float) -> bool:
    return advice.bent_from_db is not None and gain_db >= advice.bent_from_db


def listen_verdict(listening: Listening, reception: Reception, desk: Desk) -> Verdict:
    """What is heard, and how far it stands over the noise beside it."""
    where = format_frequency(desk.station.dial_hz)
    way = WAYS[listening.settings.way].name
    if why_not := desk.line.why_not(desk.station.dial_hz):
        return Verdict("look", "The dial is out of reach.", f"{_capital(why_not)}.", "out of reach")
    if reception.trouble:
        return Verdict("stop", "The receiver does not run.", f"{_capital(reception.trouble)}.", "stopped")
    if not reception.wanted:
        return Verdict("unknown", "The receiver is off.", f"Space starts it; then {where} is heard as {way}.", "off")
    if not listening.is_open:
        return Verdict("unknown", f"Nothing is heard yet at {where}.", f"Open it to hear {way}.", "open to hear")
    if listening.level_dbfs is None:
        return Verdict("unknown", f"Listening begins at {where}.", f"As {way}.", "begins")
    over_db = listening.over_floor_db()
    level = f"{format_number(listening.level_dbfs, 1.0)} dBFS in the channel"
    if (known := listening.level()) is not None:
        dbm = format_number(known[0].dbm, known[1])
        level = f"{known[0].s_meter}, {dbm} dBm at {desk.line.receiver.name}'s socket"
    if listening.level_dbfs > LIMIT_DBFS:
        fix = "lower the gain, or put an attenuator in front: what is heard now is bent"
        return Verdict("look", f"{where} drives the receiver to its limit.", f"{level}: {fix}.", "too strong")
    if not listening.squelch_open:
        return Verdict("good", f"Quiet at {where}.", f"{level}: the squelch is closed.", "quiet")
    if over_db is None:
        return Verdict("unknown", f"{where}, {way}.", f"{level}.", way)
    if over_db >= HEARD_DB:
        return Verdict(
            "good", f"{where} stands {over_db:.0f} dB over the noise.", f"{way}; {level}.", f"{over_db:.0f} dB"
        )
    return Verdict("look", f"Hardly more than noise at {where}.", f"{way}; {level}.", "noise")


def log_verdict(log: LogKeeper) -> Verdict:
    """How much is kept, and whether all of it is."""
    entries = log.shown()
    count = _count(len(entries), "entry", "entries")
    if log.trouble:
        what = f"{log.waiting} waiting" if log.waiting else "no log"
        return Verdict("stop", "The log cannot be written.", _capital(log.trouble) + ".", what)
    if not entries:
        return Verdict(
            "unknown", "Nothing is logged yet.", "Every measurement and correction will be kept here.", "empty"
        )
    measured = [entry for entry in entries if entry.kind in ("observation", "verification")]
    last = f"Last measured {_ago(measured[0].at_utc)}: {measured[0].text}." if measured else "Nothing measured yet."
    return Verdict("good", f"{count}, all of them kept.", last, count)


def all_verdicts(
    desk: Desk,
    inspection: Inspection,
    checking: Checking,
    truing: Truing,
    listening: Listening,
    reception: Reception,
    leveling: Leveling,
    log: LogKeeper,
) -> dict[str, Verdict]:
    """One line for every place, by its name."""
    mode = mode_named(desk.station.mode)
    return {
        "Bench": bench_verdict(desk, inspection.findings(), inspection.coverages()),
        "First light": first_light_verdict(checking, desk),
        "Span": span_line(desk),
        "True": place_verdict(truing, mode),
        "Levels": levels_verdict(leveling, desk),
        "Listen": listen_verdict(listening, reception, desk),
        "Log": log_verdict(log),
    }


def _joined(spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    joined: list[tuple[float, float]] = []
    for low, high in spans:
        if joined and low <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(high, joined[-1][1]))
        else:
            joined.append((low, high))
    return joined


def _count(number: int, one: str, many: str = "") -> str:
    return f"{number} {one if number == 1 else many or one + 's'}"


def _ago(at_utc: str) -> str:
    """A past moment as people say it."""
    then = datetime.strptime(at_utc, "%Y-%m-%dT%H:%M:%SZ").replace(tzinfo=UTC)
    minutes = (datetime.now(UTC) - then).total_seconds() / 60
    if minutes < 1.5:
        return "just now"
    if minutes < 90:
        return f"{minutes:.0f} min ago"
    return f"{minutes / 60:.0f} h ago" if minutes < 2880 else f"on {at_utc[:10]}"


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:].rstrip(".")
