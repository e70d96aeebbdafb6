"""The settings card: what to type into whatever listening program is used, in each convention programs have.

Conventions differ twice over. An offset may be the number *added to the dial* to reach the tuner, or the one *added to
the tuner* to reach the dial. A correction may mean *the crystal runs fast by* or *shown frequencies are high by*.
"""

from math import ceil, log10

import msgspec

from yarddial.yard.demodulation import is_lower_sideband
from yarddial.yard.errors import BadPath
from yarddial.yard.frequency import THIN_SPACE, format_frequency, format_hertz
from yarddial.yard.frequency_conversion import SamplingClock, Stage, path_sense, shown_for_dial, trace
from yarddial.yard.modes import mode_named
from yarddial.yard.parts import TwoPort
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station
from yarddial.yard.working import WorkedValue, Working

# Default pitch of a CW signal.
PITCH_HZ = 600.0
# Write ppm with enough digits that the rounding error stays below this at the frequency concerned.
ROUNDED_HZ = 0.2
# For programs that take the converter's LO as a positive number: the side of the signal it is on.
LO_SIDES = {
    "sum": "up: oscillator + signal",
    "low": "oscillator below the signal",
    "high": "oscillator above the signal",
}
# The tuner's and the dial's corrections differ visibly from this fraction on.
TOLD_APART = 0.002


class WholePpm(msgspec.Struct, frozen=True):
    """For a program that takes whole ppm only: what is left over at a place, and the shift that removes it there.

    leftover_hz : dial minus true with `ppm` entered (crystal-fast convention), at `dial_hz`.
    shift_hz : to be added to `offset_added_to_dial_hz`; right at this place only.
    offset_added_to_dial_hz : the offset with the shift in it.
    """

    ppm: int
    dial_hz: float
    leftover_hz: float
    shift_hz: float
    offset_added_to_dial_hz: float


class GainSetting(msgspec.Struct, frozen=True):
    """One gain stage: the gain, and what its control must read for it."""

    stage: str
    gain_db: float
    control: str
    reads: str


class Rig(msgspec.Struct, frozen=True):
    """A transceiver whose IF output feeds the receiver. The card is valid only for this tuning of it.

    display_hz : what its display must show in this mode for the dial frequency to fall on the IF.
    offset_hz : carrier minus display in this mode, from its data sheet.
    """

    name: str
    if_hz: float
    display_hz: float
    mode: str
    offset_hz: float


class Card(msgspec.Struct, frozen=True):
    """What to set for one route at one place. All frequencies in hertz.

    offset_added_to_dial_hz : tuner = sense * dial + this.
    offset_added_to_tuner_hz : dial = sense * tuner + this.
    crystal_fast_ppm, shown_high_ppm : the same correction in its two senses.
    scaled_dial_ppm : for a program that multiplies the dial itself by 1 + this, and corrects no tuner.
    crystal_hz : what the crystal truly is, for a program that asks for it; 0 where its marking is not known.
    plain_offset_hz : of an inverted route, the offset added to the dial for a program that swaps I/Q and knows no
        inversion: it mirrors the picture about the centre, so this holds for `centre_hz` only; else the same offset.
    lo_hz, lo_side : the offset as a positive number and the side to choose with it, a key of LO_SIDES; 0 and empty
        where nothing is converted.
    cw_dial_hz : where a program whose dial in CW is that of its missing carrier must stand; the dial itself otherwise.
    zone : of direct sampling, 0 where nothing is folded; None on a port behind the tuner.
    feeds : what supplies which part through the line: (source, state).
    """

    station: str
    route: str
    receiver: str
    port: str
    dial_hz: float
    tuner_hz: float
    centre_hz: float
    rate_hz: float
    sense: int
    offset_added_to_dial_hz: float
    offset_added_to_tuner_hz: float
    crystal_fast_ppm: float
    shown_high_ppm: float
    whole: WholePpm
    plain_offset_hz: float = 0.0
    scaled_dial_ppm: float = 0.0
    crystal_hz: float = 0.0
    lo_hz: float = 0.0
    lo_side: str = ""
    cw_dial_hz: float | None = None
    zone: int | None = None
    gains: tuple[GainSetting, ...] = ()
    feeds: tuple[tuple[str, str], ...] = ()
    rig: Rig | None = None

    @property
    def crystal_fast_ppb(self) -> float:
        """The correction in parts per billion."""
        return 1e3 * self.crystal_fast_ppm

    @property
    def crystal_factor(self) -> float:
        """The correction as a factor on the frequency that the receiver shows."""
        return 1 + self.crystal_fast_ppm * 1e-6

    def ppm_text(self, ppm: float, *, of_dial: bool = False) -> str:
        """Write a correction with the digits that matter at the tuner, or at the dial."""
        place_mhz = max(abs(self.dial_hz if of_dial else self.tuner_hz) / 1e6, 1.0)
        places = max(ceil(log10(place_mhz / (2 * ROUNDED_HZ))), 3)
        return f"{round(ppm, places) + 0.0:+.{places}f}".replace("-", "−")

    def tests(self) -> tuple[tuple[str, str], ...]:
        """Ten-second tests: what to do, and how to read the answer."""
        return _tests(self)

    def working(self) -> Working:
        """Source of each number."""
        return _working(self)


