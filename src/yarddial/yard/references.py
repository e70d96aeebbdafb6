"""Kinds of reference transmitters: accuracy as received, and the pitfall of each."""

from typing import Literal

import msgspec

Trust = Literal["good", "look", "never"]

# Stereo pilot of FM broadcasting.
PILOT_HZ = 19_000.0


class ReferenceKind(msgspec.Struct, frozen=True):
    """A kind of reference transmitter, with its accuracy and trap.

    own_hz, own_ppm : one sigma at the transmitter, the larger of the two counts; wander_hz : what the path adds on a
    day, of a sky-wave.
    trust : `good` for truing, `look` where it mostly proves reception, `never` where it is off on purpose.
    mode : in which it is received and measured.
    asks : nobody but its keeper knows how well it is kept: the figure must be given.
    low_hz, high_hz : where it is found; a frequency outside is worth a question.
    needs_care : a sentence of caution, first of all.
    """

    name: str
    mode: str
    own_hz: float
    own_ppm: float
    wander_hz: float
    trust: Trust
    at_transmitter: str
    trap: str
    low_hz: float = 0.0
    high_hz: float = 1e12
    needs_care: str = ""
    asks: bool = False

    def sigma_hz(self, frequency_hz: float) -> float:
        """One-sigma uncertainty as received."""
        own_hz = max(self.own_hz, self.own_ppm * 1e-6 * frequency_hz)
        return float((own_hz**2 + self.wander_hz**2) ** 0.5)


