"""The shelf: invented parts by class, to start a yard with. Values are the usual ones of the class, marked as
assumed.
"""

from typing import assert_never

from yarddial.yard.demo import DEMO_PARTS
from yarddial.yard.parts import (
    Antenna,
    Converter,
    DirectSampling,
    Feed,
    GainStage,
    Isolator,
    Lnb,
    LnbBand,
    Need,
    Part,
    Port,
    Receiver,
    Socket,
    Transceiver,
    TwoPort,
    Value,
)

_USUAL = "usual for its class"


def _usual(value: float, sigma: float = 0.0) -> Value:
    return Value(value, sigma, "assumed", note=_USUAL)


_SMA, _N, _BNC, _UHF, _F = Socket("SMA"), Socket("N"), Socket("BNC"), Socket("UHF"), Socket("F", ohms=75.0)
_TERMINALS = Socket("terminals")


def _converter(name: str, kind: str, lo_hz: float, low_hz: float, high_hz: float, note: str) -> Converter:
    # A plain oscillator can keeps within 20 ppm, taken as two sigma.
    return Converter(
        name,
        kind,  # type: ignore[arg-type]
        _usual(lo_hz, lo_hz * 10e-6),
        lo_hz,
        low_hz,
        high_hz,
        note,
        # A diode ring: conversion loss, noise figure, and oscillator leakage at both sockets.
        gain_db=_usual(-7.0, 1.5),
        nf_db=_usual(8.0, 1.5),
        iip3_dbm=_usual(15.0, 4.0),
        isolation_db=_usual(35.0, 8.0),
        lo_leak_dbm=_usual(-40.0, 10.0),
        largest_dbm=_usual(10.0),
        need=Need(4.75, 5.25, 100.0, "lead"),
        input=_SMA,
        output=_SMA,
    )


# dB lost in 100 m, by outer diameter: thin 5 mm, medium 7 mm with foam, thick 10 mm with foam, satellite 7 mm.
_LOSS_DB: dict[str, tuple[tuple[float, float], ...]] = {
    "thin": ((10e6, 4.5), (100e6, 16.0), (1e9, 55.0), (2e9, 80.0)),
    "medium": ((10e6, 2.8), (100e6, 9.0), (1e9, 30.0), (2e9, 44.0)),
    "thick": ((10e6, 1.3), (100e6, 4.2), (1e9, 14.2), (2e9, 21.0)),
    "satellite": ((10e6, 2.1), (100e6, 6.5), (1e9, 21.0), (2e9, 30.5)),
}


def _cable(name: str, length_m: float, end: Socket, kind: str) -> TwoPort:
    plug = end.opposite()
    return TwoPort(
        name, "cable", _usual(-1.0), note=f"{length_m:g} m, {kind}", length_m=length_m, loss_db_100m=_LOSS_DB[kind],
        passes_dc=True, input=plug, output=plug,
    )  # fmt: skip


def _filter(name: str, shape: str, low_hz: float, high_hz: float, note: str) -> TwoPort:
    return TwoPort(
        name, "filter", _usual(-0.7, 0.3), low_hz, high_hz, note, shape, input=_SMA, output=_SMA  # type: ignore[arg-type]
    )  # fmt: skip


