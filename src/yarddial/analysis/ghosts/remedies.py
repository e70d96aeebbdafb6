"""Remedies that free a channel of spurious signals: each possible change is tried on the prediction, simplest first."""

from collections.abc import Callable, Iterator, Sequence
from math import log10
from typing import Literal

import msgspec
import numpy as np

from yarddial.analysis.ghosts.filters import Filter, filter_against
from yarddial.analysis.ghosts.prediction import predict
from yarddial.analysis.ghosts.scene import Ghost, Scene
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import SamplingClock, Stage, shown_for_dial, trace, trace_back
from yarddial.yard.strong import Strong

RemedyKind = Literal["centre", "rate", "gain", "route", "filter", "attenuator", "oscillator"]
# Free changes come first, purchases last.
KINDS: tuple[RemedyKind, ...] = ("centre", "rate", "gain", "route", "filter", "attenuator", "oscillator")
# A channel is free when all predicted products stay this far below the floor, and safely free below the second value.
FREE_DB, SAFE_DB = -3.0, -6.0
# Grid of centres as shares of the rate, not closer to the wanted channel than its spike is wide.
CENTRE_SHARES = np.arange(-36, 37, 2) / 100
SPIKE_HZ, GRID_HZ = 3_000.0, 1_000.0
# Avoid a spurious signal closer to the channel than this while there is a better choice.
CLEAR_HZ = 30_000.0
# Assume that signals within this many sample rates still alias into the span.
FOLDS_SHARE = 1.5
# A remedy that costs more signal-to-noise than this is rejected: with less gain the noise no longer dithers the ADC.
MAX_COST_DB = {"gain": 6.0, "attenuator": 10.0}
ATTENUATORS_DB = (3.0, 6.0, 10.0)
# Common oscillator frequencies of up-converters, hertz; none whose strong stations the check of the yard warns of.
OSCILLATORS_HZ = (120e6, 125e6, 150e6, 200e6)


class WantedChannel(msgspec.Struct, frozen=True):
    """The wanted channel: its dial frequency and width."""

    dial_hz: float
    width_hz: float


class SpanScene(msgspec.Struct, frozen=True):
    """A scene with the dial frequency, and the floor in one step of the span, dBm at the socket."""

    scene: Scene
    centre_hz: float
    rate_hz: float
    floor_dbm: float


class Able(msgspec.Struct, frozen=True):
    """What the receiver and the yard can change.

    rates_hz : that the receiver has and that lose nothing. less_db : how much gain can be taken off, rising.
    converter_dbm : noise of the analogue-to-digital converter in a step, which grows as gain falls.
    tunes : whether the receiver goes to a frequency at its socket. routes : others to the same place, by name.
    own_lo : the up-converter can be had with another oscillator.
    """

    rates_hz: tuple[float, ...] = ()
    less_db: tuple[float, ...] = ()
    converter_dbm: float = -300.0
    tunes: Callable[[float], bool] = lambda hertz: hertz > 0
    routes: tuple[tuple[str, SpanScene], ...] = ()
    own_lo: bool = False


class Remedy(msgspec.Struct, frozen=True):
    """One change with its predicted result.

    setting : the settings after it. dial_hz : dial frequency of the wanted signal after it.
    over_db : predicted level of the strongest spurious signal in the channel over the floor, -inf for none.
    costs_db : loss of signal-to-noise. clear_hz : distance from the channel to the nearest spurious signal.
    """

    kind: RemedyKind
    words: str
    setting: SpanScene
    dial_hz: float
    over_db: float
    clear_hz: float
    costs_db: float = 0.0
    less_db: float = 0.0
    part: Filter | None = None
    lo_hz: float = 0.0
    route: str = ""

    def prediction(self) -> str:
        """Expected result in words."""
        costs = f", at {self.costs_db:.0f} dB less signal to noise" if self.costs_db >= 0.5 else ""
        if self.over_db == -np.inf:
            return f"nothing is left in the channel{costs}"
        return f"it ends {-self.over_db:.0f} dB under the floor{costs}"


