"""Noise along a route: what comes from outside, what each part adds, who decides, and what could be given away."""

from math import log10

import msgspec

from yarddial.yard.cascade import Cascade, ChainStage, cascade
from yarddial.yard.external_noise import KT0_DBM_HZ, external_noise_db
from yarddial.yard.line import Line
from yarddial.yard.parts import Antenna, Inner, Receiver, Transceiver, TwoPort, Value

# Taken where a part says nothing, with a word about it; usual for the class.
USUAL_NF_DB = {"preamplifier": 3.0, "converter": 10.0, "receiver": 8.0}
# What an attenuator may cost before one would hear it.
BEARABLE_DB = 1.0


class Plate(msgspec.Struct, frozen=True):
    """Behind a part: its gain, noise from outside and from the parts so far, dBm in the bandwidth."""

    name: str
    gain_db: float
    outside_dbm: float
    own_dbm: float

    @property
    def floor_dbm(self) -> float:
        """Both together."""
        return 10 * log10(10 ** (self.outside_dbm / 10) + 10 ** (self.own_dbm / 10))


class LevelLine(msgspec.Struct, frozen=True):
    """A route's noise for a place on the dial.

    chain : everything from the antenna's socket to the converter, counted at that socket.
    over_db : outside noise over the chain's own, at the antenna's socket.
    to_spare_db : attenuation at the antenna that would raise the floor, against the signal, by 1 dB; 0 where none is.
    noisiest, soonest_bent : the part that adds most noise, and the one that overloads first; empty where none does.
    assumed : what no sheet states and was taken as usual.
    """

    plates: tuple[Plate, ...]
    chain: Cascade
    fa_db: float
    over_db: float
    to_spare_db: float
    noisiest: str
    soonest_bent: str
    assumed: tuple[str, ...]


def level_line(line: Line, surroundings: str, bandwidth_hz: float) -> LevelLine:
    """Carry noise from the antenna to the receiver, part by part, each at the frequency that it meets.

    surroundings : of Recommendation ITU-R P.372, see `yard.external_noise`; the antenna is taken as without loss.
    """
    assumed: list[str] = []
    stages: list[ChainStage] = []
    here_hz = line.dial_hz
    for halt in line.walk()[1:]:
        stages.append(_stage(halt.part, here_hz, assumed))
        here_hz = halt.out_hz
    chain = cascade(stages, bandwidth_hz)
    width_db = 10 * log10(bandwidth_hz)
    fa_db = external_noise_db(line.dial_hz, surroundings)
    source = 10 ** ((KT0_DBM_HZ + width_db) / 10)
    outside, own = source * 10 ** (fa_db / 10), 0.0
    plates = []
    for stage in stages:
        gain = 10 ** (stage.gain_db / 10)
        own = (own + (10 ** (stage.nf_db / 10) - 1) * source) * gain
        outside *= gain
        plates.append(Plate(stage.name, stage.gain_db, 10 * log10(outside), 10 * log10(max(own, 1e-30))))
    last = plates[-1]
    over_db = last.outside_dbm - last.own_dbm
    # own A / (outside + own) + outside / (outside + own) = 1 dB more.
    ratio = 10 ** (over_db / 10)
    spare = 10 ** (BEARABLE_DB / 10) * (ratio + 1) - ratio
    noisiest = max(zip(chain.noise_shares, stages, strict=True), key=lambda pair: pair[0])
    bent = max(zip(chain.overload_shares, stages, strict=True), key=lambda pair: pair[0])
    return LevelLine(
        tuple(plates),
        chain,
        fa_db,
        over_db,
        max(10 * log10(spare), 0.0),
        noisiest[1].name if noisiest[0] > 0 else "",
        bent[1].name if bent[0] > 0 else "",
        tuple(assumed),
    )


def _stage(part: Inner | Antenna | Receiver, in_hz: float, assumed: list[str]) -> ChainStage:
    iip3_dbm = _number(getattr(part, "iip3_dbm", None))
    if isinstance(part, TwoPort):
        gain_db = part.gain_at_db(in_hz)
        nf_db = _number(part.nf_db)
        if nf_db is None and gain_db <= 0:
            # A passive part at T0 has a noise figure of its loss.
            nf_db = -gain_db
        return ChainStage(part.name, gain_db, _nf(part.name, "preamplifier", nf_db, assumed), iip3_dbm)
    if isinstance(part, Transceiver):
        assumed.append(f"{part.name}'s tap: no gain, no noise of its own")
        return ChainStage(part.name, 0.0, 0.0, None)
    if isinstance(part, Receiver):
        return ChainStage(part.name, 0.0, _nf(part.name, "receiver", _number(part.nf_db), assumed), iip3_dbm)
    stated_db = _number(getattr(part, "gain_db", None))
    if stated_db is None:
        assumed.append(f"{part.name}: gain 0 dB")
    nf_db = _nf(part.name, "converter", _number(getattr(part, "nf_db", None)), assumed)
    return ChainStage(part.name, stated_db or 0.0, nf_db, iip3_dbm)


def _nf(name: str, kind: str, nf_db: float | None, assumed: list[str]) -> float:
    if nf_db is not None:
        return nf_db
    assumed.append(f"{name}: noise figure {USUAL_NF_DB[kind]:g} dB")
    return USUAL_NF_DB[kind]


def _number(value: Value | None) -> float | None:
    return None if value is None else value.value
