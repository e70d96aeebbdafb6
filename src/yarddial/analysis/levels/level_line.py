"""Levels along a route: noise, the wanted signal, the strongest signal, and what each part tolerates."""

from math import log10
from typing import assert_never

import msgspec

from yarddial.yard.antenna_gain import ground_share, handed_over_db, own_noise_db
from yarddial.yard.cascade import Cascade, ChainStage, cascade
from yarddial.yard.external_noise import KT0_DBM_HZ, Outside
from yarddial.yard.parts import Antenna, Converter, Inner, Isolator, Lnb, Receiver, Transceiver, TwoPort, Value
from yarddial.yard.parts.usual import effective_bits_of, gain_of, iip3_of, nf_of
from yarddial.yard.resolved_route import ResolvedRoute

# Inaudible cost of an attenuator.
BEARABLE_DB = 1.0
# Distance of the 1 dB compression point below the third-order intercept of a cubic.
COMPRESSION_UNDER_IIP3_DB = 9.6
# Report a bottleneck when the strongest signal is nearer than this to what a part tolerates.
ROOM_DB = 10.0
ADC_NAME = "its ADC"
# A floor less than this above the ADC's own noise does not reveal the incoming noise; an ADC is not ideal there.
TELLS_DB = 1.5


class MeasuredLevels(msgspec.Struct, frozen=True):
    """Measured levels at the receiver's socket, dBm, and the ADC's full scale there.

    sigma_db : common to all of them. by : how dBFS became dBm, in words.
    """

    wanted_dbm: float | None
    strongest_dbm: float
    full_scale_dbm: float
    sigma_db: float
    by: str


class LevelAtPart(msgspec.Struct, frozen=True):
    """Levels after a part: gain, external and internal noise in dBm, and the signals.

    wanted_dbm, strongest_dbm : None before a measurement.
    limit_dbm : 1 dB compression or full scale; None where its data sheet states no intercept.
    """

    name: str
    gain_db: float
    outside_dbm: float
    own_dbm: float
    wanted_dbm: float | None = None
    strongest_dbm: float | None = None
    limit_dbm: float | None = None

    @property
    def floor_dbm(self) -> float:
        """External and internal noise together, dBm."""
        return _db(_power(self.outside_dbm) + _power(self.own_dbm))

    @property
    def room_db(self) -> float | None:
        """Distance of the strongest signal to the limit; None where either is unknown."""
        return None if self.limit_dbm is None or self.strongest_dbm is None else self.limit_dbm - self.strongest_dbm


class LevelLine(msgspec.Struct, frozen=True):
    """A route's levels for a place on the dial.

    chain : everything from the antenna's socket to the converter, counted at that socket.
    over_db : outside noise over the chain's own, at the antenna's socket.
    to_spare_db : attenuation at the antenna that would raise the floor, against the signal, by 1 dB; 0 where none is.
    noisiest, soonest_bent : the part that adds most noise, and the one that overloads first; empty where none does.
    bottleneck : what limits first, in a sentence.
    antenna_db : what comes out of the antenna against what one without loss would deliver.
    converter_snr_db, process_gain_db : of the receiver's converter over its span, and into the bandwidth.
    assumed : what no sheet states and was taken as usual. is_hidden : measured, but the converter's own noise hides it.
    """

    plates: tuple[LevelAtPart, ...]
    chain: Cascade
    fa_db: float
    over_db: float
    to_spare_db: float
    noisiest: str
    soonest_bent: str
    bottleneck: str
    converter_snr_db: float
    process_gain_db: float
    seen: MeasuredLevels | None
    assumed: tuple[str, ...]
    is_hidden: bool = False
    antenna_db: float = 0.0


def socket_offset_db(route: ResolvedRoute, outside: Outside, floor_dbfs_hz: float) -> float | None:
    """Offset from dBFS to dBm at the receiver's socket without a calibration, from the expected noise.

    The ADC's own noise is subtracted first; None where it hides the incoming noise.
    """
    if converter_hides(route, floor_dbfs_hz):
        return None
    incoming = _power(floor_dbfs_hz) - _power(converter_noise_dbfs_hz(route.receiver, route.port))
    return level_line(route, outside, 1.0).plates[-1].floor_dbm - _db(incoming)


