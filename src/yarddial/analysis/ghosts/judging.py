"""True or spurious: Bayesian comparison of a peak's behaviour in tests with what each cause predicts."""

from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np

from yarddial.analysis.ghosts.scene import Ghost, SpuriousKind
from yarddial.analysis.ghosts.span import Peak, Span

SettingChange = Literal["centre", "attenuation", "gain", "rate", "antenna", "route"]
# Prior odds that a peak is true, and that it is an unpredicted cause; predicted spurious signals share the rest by fit.
TRUE_BEFORE, OTHER_BEFORE = 0.6, 0.05
# Prior odds for a peak that matches a predicted spurious signal: it is seldom anything else.
MET_BEFORE, MET_WEIGHT = 0.25, 0.5
# Prior odds of a sideband when its twin is on the other side of the same strong signal, within this many dB.
TWIN_BEFORE, TWIN_DB = 0.004, 3.0
# Unknown signals are seldom strong: their odds fall tenfold per this many dB above the peak threshold, half as fast for
# the receiver's own products.
RARER_DB, FROM_DB = 20.0, 12.0
INNER_SHARE, INNER_ALIAS = 0.25, 0.2
# One sigma of a predicted level, limited by the parts' data.
LEVEL_SIGMA_DB = 6.0
# Give a verdict from these odds on.
VERDICT_ODDS = 0.99
# A cause with more than this share of the best one's odds is a rival.
RIVAL_ODDS_SHARE = 0.3
# Value of a test relative to one that the receiver makes by itself: a route must exist, an antenna must be reached.
EXTRA_TEST_EFFORT = {"route": 0.7, "antenna": 0.4}
# Probability that a test fails by itself: a burst, a fade.
TEST_FAILURE_ODDS = 1e-4
# Probability that another signal is where a spurious one has moved away.
STILL_THERE = 0.01
# A peak that fell by more than the first is gone; one this far above the floor is clear of it.
GONE_DB, CLEAR_DB = 10.0, 6.0
# One sigma of a level between two records; between two routes with the same antenna, and with different ones.
RECORD_SIGMA_DB, SAME_ANTENNA_SIGMA_DB, ROUTE_SIGMA_DB = 1.5, 4.0, 9.0


class PeakCause(msgspec.Struct, frozen=True):
    """One explanation of a peak: true, or spurious; how it would move and fall, and when it would vanish.

    stays_without_antenna : made by the receiver or a converter itself.
    on_other_route : true where the same dial frequency on another route would show it too.
    """

    kind: SpuriousKind
    words: str
    moves: float
    falls: float
    moves_rate: float
    stays_without_antenna: bool
    on_other_route: bool
    before: float

    @property
    def falls_with_gain(self) -> float:
        """Decibels lost per decibel of receiver gain taken off; the ADC's own spike does not follow."""
        return 0.0 if self.kind == "spike" else max(self.falls, 1.0)


class SpanRecord(msgspec.Struct, frozen=True):
    """One thing changed, by how much (hertz, or dB), and the span as it was then.

    same_antenna : of another route: levels are then alike, but for what the parts between cost.
    sigma_db : of a level between then and now.
    shift_hz : by how much a true signal stands elsewhere on the dial then, as another route has another error.
    """

    change: SettingChange
    amount: float
    span: Span
    shift_hz: float = 0.0
    same_antenna: bool = False
    sigma_db: float = RECORD_SIGMA_DB


class Judgement(msgspec.Struct, frozen=True):
    """Causes with their odds, likeliest first; the verdict, and the most useful test while it is uncertain.

    blind : changes made in a way that could not separate the likely causes: repeat them differently.
    """

    odds: tuple[tuple[PeakCause, float], ...]
    verdict: Literal["true", "ghost", "unsure"]
    missing: SettingChange | None
    blind: tuple[SettingChange, ...] = ()

    @property
    def best(self) -> PeakCause:
        """The most likely cause."""
        return self.odds[0][0]

    @property
    def likely(self) -> tuple[PeakCause, ...]:
        """All nearly equally likely causes; without true signals where the verdict is spurious."""
        possible = [(c, o) for c, o in self.odds if c.kind != "true" or self.verdict != "ghost"]
        return tuple(cause for cause, share in possible if share > RIVAL_ODDS_SHARE * possible[0][1])

    @property
    def kinds(self) -> str:
        """Kinds of the likely causes, in a word or two each."""
        return " or ".join(dict.fromkeys(cause.kind for cause in self.likely[:2]))

    @property
    def words(self) -> str:
        """Verdict in words, as far as known."""
        return ", or ".join(cause.words for cause in self.likely[:2])