_GENERIC: tuple[Part, ...] = (
    Antenna("End-fed wire", 0.1e6, 30e6, "20 m, end-fed", "wire", 20.0, outdoors=True, output=_UHF.opposite()),
    Antenna("Small loop", 0.1e6, 30e6, "active, 1 m across; fed through its line", "loop", 1.0, outdoors=True,
            need=Need(9.0, 13.8, 150.0, "line"), output=_BNC.opposite()),
    Antenna("Active whip", 0.01e6, 30e6, "1 m with an amplifier at its foot; fed through its line", "whip", 1.0,
            outdoors=True, need=Need(10.0, 15.0, 80.0, "line"), output=_BNC.opposite()),
    Antenna("Passive loop", 0.5e6, 30e6, "1 m across, one turn", "loop", 1.0, outdoors=True, dc_short=True,
            output=_SMA.opposite()),
    Antenna("Dummy load", 0.0, 1e9, "50 Ω, 50 W: nothing is heard, nothing is sent", "dummy load",
            output=_UHF.opposite()),
    Antenna("Short whip", 60e6, 1000e6, "telescopic, 0.5 m, as it comes in the box", "whip", 0.5,
            output=_SMA.opposite()),
    Antenna("Half-wave dipole", 13.5e6, 15e6, "for 14 MHz, at a balun", "dipole", 10.0, outdoors=True,
            output=_UHF.opposite()),
    Antenna("HF vertical", 3.5e6, 30e6, "8 m, with radials", "whip", 8.0, outdoors=True, output=_UHF.opposite()),
    Antenna("Wide-band discone", 60e6, 1300e6, "", "discone", 1.3, outdoors=True, output=_N.opposite()),
    Antenna("Beam 2 m", 143e6, 147e6, "", "beam", 2.0, outdoors=True, dc_short=True, output=_N.opposite()),
    Antenna("Offset dish", 10e9, 12.75e9, "80 cm", "dish", 0.8, outdoors=True),
    _cable("Thin cable 5 m", 5.0, _SMA, "thin"),
    _cable("Thin cable 15 m", 15.0, _UHF, "thin"),
    _cable("Medium cable 20 m", 20.0, _N, "medium"),
    _cable("Thick cable 20 m", 20.0, _N, "thick"),
    _cable("Satellite cable 15 m", 15.0, _F, "satellite"),
    TwoPort("Balun 1:1", "transformer", _usual(-0.3, 0.2), 1e6, 55e6, "between a dipole and its cable",
            input=_TERMINALS, output=_UHF),
    TwoPort("Unun 9:1", "transformer", _usual(-1.0, 0.5), 0.5e6, 30e6, "between an end-fed wire and its cable",
            input=_TERMINALS, output=_UHF),
    TwoPort("Line choke", "choke", _usual(-0.1, 0.1), 0.5e6, 60e6, "keeps currents off the cable's screen",
            passes_dc=True, input=_UHF, output=_UHF),
    TwoPort("Clip-on ferrites", "choke", _usual(0.0), 0.0, 6e9, "over the cable, beside the receiver", passes_dc=True),
    TwoPort("DC block", "block", _usual(-0.2, 0.1), 0.1e6, 6e9, "keeps direct current back", input=_SMA,
            output=_SMA.opposite()),
    TwoPort("Gas arrester", "arrester", _usual(-0.2, 0.1), 0.0, 1.5e9, "to the earthing bar", passes_dc=True, input=_N,
            output=_N),
    TwoPort("Stub arrester", "arrester", _usual(-0.2, 0.1), 80e6, 200e6, "a stub to ground: a short for direct current",
            dc_short=True, input=_N, output=_N),
    TwoPort("HF/VHF diplexer", "diplexer", _usual(-0.5, 0.2), 0.0, 500e6, "parts HF from VHF",
            isolation_db=_usual(50.0, 5.0), input=_UHF, output=_UHF),
    TwoPort("Transmit/receive relay", "relay", _usual(-0.2, 0.1), 0.0, 150e6, "takes the receiver off the antenna",
            isolation_db=_usual(50.0, 10.0), passes_dc=True, input=_UHF, output=_UHF),
    TwoPort("Preselector", "filter", _usual(-3.0, 1.0), 6.5e6, 7.7e6, "tuned by hand: set its range to where it stands",
            "band-pass", iip3_dbm=_usual(30.0, 5.0), input=_BNC, output=_BNC),
    TwoPort("Attenuator 10 dB", "attenuator", _usual(-10.0, 0.3), 0.0, 6e9, "", input=_SMA,
            output=_SMA.opposite()),
    TwoPort("Attenuator 20 dB", "attenuator", _usual(-20.0, 0.3), 0.0, 6e9, "", input=_SMA,
            output=_SMA.opposite()),
    _filter("Low-pass 30 MHz", "low-pass", 0.0, 30e6, "passes long wave to HF"),
    _filter("High-pass 1.7 MHz", "high-pass", 1.7e6, 1e9, "keeps medium wave out"),
    _filter("FM notch", "notch", 87.5e6, 108e6, "takes FM broadcasting out"),
    _filter("Airband pass", "band-pass", 117e6, 138e6, ""),
    TwoPort("Wide preamplifier", "preamplifier", _usual(18.0, 1.0), 10e6, 3e9, "fed through its line",
            nf_db=_usual(1.0, 0.3), iip3_dbm=_usual(0.0, 3.0), largest_dbm=_usual(10.0),
            need=Need(3.0, 5.5, 60.0, "line"), input=_SMA, output=_SMA),
    TwoPort("Mast preamplifier", "preamplifier", _usual(20.0, 1.0), 100e6, 2e9, "wants 12 V through its line",
            nf_db=_usual(0.8, 0.3), largest_dbm=_usual(0.0), need=Need(11.0, 14.0, 160.0, "line"), input=_N,
            output=_N),
    TwoPort("Two-way splitter", "splitter", _usual(-3.5, 0.3), 1e6, 1e9, "", isolation_db=_usual(25.0, 5.0),
            passes_dc=True, input=_SMA, output=_SMA),
    TwoPort("Antenna switch", "switch", _usual(-0.2, 0.1), 0.0, 500e6, "", isolation_db=_usual(50.0, 5.0),
            passes_dc=True, input=_UHF, output=_UHF),
    TwoPort("Bias injector 5 V", "injector", _usual(-0.5, 0.2), 1e6, 3e9, "feeds 5 V up the line",
            feed=Feed(5.0, 500.0, on=False), input=_SMA, output=_SMA),
    TwoPort("LNB injector", "injector", _usual(-0.5, 0.2), 0.9e9, 2.5e9, "feeds 13 or 18 V and a tone up the line",
            feed=Feed(13.0, 350.0, on=False), input=_F, output=_F),
    TwoPort("Bias injector 12 V", "injector", _usual(-0.5, 0.2), 1e6, 3e9, "feeds 12 V up the line",
            feed=Feed(12.0, 500.0, on=False), input=_SMA, output=_SMA),
    Isolator("UHF isolator", _usual(-0.5, 0.2), 420e6, 470e6, _usual(20.0, 3.0), "passes one way only", input=_N,
             output=_N, largest_dbm=_usual(43.0, 2.0)),
    TwoPort("Limiter", "limiter", _usual(-0.3, 0.1), 0.0, 1e9, "keeps what passes under +10 dBm", input=_SMA,
            output=_SMA.opposite()),
    _converter("Up-converter 100", "sum", 100e6, 0.05e6, 55e6, "HF to above 100 MHz"),
    _converter("Up-converter 125", "sum", 125e6, 0.05e6, 60e6, "HF to above 125 MHz"),
    _converter("Down-converter 1 GHz", "low", 1e9, 1.05e9, 2.4e9, "f − 1 GHz"),
    _converter("Inverting converter 200", "high", 200e6, 100e6, 170e6, "200 MHz − f, inverted"),
    Lnb("Two-band LNB", (
        # A dielectric resonator may be off by 1 MHz; taken as two sigma.
        LnbBand("low", _usual(9.75e9, 500e3), 9.75e9, 10.7e9, 11.7e9),
        LnbBand("high", _usual(10.6e9, 500e3), 10.6e9, 11.7e9, 12.75e9, tone_khz=22.0),
    ), "dielectric-resonator oscillators", current_ma=150.0, gain_db=_usual(55.0, 5.0), nf_db=_usual(0.8, 0.3),
        output=_F),
    Lnb("PLL LNB", (
        # A crystal within 25 ppm, taken as two sigma, times its synthesizer.
        LnbBand("low", _usual(9.75e9, 9.75e9 * 12.5e-6), 9.75e9, 10.489e9, 11.7e9),
        LnbBand("high", _usual(10.6e9, 10.6e9 * 12.5e-6), 10.6e9, 11.7e9, 12.75e9, tone_khz=22.0),
    ), "synthesized from one crystal", current_ma=120.0, gain_db=_usual(55.0, 5.0), nf_db=_usual(0.8, 0.3), output=_F),
    Transceiver("HF transceiver", "antenna", 0.1e6, 54e6, if_hz=8.83e6, sense=1, note="receive-antenna output",
                transmit_w=100.0, input=_UHF.opposite(), if_output=_BNC, antenna_output=_SMA),
    Receiver("TV-stick receiver", 25e6, 1750e6, 28.8e6,
             Value(0.0, 25.0, "assumed", note="plain crystal, within 50 ppm"),
             0.0, (1.024e6, 2.048e6, 2.4e6), 2.048e6, 8, direct=DirectSampling("direct", 28.8e6, 1),
             note="8-bit, plain crystal", ports=(Port("antenna", _SMA, _usual(10.0), Feed(4.5, 180.0)),
                                                 Port("direct", _SMA, _usual(10.0))),
             gain_stages=(GainStage("gain", (0.0, 10.0, 20.0, 30.0, 40.0), 20.0),)),
    Receiver("TV-stick, compensated crystal", 25e6, 1750e6, 28.8e6,
             Value(0.0, 0.5, "assumed", note="temperature-compensated, within 1 ppm"),
             0.0, (1.024e6, 2.048e6, 2.4e6), 2.048e6, 8, direct=DirectSampling("direct", 28.8e6, 1),
             note="8-bit, compensated crystal", ports=(Port("antenna", _SMA, _usual(10.0), Feed(4.5, 180.0)),
                                                       Port("direct", _SMA, _usual(10.0))),
             gain_stages=(GainStage("gain", (0.0, 10.0, 20.0, 30.0, 40.0), 20.0),)),
    Receiver("Receiver with a disciplined clock", 1e6, 6000e6, 40e6,
             Value(0.0, 0.001, "assumed", note="disciplined by satellite, within 2e-9 when locked"), 0.0,
             (2e6, 8e6, 20e6), 2e6, 12, note="12-bit, clock disciplined by satellite",
             ports=(Port("A", _SMA, _usual(0.0)), Port("B", _SMA, _usual(0.0)))),
    Receiver("Wide-band receiver", 0.01e6, 2000e6, 24e6,
             Value(0.0, 0.5, "assumed", note="temperature-compensated, within 1 ppm"), 0.0, (2e6, 6e6, 10e6), 2e6, 14,
             note="14-bit, temperature-compensated",
             ports=(Port("A", _SMA, _usual(0.0), Feed(4.7, 100.0)), Port("B", _SMA, _usual(0.0)))),
    Receiver("Radio with a knob", 0.15e6, 30e6, 10e6,
             Value(0.0, 2.5, "assumed", note="a table radio, within 5 ppm"), 0.0, (48e3,), 48e3, 16,
             note="tuned by hand, measured by its audio tone", ports=(Port("antenna", _UHF, _usual(20.0)),)),
    Receiver("HF sampling receiver", 0.01e6, 54e6, 122.88e6,
             Value(0.0, 1.0, "assumed", note="temperature-compensated, within 2 ppm"), 0.0, (0.192e6, 0.384e6), 0.384e6,
             16, note="16-bit, samples HF as a whole", direct=DirectSampling("antenna", 122.88e6, low_pass_hz=54e6),
             stream_bits=24,
             ports=(Port("antenna", _BNC, _usual(10.0)),)),
)  # fmt: skip