_TRANSMIT_CAUTION = (
    "Only with a licence, at the lowest power, into a dummy load, and never into the receiver: a few centimetres of "
    "wire at its socket hear enough. Local rules decide."
)
# The figures of practice, one sigma. Rules: ITU-R SM.1045 for transmitters' tolerances, TF.768 for time signals, 3GPP
# TS 36.104 for cellular down-links (0.05 ppm, wide area), BS.450 for the pilot, ICAO annex 10 for the airband.
KINDS: tuple[ReferenceKind, ...] = (
    ReferenceKind(
        "standard frequency", "am", 1e-4, 0.0, 0.3, "good", "locked to a standard, to 1e-11 or better",
        "a sky-wave wanders by 0.1 to 1 Hz, most at dawn and dusk: measure by day, and on two or three days; several "
        "stations share these frequencies, fractions of a hertz apart as received: none is nearer than that",
        1e6, 30e6,
    ),
    ReferenceKind(
        "long-wave time signal", "cw", 1e-5, 0.0, 0.005, "good", "locked to a standard, to 1e-12",
        "its ground wave is steady by day; its keying or phase marks take minutes to average out", 15e3, 200e3,
    ),
    ReferenceKind(
        "medium-wave broadcaster", "am", 7.0, 0.0, 0.0, "good", "rule: within 10 to 20 Hz, many are locked far better",
        "by night several stations share the channel: measure by day, by ground wave", 0.1e6, 1.8e6,
    ),
    ReferenceKind(
        "short-wave broadcaster", "am", 5.0, 0.0, 0.5, "good", "rule: within 10 Hz, many are locked far better",
        "a sky-wave wanders and fades", 1.8e6, 30e6,
    ),
    ReferenceKind(
        "FM broadcaster", "wfm", 700.0, 0.0, 0.0, "look", "rule: within 2 kHz, about 20 ppm",
        "strong is not accurate: it proves reception, and trues nothing unless its error is known", 60e6, 110e6,
    ),
    ReferenceKind(
        "stereo pilot", "wfm", 0.7, 0.0, 0.0, "look", "rule: within 2 Hz of 19 kHz, about 105 ppm",
        "it tells the sample clock alone, no better than the station keeps it", 60e6, 110e6,
    ),
    ReferenceKind(
        "narrow-band FM channel", "nfm", 0.0, 2.5, 0.0, "look", "1 to 5 ppm",
        "its centre moves with the voice: average over a minute, or wait for a pause", 27e6, 1e9,
    ),
    ReferenceKind(
        "airband", "am", 3000.0, 0.0, 0.0, "never", "off by up to several kilohertz on purpose",
        "carriers of one channel are offset on purpose, so that they do not beat: never a reference", 117e6, 138e6,
    ),
    ReferenceKind(
        "beacon, locked", "cw", 0.0, 1e-3, 0.0, "good", "locked to satellites or rubidium, as its keeper states",
        "a lock can fail: a beacon that was off once is asked about first; below 30 MHz the sky-wave wanders as well",
    ),
    ReferenceKind(
        "amateur beacon", "cw", 0.0, 1.0, 0.0, "good", "a crystal: 0.1 to 2 ppm, as its keeper states",
        "ask its keeper, and trust it that much; it moves with the weather on its hill",
    ),
    ReferenceKind(
        "steady carrier", "cw", 0.5, 0.0, 0.0, "good", "as its keeper states",
        "what stands still may come out of the receiver itself, or a neighbour's supply: give its figure only when its "
        "keeper measures it", asks=True,
    ),
    ReferenceKind(
        "cellular down-link", "wfm", 0.0, 0.025, 0.0, "look", "rule: within 0.05 ppm at a wide-area station",
        "it has no carrier to measure: its centre needs the signal's own structure, which is not measured here",
        450e6, 6e9,
    ),
    ReferenceKind(
        "digital multiplex", "wfm", 0.0, 1e-3, 0.0, "look", "locked, about 1e-9 in networks on one frequency",
        "it has no carrier: its centre needs the multiplex's own structure, which is not measured here", 47e6, 900e6,
    ),
    ReferenceKind(
        "satellite beacon", "cw", 0.0, 1e-3, 30.0, "good", "locked, in geostationary orbit",
        "fine once the LNB is in the model; the satellite swings by some metres a second in a day: tens of hertz at "
        "10 GHz, so look again at another hour", 1e9, 100e9,
    ),
    ReferenceKind(
        "moving satellite", "cw", 3000.0, 0.0, 3000.0, "never", "as it was built; its motion shifts it",
        "Doppler moves it by 3 kHz at 137 MHz and 10 kHz at 435 MHz within one pass: never a reference", 20e6, 10e9,
    ),
    ReferenceKind(
        "disciplined source", "cw", 0.0, 1e-3, 0.0, "good", "disciplined by satellite or by rubidium, 1e-10 to 1e-9",
        "let it lock first; attenuate it before the receiver", needs_care="Attenuate it to −60 dBm or less before the "
        "receiver's socket.",
    ),
    ReferenceKind(
        "own transmitter", "cw", 0.0, 2.0, 0.0, "look", "as its own oscillator: 0.5 to 10 ppm",
        "it is no better than its own oscillator, which drifts while it is keyed", needs_care=_TRANSMIT_CAUTION,
    ),
)  # fmt: skip
# Worldwide standard-frequency bands (Radio Regulations, article 5).
STANDARD_BANDS_HZ: tuple[tuple[float, float], ...] = (
    (19.95e3, 20.05e3),
    (2.498e6, 2.502e6),
    (4.995e6, 5.005e6),
    (9.995e6, 10.005e6),
    (14.99e6, 15.01e6),
    (19.99e6, 20.01e6),
    (24.99e6, 25.01e6),
)


def kind_named(name: str) -> ReferenceKind | None:
    """Kind by name; None for a person's own words."""
    return next((kind for kind in KINDS if kind.name == name), None)


def why_no_reference(kind_name: str, frequency_hz: float) -> str:
    """Reason why a transmitter is no reference; empty when it is one."""
    kind = kind_named(kind_name)
    if kind is not None and kind.trust == "never":
        return f"it is {_article(kind.name)}: {kind.trap}"
    airband = kind_named("airband")
    if airband is not None and kind is None and airband.low_hz < frequency_hz < airband.high_hz:
        return f"it lies in the airband: {airband.trap}"
    return ""


def wander_of(kind_name: str, sigma_hz: float) -> float:
    """Part of a reference's uncertainty that comes from the propagation path and changes each day."""
    kind = kind_named(kind_name)
    return 0.0 if kind is None or not kind.wander_hz else min(sigma_hz, kind.wander_hz)


def _article(name: str) -> str:
    return f"{'an' if name[0] in 'aeiou' else 'a'} {name} station" if name == "airband" else name