def settings_card(station: Station, route: ResolvedRoute, dial_hz: float, park_hz: float = 0.0) -> Card:
    """Calculate the settings card for a route at one frequency, with the values entered in the yard.

    Parameters
    ----------
    dial_hz : float
        The frequency for which the remainder of whole ppm and the centre are given.
    park_hz : float
        Distance of the centre below the wanted signal, to stay off the receiver's DC spike.

    Raises
    ------
    BadPath
    """
    why_not = route.why_not(dial_hz)
    if why_not:
        raise BadPath(
            f"{route.name} does not reach {format_frequency(dial_hz)}: {why_not}; choose another place or route"
        )
    route = route.at(dial_hz)
    stages = _entered(route)
    sense = path_sense(stages)
    offset_hz = shown_for_dial(0.0, stages)
    tuner_hz = shown_for_dial(dial_hz, stages)
    receiver, ppm = route.receiver, route.receiver.entered_ppm
    port_hz = route.points()[-1].out_hz
    centre_hz = route.parked_hz(tuner_hz, park_hz)
    return Card(
        station=station.name,
        route=route.name,
        receiver=receiver.name,
        port=route.port,
        dial_hz=dial_hz,
        tuner_hz=tuner_hz,
        centre_hz=centre_hz,
        rate_hz=receiver.rate_hz,
        sense=sense,
        offset_added_to_dial_hz=offset_hz,
        offset_added_to_tuner_hz=-sense * offset_hz,
        crystal_fast_ppm=ppm,
        shown_high_ppm=-ppm / (1 + ppm * 1e-6),
        whole=_whole(route, dial_hz, offset_hz, sense),
        # At the centre c the dial is s (c - O); from there to the tuner it is c - s (c - O).
        plain_offset_hz=centre_hz - sense * (centre_hz - offset_hz),
        scaled_dial_ppm=(dial_hz / (sense * (tuner_hz / (1 + ppm * 1e-6) - offset_hz)) - 1) * 1e6,
        crystal_hz=receiver.crystal_hz * (1 + ppm * 1e-6),
        lo_hz=abs(offset_hz),
        lo_side="" if not offset_hz else "high" if sense < 0 else "sum" if offset_hz > 0 else "low",
        cw_dial_hz=dial_hz - PITCH_HZ if station.mode == "cw" else None,
        zone=receiver.direct.zone(port_hz)
        if receiver.direct is not None and receiver.samples_directly(route.port)
        else None,
        gains=tuple(
            GainSetting(stage.name, stage.set_db, stage.control_text(stage.set_db), stage.reads)
            for stage in receiver.gain_stages
        ),
        feeds=_feeds(route),
        rig=_rig(route, dial_hz, station.mode),
    )