# Classes under which parts are listed, in the order in which a yard is built.
CLASSES = ("antenna", "in the line", "converter", "transceiver", "receiver")


def class_of(part: Part) -> str:
    """Class of a part in words."""
    match part:
        case Antenna():
            return "antenna"
        case TwoPort() | Isolator():
            return "in the line"
        case Converter() | Lnb():
            return "converter"
        case Transceiver():
            return "transceiver"
        case Receiver():
            return "receiver"
        case _:
            assert_never(part)


def kind_of(part: Part) -> str:
    """Kind of a part, in one word or two."""
    match part:
        case TwoPort():
            return part.shape or {"block": "DC block", "relay": "T/R relay"}.get(part.what, part.what)
        case Isolator():
            return "isolator"
        case Antenna():
            return f"antenna ({part.kind})" if part.kind else "antenna"
        case Converter():
            return {"sum": "up-converter", "low": "down-converter", "high": "inverting converter"}[part.kind]
        case Lnb():
            return "LNB"
        case Transceiver() | Receiver():
            return class_of(part)
        case _:
            assert_never(part)


def shelf() -> tuple[Part, ...]:
    """All parts on the shelf by class: the general ones first, then those of the demo yard."""
    parts = (*_GENERIC, *DEMO_PARTS)
    return tuple(part for wanted in CLASSES for part in parts if class_of(part) == wanted)
