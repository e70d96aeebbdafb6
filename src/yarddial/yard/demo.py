"""The demo yard "Quillet Lane", on the edge of a small port town that exists nowhere. All parts are invented."""

from yarddial.yard.parts import (
    Antenna,
    Converter,
    DirectSampling,
    Feed,
    GainStage,
    Lnb,
    LnbBand,
    Need,
    Origin,
    Part,
    Port,
    Receiver,
    Socket,
    Transceiver,
    TwoPort,
    Value,
)
from yarddial.yard.plugs import Plugged, SocketKey
from yarddial.yard.station import Acknowledged, Reference, Route, Station, Tap

VIA_LADDER = "Long wire over Ladder"
DIRECT = "Discone direct"
VIA_HEARTH = "Long wire through Hearth"
HEARTH_IF = "Hearth's IF output"
VIA_DISH = "Dish over Saucer"


def demo_station() -> Station:
    """The demo yard as shipped: nothing measured yet, nominal values entered."""
    return Station(
        name="Quillet Lane",
        parts=DEMO_PARTS,
        routes=(
            Route(VIA_LADDER, ("Long wire", "Patch", "Ladder", "Finch"), port="ladder", preferred=True),
            Route(DIRECT, ("Discone", "Finch"), port="discone"),
            Route(VIA_HEARTH, ("Long wire", "Patch", "Hearth", "Heron"), port="A", taps=(Tap("Hearth", "antenna"),)),
            Route(HEARTH_IF, ("Long wire", "Patch", "Hearth", "Low-pass 12", "Finch"), port="direct"),
            Route(VIA_DISH, ("Dish", "Saucer", "Dish lead", "Feeder", "Heron"), port="B"),
        ),
        references=_REFERENCES,
        dial_hz=10e6,
        mode="am",
        route=VIA_LADDER,
        acknowledged=_ACKNOWLEDGED,
        plugged=(Plugged(SocketKey("Patch", "output"), "Ladder", "2026-05-02T09:00:00Z", "confirmed"),),
        # The demo's air has no thunderstorms, so that its levels repeat.
        atmospherics="none",
    )


_SHEET = {"*": Origin("stated", note="its sheet")}
_SMA, _MCX, _N, _UHF, _BNC, _F = (
    Socket("SMA"),
    Socket("MCX"),
    Socket("N"),
    Socket("UHF"),
    Socket("BNC"),
    Socket("F", ohms=75.0),
)