def converter_hides(route: ResolvedRoute, floor_dbfs_hz: float) -> bool:
    """Return True where the ADC's own noise dominates the floor, so that the incoming noise cannot be measured."""
    return floor_dbfs_hz < converter_noise_dbfs_hz(route.receiver, route.port) + TELLS_DB


def converter_noise_dbfs_hz(receiver: Receiver, port: str) -> float:
    """ADC noise density against full scale: -(6.02 b + 1.76) over its span, b its effective bits.

    Behind a tuner the span is the sample rate. A direct sampler's is half its clock, of which only the rate is kept;
    requantisation on the way to the computer adds that step's noise over the rate.
    """
    noise_db = -(6.02 * effective_bits_of(receiver).value + 1.76)
    if receiver.direct is None or not receiver.samples_directly(port):
        return noise_db - 10 * log10(receiver.rate_hz)
    sent = -(6.02 * (receiver.stream_bits or receiver.bits) + 1.76) - 10 * log10(receiver.rate_hz)
    return _db(_power(noise_db - 10 * log10(receiver.direct.clock_hz / 2)) + _power(sent))


def level_line(
    route: ResolvedRoute,
    outside: Outside,
    bandwidth_hz: float,
    seen: MeasuredLevels | None = None,
    *,
    is_hidden: bool = False,
) -> LevelLine:
    """Carry levels from the antenna to the receiver, part by part, each at the frequency that it meets.

    outside : the noise of Recommendation ITU-R P.372, see `yard.external_noise`.
    seen : what was measured at the receiver's socket; with it the converter is a plate of its own.
    is_hidden : nothing could be made of what was measured, as the converter's own noise makes the floor.
    """
    assumed: list[str] = []
    stages: list[ChainStage] = []
    here_hz = route.dial_hz
    for route_point in route.points()[1:]:
        stages.append(_stage(route_point.part, route.port, here_hz, assumed))
        here_hz = route_point.out_hz
    chain = cascade(stages, bandwidth_hz)
    fa_db = outside.noise_db(route.dial_hz, ground_share(route.antenna))
    antenna_db, active_nf_db = handed_over_db(route.antenna, route.dial_hz), own_noise_db(route.antenna, route.dial_hz)
    if antenna_db.provenance == "assumed":
        loss = f"{antenna_db.value:+.0f} dB".replace("-", "−")
        assumed.insert(0, f"{route.antenna.name}: {loss} against one without loss")
    snr_db = 6.02 * effective_bits_of(route.receiver).value + 1.76
    converter_db = -converter_noise_dbfs_hz(route.receiver, route.port) - 10 * log10(bandwidth_hz)
    process_db = max(converter_db - snr_db, 0.0)
    plates = _plates(stages, fa_db + antenna_db.value, active_nf_db, bandwidth_hz, seen)
    if seen is not None:
        plates.append(_converter(plates[-1], seen, converter_db))
    last = plates[-1]
    over_db = last.outside_dbm - last.own_dbm
    # own A / (outside + own) + outside / (outside + own) = 1 dB more.
    ratio = _power(over_db)
    spare = _power(BEARABLE_DB) * (ratio + 1) - ratio
    noisiest = _largest(chain.noise_shares, stages)
    if len(plates) > 1 and seen is not None and _power(last.own_dbm) > 2 * _power(plates[-2].own_dbm):
        noisiest = f"{route.receiver.name}'s ADC"
    bent = _largest(chain.overload_shares, stages)
    spare_db = max(10 * log10(spare), 0.0)
    bottleneck = _bottleneck(plates, route.receiver.name, over_db, noisiest)
    if is_hidden:
        noisiest = f"{route.receiver.name}'s ADC"
        bottleneck = f"{noisiest}: its own noise hides what comes in; raise the gain"
    return LevelLine(
        tuple(plates), chain, fa_db, over_db, spare_db, noisiest, bent, bottleneck, snr_db, process_db, seen,
        tuple(assumed), is_hidden, antenna_db.value,
    )  # fmt: skip


