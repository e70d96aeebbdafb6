"""The first yard of all, with a part of every kind, for tests."""

from pathlib import Path

import msgspec

from yarddial.records.station_file import load_station
from yarddial.yard.parts import (
    Antenna,
    DirectSampling,
    Lnb,
    LnbBand,
    Receiver,
    Transceiver,
    TwoPort,
    Value,
)
from yarddial.yard.station import Route, Station, checked

DISH = Antenna("Dish", 10.7e9, 12.75e9)
LNB = Lnb(
    "Saucer",
    (
        LnbBand("low", Value(9.75e9, 30e3), 9.75e9, 10.7e9, 11.7e9),
        LnbBand("high", Value(10.6e9, 30e3), 10.6e9, 11.7e9, 12.75e9, tone_khz=22.0),
    ),
)
HEARTH = Transceiver("Hearth", "if", 0.1e6, 30e6, if_hz=8.83e6, sense=-1)
WHIP_FILTER = TwoPort("Low-pass 32", "filter", Value(-0.4, 0.1), 0.0, 32e6)
HERON = Receiver(
    "Heron",
    tuner_low_hz=0.01e6,
    tuner_high_hz=2000e6,
    crystal_hz=24e6,
    crystal_ppm=Value(-0.6, 0.5, "stated"),
    entered_ppm=0.0,
    rates_hz=(2e6, 8e6),
    rate_hz=2e6,
    bits=14,
    direct=DirectSampling("direct", 28.8e6, top_zone=2),
)
SATELLITE, BEHIND_HEARTH, DIRECT_IN = "Dish over Saucer", "Long wire behind Hearth", "Long wire direct"


def station() -> Station:
    """The first yard of all, with a dish, a transceiver's IF output, and a direct input."""
    shipped = load_station(Path(__file__).parent / "records" / "files" / "version-1-slice.yard.json").station
    return checked(
        msgspec.structs.replace(
            shipped,
            parts=(*shipped.parts, DISH, LNB, HEARTH, WHIP_FILTER, HERON),
            routes=(
                *shipped.routes,
                Route(SATELLITE, ("Dish", "Saucer", "Heron")),
                Route(BEHIND_HEARTH, ("Long wire", "Low-pass 32", "Hearth", "Heron")),
                Route(DIRECT_IN, ("Long wire", "Heron"), port="direct"),
            ),
        )
    )