LONG_WIRE = Antenna(
    "Long wire",
    0.1e6,
    30e6,
    "31 m, end-fed",
    "wire",
    31.0,
    outdoors=True,
    output=_UHF.opposite(),
    origins={"*": Origin("stated", note="as put up"), "length_m": Origin("measured", "2026-05-02", "tape")},
)
DISCONE = Antenna(
    "Discone", 60e6, 1300e6, "on the shed roof", "discone", 1.3, outdoors=True, apart_m=14.0,
    coupling_db=Value(56.0, 3.0, note="at 100 mW from the long wire, worst of nine bands"),
    output=_MCX.opposite(), origins=_SHEET,
)  # fmt: skip
DISH = Antenna("Dish", 10.0e9, 11.7e9, "80 cm, offset-fed", "dish", 0.8, outdoors=True, origins=_SHEET)
PATCH = TwoPort(
    "Patch",
    "switch",
    Value(-0.2, 0.1),
    0.0,
    500e6,
    "hand switch: chooses who gets the long wire",
    isolation_db=Value(60.0, 3.0),
    largest_dbm=Value(60.0),
    passes_dc=True,
    input=_UHF,
    output=_UHF,
    origins=_SHEET,
)
LADDER = Converter(
    "Ladder",
    "sum",
    # The can is marked 120.000; plain oscillators of that class keep within 10 ppm, taken as two sigma.
    Value(120e6, 600.0, "stated", note="marked 120.000 on the can"),
    120e6,
    0.05e6,
    60e6,
    "up-converter",
    gain_db=Value(-1.5, 1.0),
    nf_db=Value(8.0, 1.0),
    iip3_dbm=Value(18.0, 2.0),
    isolation_db=Value(45.0, 5.0),
    lo_leak_dbm=Value(-60.0, 5.0),
    largest_dbm=Value(10.0),
    need=Need(4.75, 5.25, 90.0, "lead", Feed(5.0, 500.0, on=True)),
    input=_UHF.opposite(),
    output=_MCX.opposite(),
    origins=_SHEET,
)
HEARTH = Transceiver(
    "Hearth",
    "if",
    0.1e6,
    30e6,
    if_hz=8.83e6,
    sense=-1,
    offsets_hz={"am": 0.0, "ssb": 1500.0, "cw": 600.0},
    note="100 W transceiver",
    transmit_w=100.0,
    isolation_db=Value(55.0, 3.0, note="both outputs, at worst"),
    input=_UHF.opposite(),
    if_output=_BNC,
    antenna_output=_SMA.opposite(),
    origins=_SHEET,
)
LOW_PASS_12 = TwoPort(
    "Low-pass 12",
    "filter",
    Value(-0.4, 0.1),
    0.0,
    12e6,
    "keeps direct sampling to its first zone",
    shape="low-pass",
    input=_BNC.opposite(),
    output=_SMA.opposite(),
    origins=_SHEET,
)
SAUCER = Lnb(
    "Saucer",
    (LnbBand("low", Value(9.75e9, 300e3, note="its sheet: within 600 kHz"), 9.75e9, 10.0e9, 11.7e9),),
    "low-band LNB at the dish's focus",
    current_ma=120.0,
    gain_db=Value(55.0, 3.0),
    nf_db=Value(0.7, 0.2),
    output=_F,
    origins=_SHEET,
)
DISH_LEAD = TwoPort(
    "Dish lead",
    "cable",
    Value(-3.0, 0.5),
    note="12 m, foam",
    length_m=12.0,
    loss_db_100m=((100e6, 6.5), (1e9, 21.0), (2e9, 30.5)),
    passes_dc=True,
    input=_F.opposite(),
    output=_F.opposite(),
    origins=_SHEET,
)
FEEDER = TwoPort(
    "Feeder",
    "injector",
    Value(-0.5, 0.2),
    5e6,
    2.5e9,
    "feeds the LNB; ends in 50 Ω",
    feed=Feed(13.0, 350.0, on=True),
    input=_F,
    output=_SMA.opposite(),
    origins=_SHEET,
)
# Uneven gain steps, as receivers of this class have.
_UNEVEN_DB = (
    *(0.0, 0.9, 1.4, 2.7, 3.7, 5.7, 8.0, 9.1, 12.4, 14.2, 15.9, 17.1),
    *(19.4, 21.6, 23.3, 25.5, 28.2, 30.1, 33.4, 36.2, 38.8, 41.9, 44.6, 48.1),
)
FINCH = Receiver(
    "Finch",
    tuner_low_hz=27e6,
    tuner_high_hz=1720e6,
    crystal_hz=26e6,
    # Plain crystals lie within 50 ppm; taken as two sigma.
    crystal_ppm=Value(0.0, 25.0, "assumed", note="plain crystal, within 50 ppm"),
    entered_ppm=0.0,
    rates_hz=(1.024e6, 1.536e6, 2.048e6, 2.4e6, 2.56e6, 3.0e6),
    rate_hz=2.048e6,
    bits=8,
    effective_bits=Value(8.0, note="a simulated one rounds, and does nothing worse"),
    phase_noise_dbc_hz=Value(-170.0, note="a simulated oscillator has none"),
    device="simulated:finch",
    holes_hz=((1105e6, 1140e6),),
    direct=DirectSampling("direct", 26e6, top_zone=2),
    note="8-bit TV-stick class receiver",
    ports=(
        Port("ladder", _MCX, Value(10.0), Feed(4.7, 150.0)),
        Port("discone", _MCX, Value(10.0), Feed(4.7, 150.0)),
        Port("direct", _SMA, Value(10.0)),
    ),
    gain_stages=(
        GainStage(
            "gain",
            _UNEVEN_DB,
            25.5,
        ),
    ),
    tuner_step_hz=0.0,
    nf_db=Value(6.0, 1.0),
    iip3_dbm=Value(-22.0, 3.0),
    origins=_SHEET,
)
HERON = Receiver(
    "Heron",
    tuner_low_hz=0.01e6,
    tuner_high_hz=2000e6,
    crystal_hz=24e6,
    crystal_ppm=Value(0.0, 0.5, "stated", note="temperature-compensated, within 1 ppm"),
    entered_ppm=0.0,
    rates_hz=(2e6, 4e6, 6e6, 8e6),
    rate_hz=2e6,
    bits=14,
    effective_bits=Value(14.0, note="a simulated one rounds, and does nothing worse"),
    phase_noise_dbc_hz=Value(-170.0, note="a simulated oscillator has none"),
    device="simulated:heron",
    note="14-bit wide-band receiver",
    ports=(Port("A", _SMA, Value(10.0)), Port("B", _SMA, Value(10.0), Feed(4.7, 100.0))),
    gain_stages=(
        GainStage("input", (-18.0, -12.0, -6.0, 0.0), 0.0, "attenuation"),
        GainStage("mixer", (0.0, 10.0, 19.0), 10.0, "attenuation"),
        GainStage("IF", (20.0, 26.0, 32.0, 38.0, 44.0, 50.0, 59.0), 38.0, "attenuation"),
    ),
    nf_db=Value(4.0, 1.0),
    iip3_dbm=Value(-8.0, 3.0),
    origins=_SHEET,
)
DEMO_PARTS: tuple[Part, ...] = (
    LONG_WIRE,
    PATCH,
    LADDER,
    DISCONE,
    FINCH,
    HEARTH,
    LOW_PASS_12,
    HERON,
    DISH,
    SAUCER,
    DISH_LEAD,
    FEEDER,
)