def causes(
    dial_hz: float,
    level_dbm: float | None,
    ghosts: Sequence[Ghost],
    within_hz: float,
    *,
    has_converter: bool = False,
    seen: Span | None = None,
) -> tuple[PeakCause, ...]:
    """List what may be at a frequency: a true signal, any predicted spurious one, and those of unknown sources.

    level_dbm : of the peak at the socket; None where it is not known.
    within_hz : how exactly place and prediction are known together, one sigma.
    has_converter : a route with one may show what passes it unconverted, known of or not.
    seen : the span that it stands in: what is strong, or far from the edges, is less often made by what nobody knows.
    """
    rarer, own_rarer, alias = 1.0, 1.0, 1.0
    if seen is not None:
        over_db = max(seen.level_near(dial_hz) - seen.floor_dbm - FROM_DB, 0.0)
        rarer, own_rarer = 10 ** (-over_db / RARER_DB), 10 ** (-over_db / (2 * RARER_DB))
        alias = INNER_ALIAS if abs(dial_hz - seen.centre_hz) < INNER_SHARE * seen.rate_hz else 1.0
    weights: list[float] = []
    near: list[Ghost] = []
    for ghost in ghosts:
        away = (ghost.dial_hz - dial_hz) / within_hz
        if ghost.kind == "true" or abs(away) > 4.0:
            continue
        misfit = 0.0 if level_dbm is None else (ghost.level_dbm - level_dbm) / LEVEL_SIGMA_DB
        near.append(ghost)
        weights.append(float(np.exp(-0.5 * (away**2 + misfit**2))))
    met = seen is not None and level_dbm is not None and max(weights, default=0.0) > MET_WEIGHT
    true_before = MET_BEFORE if met else TRUE_BEFORE
    if met and seen is not None and level_dbm is not None and _has_twin(near, ghosts, level_dbm, seen):
        true_before = TWIN_BEFORE
    candidates = [PeakCause("true", "a true signal", 0.0, 1.0, 0.0, False, True, true_before)]
    share = 1 - true_before - OTHER_BEFORE
    total = sum(weights) + 0.05
    for ghost, weight in zip(near, weights, strict=True):
        candidates.append(_cause(ghost, share * weight / total))
    unknown = [
        ("mirror", "the mirror of a signal that was not seen", 2.0, 1.0, False, 1.0),
        ("spike", "the spike at the centre", 1.0, 0.0, True, 1.0),
        ("harmonic mixing", "a signal far above, by three times the tuner's oscillator", -2.0, 1.0, False, 1.0),
        ("third order", "a product of strong signals that are not known", 0.0, 3.0, False, rarer),
        ("second order", "a product of two strong signals that are not known", 0.0, 2.0, False, rarer),
        ("harmonic mixing", "a signal far above, by twice the tuner's oscillator", -1.0, 1.0, False, 0.3),
        ("converter", "what the converter makes of a strong signal", 4.0, 3.0, False, 0.3),
        ("oscillator", "something that the receiver or the computer makes", 0.0, 0.0, True, own_rarer),
        ("alias", "a signal beyond the span, folded in", 0.0, 1.0, False, alias),
    ]
    if has_converter:
        unknown.append(("leak-through", "a strong signal that passes the converter unconverted", 0.0, 1.0, False, 1.0))
    for kind, words, moves, falls, stays, often in unknown:
        rate, before = -1.0 if kind == "alias" else 0.0, OTHER_BEFORE / 8 * often
        candidates.append(PeakCause(kind, words, moves, falls, rate, stays, False, before))  # type: ignore[arg-type]
    return tuple(candidates)


def _has_twin(near: Sequence[Ghost], ghosts: Sequence[Ghost], level_dbm: float, seen: Span) -> bool:
    """Return True for an oscillator's sideband whose other one is present too."""
    return any(
        other.kind == neighbour.kind and other.sources == neighbour.sources and other.formula != neighbour.formula
        and seen.covers(other.dial_hz) and abs(seen.level_near(other.dial_hz) - level_dbm) < TWIN_DB
        for neighbour in near
        if neighbour.kind == "sideband"
        for other in ghosts
    )  # fmt: skip


def judge(
    candidates: Sequence[PeakCause],
    peak: Peak,
    records: Sequence[SpanRecord],
    impossible: frozenset[SettingChange] = frozenset(),
) -> Judgement:
    """Weigh all records by Bayes' rule: for each cause, is the peak at the predicted frequency and level?

    peak : before any change. impossible : tests that must not be proposed.
    """
    logs = np.log([cause.before for cause in candidates])
    for record in records:
        logs = logs + np.log([_likelihood(cause, peak, record) for cause in candidates])
    odds = np.exp(logs - logs.max())
    odds /= odds.sum()
    ranked = sorted(zip(candidates, odds.tolist(), strict=True), key=lambda pair: -pair[1])
    is_true = sum(share for cause, share in ranked if cause.kind == "true")
    verdict: Literal["true", "ghost", "unsure"] = "unsure"
    if is_true >= VERDICT_ODDS:
        verdict = "true"
    elif 1 - is_true >= VERDICT_ODDS:
        verdict = "ghost"
    if verdict != "unsure":
        return Judgement(tuple(ranked), verdict, None)
    truth = next(cause for cause, _ in ranked if cause.kind == "true")
    ghosts = [(cause, share) for cause, share in ranked if cause.kind != "true"]
    likely = [cause for cause, share in ghosts if share > RIVAL_ODDS_SHARE * ghosts[0][1]]
    telling = {record.change for record in records if any(_could_tell(cause, truth, peak, record) for cause in likely)}
    # A change to which no remaining cause reacts gives no more information.
    idle = {record.change for record in records if not any(_differs(cause, truth, record.change) for cause in likely)}
    blind = tuple(dict.fromkeys(record.change for record in records if record.change not in telling | idle))
    return Judgement(tuple(ranked), verdict, best_test(ranked, telling | idle | impossible), blind)