def _entered(route: ResolvedRoute) -> tuple[Stage, ...]:
    """Converters as entered, without their errors, followed by the folding of direct sampling."""
    stages = tuple(msgspec.structs.replace(stage, lo_error_hz=0.0) for stage in route.stages)
    fold = route.fold(route.points()[-1].out_hz)
    return stages if fold is None else (*stages, fold)


def _feeds(route: ResolvedRoute) -> tuple[tuple[str, str], ...]:
    """List every source of direct current on the route with its required setting."""
    feeds: list[tuple[str, str]] = []
    hungry = [part for part in route.parts[:-1] if (need := getattr(part, "need", None)) and need.by == "line"]
    for part in route.inner:
        if isinstance(part, TwoPort) and part.feed is not None:
            feeds.append((part.name, f"{'on' if part.feed.on else 'off'}, {part.feed.volts:g} V up the line"))
            hungry = []
    bias = route.receiver.port(route.port).bias
    if bias is not None:
        wanted = " and ".join(part.name for part in hungry)
        state = f"on, {bias.volts:g} V" if bias.on else "off"
        feeds.append((f"{route.receiver.name}'s bias feed", f"{state}; {wanted or 'nothing on this route'} needs it"))
    return tuple(feeds)


def _rig(route: ResolvedRoute, dial_hz: float, mode: str) -> Rig | None:
    part = route.transceiver
    if part is None or part.tap != "if":
        return None
    offset_hz = part.offset_hz(mode, is_lower=mode == "ssb" and is_lower_sideband(dial_hz))
    return Rig(part.name, part.if_hz, dial_hz - offset_hz, mode_named(mode).name, offset_hz)


def _whole(route: ResolvedRoute, dial_hz: float, offset_hz: float, sense: int) -> WholePpm:
    """Trace a signal with whole ppm entered, on the assumption that the present correction is exact."""
    ppm = route.receiver.entered_ppm
    leftover_hz = trace(dial_hz, _entered(route), SamplingClock(ppm, float(round(ppm)))).dial_error_hz
    # dial = sense (shown - offset): raising the offset by d moves the dial by -sense d.
    shift_hz = sense * leftover_hz
    return WholePpm(round(ppm), dial_hz, leftover_hz, shift_hz, offset_hz + shift_hz)


def groupings(hertz: float) -> tuple[str, ...]:
    """Write a number of hertz in every way people type it: plain, commas, points, spaces, with a unit."""
    whole = round(hertz, 3)
    digits = f"{whole:,.3f}".rstrip("0").rstrip(".")
    body, _, fraction = digits.partition(".")
    plain = body.replace(",", "") + ("." + fraction if fraction else "")
    if fraction:
        return plain, digits, body.replace(",", THIN_SPACE) + "." + fraction, format_frequency(hertz)
    return plain, digits, digits.replace(",", "."), digits.replace(",", THIN_SPACE), format_frequency(hertz)