def _plates(
    stages: list[ChainStage],
    arrives_db: float,
    active_nf_db: float | None,
    bandwidth_hz: float,
    seen: MeasuredLevels | None,
) -> list[LevelAtPart]:
    """Levels part by part; `arrives_db` is the antenna's external noise over k T0 b."""
    source = _power(KT0_DBM_HZ + 10 * log10(bandwidth_hz))
    outside, own = source * _power(arrives_db), 0.0
    if active_nf_db is not None:
        own = source * (_power(active_nf_db) - 1)
    # Carry the levels measured at the receiver's socket back to the antenna.
    to_socket_db = sum(stage.gain_db for stage in stages[:-1])
    passed_db, plates = 0.0, []
    for stage in stages:
        gain = _power(stage.gain_db)
        own = (own + (_power(stage.nf_db) - 1) * source) * gain
        outside *= gain
        passed_db += stage.gain_db
        wanted, strongest = (
            None if dbm is None else dbm - to_socket_db + passed_db
            for dbm in ((seen.wanted_dbm, seen.strongest_dbm) if seen is not None else (None, None))
        )
        bears = None if stage.iip3_dbm is None else stage.iip3_dbm - COMPRESSION_UNDER_IIP3_DB + stage.gain_db
        plates.append(
            LevelAtPart(stage.name, stage.gain_db, _db(outside), _db(max(own, 1e-30)), wanted, strongest, bears)
        )
    return plates


def _converter(before: LevelAtPart, seen: MeasuredLevels, range_db: float) -> LevelAtPart:
    own = _power(before.own_dbm) + _power(seen.full_scale_dbm - range_db)
    return msgspec.structs.replace(before, name=ADC_NAME, gain_db=0.0, own_dbm=_db(own), limit_dbm=seen.full_scale_dbm)


def _bottleneck(plates: list[LevelAtPart], receiver: str, over_db: float, noisiest: str) -> str:
    """Find the part that leaves strong signals least room, or that adds most noise."""
    known = [(plate.room_db, plate) for plate in plates if plate.room_db is not None]
    if known:
        room_db, plate = min(known, key=lambda pair: pair[0])
        name = f"{receiver}'s ADC" if plate.name == ADC_NAME else plate.name
        where = "full scale" if plate.name == ADC_NAME else "where it compresses"
        if room_db < 0:
            return f"{name} is driven {-room_db:.0f} dB over {where}"
        if room_db < ROOM_DB:
            return f"{name}: the strongest signal is only {room_db:.0f} dB under {where}"
    if over_db < 0 and noisiest:
        return f"{noisiest} adds more noise than comes from outside"
    return "nothing on the route: noise from outside decides what is heard"


def _largest(shares: tuple[float, ...], stages: list[ChainStage]) -> str:
    share, stage = max(zip(shares, stages, strict=True), key=lambda pair: pair[0])
    return stage.name if share > 0 else ""


def _stage(part: Inner | Antenna | Receiver, port: str, in_hz: float, assumed: list[str]) -> ChainStage:
    iip3, nf = iip3_of(part, port), nf_of(part, port)
    figures = (("noise figure", nf, "dB"), ("IIP3", iip3, "dBm"))
    proven_words = [
        f"{word} {v.value:g} {unit}" for word, v, unit in figures if v is not None and v.provenance == "assumed"
    ]
    match part:
        case TwoPort() | Isolator():
            # A passive part at T0 has a noise figure equal to its loss.
            gain_db = part.gain_at_db(in_hz)
            proven_words = proven_words if gain_db > 0 else []
            nf_db = max(-gain_db, 0.0) if nf is None else nf.value
        case Converter() | Lnb():
            gain = gain_of(part)
            gain_db, nf_db = gain.value, 0.0 if nf is None else nf.value
            proven_words += [f"gain {gain_db:g} dB"] if gain.provenance == "assumed" else []
        case Transceiver():
            proven_words = ["its tap: no gain, no noise of its own"]
            gain_db, nf_db = 0.0, 0.0
        case Receiver() | Antenna():
            gain_db, nf_db = 0.0, 0.0 if nf is None else nf.value
        case _:
            assert_never(part)
    if proven_words:
        assumed.append(f"{part.name}: {', '.join(proven_words)}")
    return ChainStage(part.name, gain_db, nf_db, _number(iip3))


def _number(value: Value | None) -> float | None:
    return None if value is None else value.value


def _power(db: float) -> float:
    return float(10 ** (db / 10))


def _db(power: float) -> float:
    return 10 * log10(power)