def best_test(ranked: Sequence[tuple[PeakCause, float]], done: set[SettingChange]) -> SettingChange | None:
    """Choose the pending test that separates true signals from ghosts best."""
    best: tuple[float, SettingChange | None] = (0.0, None)
    truth = next(cause for cause, _ in ranked if cause.kind == "true")
    for change in ("centre", "attenuation", "gain", "rate", "route", "antenna"):
        if change in done or (change == "attenuation" and "gain" in done):
            continue
        separated_share = sum(
            share for cause, share in ranked if cause.kind != "true" and _differs(cause, truth, change)
        )
        worth = separated_share * EXTRA_TEST_EFFORT.get(change, 1.0)
        if worth > best[0] + 1e-9:
            best = (worth, change)
    return best[1]


def _cause(ghost: Ghost, before: float) -> PeakCause:
    of = f" of {', '.join(ghost.sources)}" if ghost.sources else ""
    stays = ghost.kind in ("spike", "crystal", "oscillator") or ghost.falls == 0.0
    words = f"{ghost.kind}{of}: {ghost.formula}"
    return PeakCause(ghost.kind, words, ghost.moves, ghost.falls, ghost.moves_rate, stays, False, before)


def _differs(cause: PeakCause, truth: PeakCause, change: SettingChange) -> bool:
    if change == "centre":
        return cause.moves != truth.moves
    if change == "attenuation":
        return cause.falls != truth.falls
    if change == "gain":
        return cause.falls_with_gain != truth.falls_with_gain
    if change == "rate":
        return cause.moves_rate != truth.moves_rate
    if change == "antenna":
        return cause.stays_without_antenna != truth.stays_without_antenna
    return cause.on_other_route != truth.on_other_route


def _could_tell(cause: PeakCause, truth: PeakCause, peak: Peak, record: SpanRecord) -> bool:
    """Return True when a record covers a frequency where the two causes differ, at a visible level."""
    if not _differs(cause, truth, record.change):
        return False
    if record.change in ("attenuation", "gain"):
        # Otherwise both may have sunk into the noise.
        return peak.level_dbm - record.amount > record.span.floor_dbm + CLEAR_DB and record.span.covers(peak.dial_hz)
    moved_hz = {"centre": cause.moves, "rate": cause.moves_rate}.get(
        record.change, 0.0
    ) * record.amount + record.shift_hz
    return record.span.covers(peak.dial_hz + record.shift_hz) or record.span.covers(peak.dial_hz + moved_hz)


def _likelihood(cause: PeakCause, peak: Peak, record: SpanRecord) -> float:
    """Likelihood of a record under a cause: the peak is where and as strong as predicted, and gone from its old
    place.
    """
    moved_hz, fell_db, gone = record.shift_hz, 0.0, False
    if record.change == "centre":
        moved_hz = cause.moves * record.amount
    elif record.change == "rate":
        moved_hz = cause.moves_rate * record.amount
    elif record.change == "attenuation":
        fell_db = cause.falls * record.amount
    elif record.change == "gain":
        fell_db = cause.falls_with_gain * record.amount
    elif record.change == "antenna":
        gone = not cause.stays_without_antenna
    else:
        gone = not cause.on_other_route
    span = record.span
    if gone:
        return _is_gone(span, Peak(peak.dial_hz + record.shift_hz, peak.level_dbm))
    likelihood = 1.0
    place_hz, level_dbm = peak.dial_hz + moved_hz, peak.level_dbm - fell_db
    if span.covers(place_hz):
        seen_dbm = span.level_near(place_hz)
        if level_dbm > span.floor_dbm + CLEAR_DB:
            sigma_db = record.sigma_db
            if record.change == "route":
                sigma_db = SAME_ANTENNA_SIGMA_DB if record.same_antenna else ROUTE_SIGMA_DB
            misfit = (seen_dbm - level_dbm) / sigma_db
            likelihood *= float(np.exp(-0.5 * min(misfit**2, 400.0))) + TEST_FAILURE_ODDS
        else:
            likelihood *= 1.0 if seen_dbm < span.floor_dbm + 2 * CLEAR_DB else STILL_THERE
    if record.change in ("centre", "rate") and abs(moved_hz) > 4 * span.within_hz and span.covers(peak.dial_hz):
        likelihood *= _is_gone(span, peak)
    return likelihood


def _is_gone(span: Span, peak: Peak) -> float:
    """Probability that nothing is left at the old frequency; sometimes another signal is there."""
    if not span.covers(peak.dial_hz):
        return 1.0
    min_dbm = max(peak.level_dbm - GONE_DB, span.floor_dbm + CLEAR_DB)
    return 1.0 if span.level_near(peak.dial_hz) < min_dbm else STILL_THERE