def _tests(card: Card) -> tuple[tuple[str, str], ...]:
    tests: list[tuple[str, str]] = []
    if card.sense < 0:
        whole, plain, against = (
            format_frequency(h) for h in (card.offset_added_to_dial_hz, card.plain_offset_hz, -card.plain_offset_hz)
        )
        tests.append(
            (
                f"Offset: type {whole} and dial {format_frequency(card.dial_hz)}.",
                f"If the receiver goes to {format_frequency(card.tuner_hz)}, the program knows inversion: leave it. "
                f"If not, it can only swap I/Q: switch that on and type {plain}; the centre must then be at "
                f"{format_frequency(card.centre_hz)}. If it goes elsewhere or refuses, it adds to the tuner: type "
                f"{against}.",
            )
        )
    elif card.offset_added_to_dial_hz:
        plus, minus = (format_frequency(h) for h in (card.offset_added_to_dial_hz, card.offset_added_to_tuner_hz))
        tests.append(
            (
                f"Offset: type {plus} and dial {format_frequency(card.dial_hz)}.",
                f"If the receiver goes to {format_frequency(card.tuner_hz)}, the program adds to the dial: leave it. "
                f"If it goes elsewhere or refuses, it adds to the tuner: type {minus}.",
            )
        )
    # On an inverted route a higher tuner frequency gives a lower dial reading.
    rises, falls = ("rises", "falls") if card.sense > 0 else ("falls", "rises")
    moves_hz = 1e-4 * card.tuner_hz
    scaled = ""
    if abs(card.tuner_hz - card.dial_hz) > TOLD_APART * card.dial_hz:
        scaled = (
            f" It moves by {format_hertz(moves_hz, 1.0, signed=False)} where the tuner is corrected; if it moves by "
            f"{format_hertz(1e-4 * card.dial_hz, 1.0, signed=False)} only, the dial itself is scaled: type "
            f"{card.ppm_text(card.scaled_dial_ppm, of_dial=True)}, right at this place only."
        )
    tests.append(
        (
            "Correction: tune to a steady carrier, type +100 ppm in place of what is there.",
            f"If the carrier's reading {rises}, positive means 'crystal fast': type "
            f"{card.ppm_text(card.crystal_fast_ppm)}. If it {falls}, it means 'shown high': type "
            f"{card.ppm_text(card.shown_high_ppm)}.{scaled}",
        )
    )
    if card.cw_dial_hz is not None:
        tests.append(
            (
                f"CW: dial {format_frequency(card.dial_hz)}, on a steady carrier there, pitch {PITCH_HZ:g} Hz.",
                "If it sounds at the pitch, the program's dial is the carrier: leave it. If it is silent or a very low "
                f"hum, its dial is that of single sideband: dial {format_frequency(card.cw_dial_hz)} for this signal.",
            )
        )
    if card.rig is not None:
        tests.append(
            (
                f"IF output: turn {card.rig.name} up by 1 kHz.",
                "The same signal must move on the receiver by 1 kHz: its dial is then wrong by as much until the "
                "offset follows. Nothing on this card holds at another place.",
            )
        )
    if card.sense < 0:
        side, other = ("lower", "upper") if is_lower_sideband(card.dial_hz) else ("upper", "lower")
        tests.append(
            (
                f"Inverted route: listen to a single-sideband signal, which is sent in the {side} sideband here.",
                f"If it can be understood only as {other} sideband, switch 'swap I/Q' or 'inverted spectrum' on.",
            )
        )
    return tuple(tests)


def _working(card: Card) -> Working:
    whole = card.whole
    sign = "" if card.sense > 0 else "−"
    return Working(
        title=f"The card for {format_frequency(card.dial_hz)} over {card.route}",
        formulas=(
            f"tuner = {sign}dial + O",
            f"dial = {sign}tuner + O′,  O′ = {'−' if card.sense > 0 else ''}O",
            "shown high = −p / (1 + p)",
            "left over with whole ppm P: f (1 + P) / (1 + p) − f at the receiver's socket",
        ),
        values=(
            WorkedValue(
                "O", "added to the dial", format_frequency(card.offset_added_to_dial_hz), "entered oscillators"
            ),
            WorkedValue("O′", "added to the tuner", format_frequency(card.offset_added_to_tuner_hz)),
            WorkedValue("p", "crystal fast by", f"{card.ppm_text(card.crystal_fast_ppm)} ppm", "entered"),
            WorkedValue("P", "whole ppm", f"{whole.ppm:+d} ppm"),
            WorkedValue("f", "at the receiver's socket", format_frequency(card.tuner_hz)),
        ),
        result=f"left over {format_hertz(whole.leftover_hz, 0.1)}; "
        f"a shift of {format_hertz(whole.shift_hz, 0.1)} removes it",
        source="exact, one crystal for tuner and sampling",
    )