# Findings that the owner of the yard has acknowledged; they stay listed with these words.
_ACKNOWLEDGED = (
    Acknowledged(
        "oscillator:Ladder:airband",
        "Ladder's oscillator, 120.000 MHz, lies in the airband and leaves by Long wire",
        "not heard at the lane with a hand-held receiver; off when nobody listens",
        "2026-05-02",
    ),
    Acknowledged(
        "care:lightning",
        "Lightning and static: Long wire, Discone and Dish are outdoors",
        "leads unplugged and earthed at the shed wall when nobody listens",
        "2026-05-02",
    ),
    Acknowledged(
        "care:power lines",
        "Power lines and falls: Long wire, Discone and Dish are put up in the open",
        "nearest line is 140 m away, behind the harbour",
        "2026-05-02",
    ),
    Acknowledged(
        "care:two-wire supplies",
        "Two-wire supplies: Ladder and the computer may hang on them",
        "one earthed outlet for all, screens joined at the shed wall",
        "2026-05-02",
    ),
    Acknowledged(
        "care:exposure:Hearth:Long wire",
        "Field while Hearth transmits 100 W: nobody within 8.9 m of Long wire",
        "it hangs 7 m up, its end behind the fence",
        "2026-05-02",
    ),
    Acknowledged("care:heat", "Heat: Finch and Heron run warm for hours", "both on the open shelf", "2026-05-02"),
)
_REFERENCES = (
    Reference("Saltpan Radio", 1.134e6, 7.0, "medium-wave broadcaster", "am", "rule: within 10 to 20 Hz"),
    Reference("Tern Bank test tone", 3.215e6, 5.0, "short-wave broadcaster", "am", "sends a steady tone of 1 kHz"),
    Reference("Northmark Time", 5e6, 0.2, "standard frequency", "am", "a sky-wave wanders by 0.1 to 1 Hz"),
    Reference("Northmark Time", 10e6, 0.3, "standard frequency", "am", "a sky-wave wanders by 0.1 to 1 Hz"),
    Reference("Harbour pilot carrier", 145.2e6, 0.5, "steady carrier", "cw", "locked to a rubidium source"),
    Reference("Lantern beacon", 10.489e9, 10.0, "satellite beacon", "cw", "locked; good once the LNB is in the model"),
    Reference("Quillet repeater", 145.65e6, 400.0, "narrow-band FM channel", "nfm", "its centre moves with the voice"),
)