def remedies(
    setting: SpanScene, channel: WantedChannel, at_hand: Ghost | None, able: Able, order: int = 3
) -> tuple[Remedy, ...]:
    """List the remedies that free a channel, simplest first, at most one of each kind.

    Parameters
    ----------
    setting : Setting
        As it is now.
    at_hand : Ghost, optional
        What was found in the channel. Where the prediction knows it too, it is followed through every change; else
        its own way of moving and falling is.
    able : Able
        What can be changed.
    order : int
        Highest order of products.

    Notes
    -----
    Every candidate is predicted anew, so that no other ghost comes into the channel instead. A level that is only to
    be lowered has to end 6 dB under the floor where that can be had: levels by parts' data are no better.
    """
    planner = _Planner(setting, channel, at_hand, able, order)
    candidates: list[Remedy] = []
    for kind in KINDS:
        max_db = MAX_COST_DB.get(kind, np.inf)
        tried = [
            candidate
            for candidate in planner.candidates(kind)
            if candidate.over_db <= FREE_DB and candidate.costs_db <= max_db
        ]
        if tried:
            candidates.append(min(tried, key=planner.ranked))
    if planner.can_move and not any(candidate.kind in ("centre", "rate") for candidate in candidates):
        both = [candidate for candidate in planner.centres_at_other_rates() if candidate.over_db <= FREE_DB]
        if both:
            candidates.insert(0, min(both, key=planner.ranked))
    return tuple(candidates)


class _Planner:
    """The channel, spurious signal and means that all candidates share."""

    def __init__(self, now: SpanScene, channel: WantedChannel, at_hand: Ghost | None, able: Able, order: int) -> None:
        self.now, self.channel, self.able, self.order = now, channel, able, order
        clock = SamplingClock(now.scene.receiver.ppm, now.scene.receiver.entered_ppm)
        self.air_hz = trace_back(channel.dial_hz, now.scene.stages, clock).antenna_hz
        near = [g for g in self._ghosts(now) if at_hand and g.kind == at_hand.kind and self._covers(g.dial_hz)]
        self.known = max(near, key=lambda g: g.level_dbm, default=None)
        # A spurious signal that the prediction does not know moves and falls by its own measured behaviour.
        self.unknown = at_hand if at_hand is not None and self.known is None else None

    @property
    def can_move(self) -> bool:
        """Return True when another centre or rate moves it."""
        ghost = self.known or self.unknown
        return ghost is None or bool(ghost.moves or ghost.moves_rate)

    def candidates(self, kind: RemedyKind) -> Iterator[Remedy]:
        """Candidate changes of a kind."""
        return {
            "centre": lambda: self._centres(self.now.rate_hz), "rate": self._rates, "gain": self._gains,
            "route": self._routes, "filter": self._filters, "attenuator": self._attenuators,
            "oscillator": self._oscillators,
        }[kind]()  # fmt: skip

    def ranked(self, remedy: Remedy) -> tuple[bool, float, float, float]:
        """Sort key: safely below the floor, clear, cheap, small."""
        moved_hz = abs(remedy.setting.centre_hz - self.now.centre_hz)
        return remedy.over_db > SAFE_DB, -min(remedy.clear_hz, CLEAR_HZ), remedy.costs_db + remedy.less_db, moved_hz

    def centres_at_other_rates(self) -> Iterator[Remedy]:
        """Combinations of centre and rate, for when neither helps alone."""
        for rate_hz in self.able.rates_hz:
            if rate_hz != self.now.rate_hz:
                yield from self._centres(rate_hz)

    def _centres(self, rate_hz: float) -> Iterator[Remedy]:
        wanted_hz = self.channel.dial_hz
        for share in CENTRE_SHARES.tolist():
            centre_hz = round((wanted_hz - share * rate_hz) / GRID_HZ) * GRID_HZ
            off_hz = abs(centre_hz - wanted_hz)
            if off_hz < self.channel.width_hz / 2 + SPIKE_HZ or not self._tunes(self.now.scene, centre_hz):
                continue
            if centre_hz == self.now.centre_hz and rate_hz == self.now.rate_hz:
                continue
            words = f"move the centre to {format_frequency(centre_hz, 0)}"
            if rate_hz != self.now.rate_hz:
                words = f"sample at {rate_hz / 1e6:g} MS/s with the centre at {format_frequency(centre_hz, 0)}"
            changed = msgspec.structs.replace(self.now, centre_hz=centre_hz, rate_hz=rate_hz)
            yield self._tried("centre" if rate_hz == self.now.rate_hz else "rate", words, changed)

    def _rates(self) -> Iterator[Remedy]:
        off_hz = abs(self.channel.dial_hz - self.now.centre_hz)
        for rate_hz in self.able.rates_hz:
            if rate_hz != self.now.rate_hz and off_hz + self.channel.width_hz / 2 < 0.4 * rate_hz:
                changed = msgspec.structs.replace(self.now, rate_hz=rate_hz)
                yield self._tried("rate", f"sample at {rate_hz / 1e6:g} MS/s", changed)

    def _gains(self) -> Iterator[Remedy]:
        """Lower gains: intercepts at the socket rise with the reduction, and so does the noise of later stages."""
        receiver, floor_mw = self.now.scene.receiver, 10 ** (self.now.floor_dbm / 10)
        behind_mw = min(10 ** (self.able.converter_dbm / 10), 0.95 * floor_mw)
        for less_db in self.able.less_db:
            raised = {
                name: value + less_db
                for name in ("iip2_dbm", "iip3_dbm", "iip4_dbm", "iip5_dbm", "spike_dbm")
                if (value := getattr(receiver, name)) is not None
            }
            scene = msgspec.structs.replace(self.now.scene, receiver=msgspec.structs.replace(receiver, **raised))
            floor_dbm = 10 * log10(floor_mw - behind_mw + behind_mw * 10 ** (less_db / 10))
            changed = msgspec.structs.replace(self.now, scene=scene, floor_dbm=floor_dbm)
            costs_db = floor_dbm - self.now.floor_dbm
            yield self._tried("gain", f"take {less_db:.3g} dB of gain off", changed, costs_db=costs_db, less_db=less_db)

    def _attenuators(self) -> Iterator[Remedy]:
        """Attenuators: everything from the antenna falls, its noise included."""
        for takes_db in ATTENUATORS_DB:
            part = Filter("attenuator", 0.0, 0.0, 0, takes_db)
            floor_dbm = self.now.floor_dbm - takes_db
            changed = msgspec.structs.replace(self.now, scene=self._behind(part), floor_dbm=floor_dbm)
            words = f"put {part.words(0.0)} behind the antenna"
            yield self._tried("attenuator", words, changed, part=part, costs_db=takes_db, less_db=takes_db)

    def _filters(self) -> Iterator[Remedy]:
        """Filters against each signal that causes it; of a product one is enough."""
        if self.known is None:
            return
        over_db = self.known.level_dbm - self.now.floor_dbm - SAFE_DB
        for strong_signal in self.now.scene.strong:
            if not any(_is_of(source, strong_signal) for source in self.known.sources):
                continue
            for part_of in (3, 2, 1):
                part = filter_against(self.channel.dial_hz, strong_signal.frequency_hz, over_db / part_of)
                if part is not None:
                    changed = msgspec.structs.replace(self.now, scene=self._behind(part))
                    words = f"put in {part.words(strong_signal.frequency_hz)}"
                    costs_db = float(part.loss_db(np.array([self.channel.dial_hz]))[0])
                    yield self._tried("filter", words, changed, part=part, costs_db=costs_db)

    def _oscillators(self) -> Iterator[Remedy]:
        """Another converter of the same kind, with the same error in ppm."""
        stages = self.now.scene.stages
        if not self.able.own_lo or len(stages) != 1 or stages[0].kind != "sum":
            return
        stage = stages[0]
        for lo_hz in OSCILLATORS_HZ:
            if lo_hz == stage.lo_hz:
                continue
            other = Stage("sum", lo_hz, stage.lo_error_hz * lo_hz / stage.lo_hz, stage.name)
            scene = msgspec.structs.replace(self.now.scene, stages=(other,))
            if self._tunes(scene, self.now.centre_hz):
                changed = msgspec.structs.replace(self.now, scene=scene)
                own_hz = round(stage.lo_hz, -4)
                words = f"a converter with {format_frequency(lo_hz, 0)} instead of {format_frequency(own_hz, 0)}"
                yield self._tried("oscillator", words, changed, lo_hz=lo_hz)

    def _routes(self) -> Iterator[Remedy]:
        for name, setting in self.able.routes:
            yield self._tried("route", f"listen over {name}", setting, route=name)

    def _tried(
        self, kind: RemedyKind, words: str, setting: SpanScene, *, costs_db: float = 0.0, less_db: float = 0.0,
        part: Filter | None = None, lo_hz: float = 0.0, route: str = "",
    ) -> Remedy:  # fmt: skip
        half_hz, wanted_hz = self.channel.width_hz / 2, _shown_hz(setting.scene, self.air_hz)
        over_db, clear_hz = -np.inf, np.inf
        ghosts = list(self._ghosts(setting))
        if self.unknown is not None and kind not in ("route", "filter"):
            ghosts.append(self._moved(self.unknown, setting, part, less_db))
        for ghost in ghosts:
            away_hz = abs(ghost.dial_hz - wanted_hz) - half_hz - ghost.width_hz / 2
            if away_hz <= 0:
                over_db = max(over_db, ghost.level_dbm - setting.floor_dbm)
            elif ghost.level_dbm > setting.floor_dbm:
                clear_hz = min(clear_hz, away_hz)
        return Remedy(kind, words, setting, wanted_hz, over_db, clear_hz, costs_db, less_db, part, lo_hz, route)

    def _moved(self, ghost: Ghost, then: SpanScene, part: Filter | None, less_db: float) -> Ghost:
        """Predict an unknown spurious signal by how its kind moves and falls."""
        now = self.now
        moved_hz = ghost.moves * (then.centre_hz - now.centre_hz) + ghost.moves_rate * (then.rate_hz - now.rate_hz)
        falls_db = ghost.falls * part.takes_db if part is not None else max(ghost.falls - 1, 0.0) * less_db
        return msgspec.structs.replace(ghost, dial_hz=ghost.dial_hz + moved_hz, level_dbm=ghost.level_dbm - falls_db)

    def _ghosts(self, setting: SpanScene) -> Sequence[Ghost]:
        min_dbm = setting.floor_dbm + 2 * SAFE_DB
        receiver = msgspec.structs.replace(setting.scene.receiver, folds_share=FOLDS_SHARE)
        scene = msgspec.structs.replace(setting.scene, receiver=receiver)
        return predict(scene, setting.centre_hz, setting.rate_hz, min_dbm, self.order)

    def _behind(self, part: Filter) -> Scene:
        strong = self.now.scene.strong
        loss_db = (
            part.loss_db(np.array([strong_signal.frequency_hz for strong_signal in strong])).tolist() if strong else []
        )
        weaker = tuple(
            msgspec.structs.replace(strong_signal, level_dbm=strong_signal.level_dbm - loss)
            for strong_signal, loss in zip(strong, loss_db, strict=True)
        )
        return msgspec.structs.replace(self.now.scene, strong=weaker)

    def _tunes(self, scene: Scene, centre_hz: float) -> bool:
        return self.able.tunes(shown_for_dial(centre_hz, scene.stages))

    def _covers(self, dial_hz: float) -> bool:
        return abs(dial_hz - self.channel.dial_hz) <= self.channel.width_hz / 2


def _shown_hz(scene: Scene, air_hz: float) -> float:
    """Dial frequency of a true signal: its errors differ from those of another converter or route."""
    return trace(air_hz, scene.stages, SamplingClock(scene.receiver.ppm, scene.receiver.entered_ppm)).dial_hz


def _is_of(source: str, strong_signal: Strong) -> bool:
    """A product's source may have leaked through first, which is appended to its name."""
    name = strong_signal.name or f"{strong_signal.frequency_hz / 1e6:.6g} MHz"
    return source == name or source == f"{name}, leaked through"
