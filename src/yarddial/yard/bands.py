"""Well-known bands for the dial's neighbourhood (radio regulations, region 1). Check local rules."""

import msgspec


class Band(msgspec.Struct, frozen=True):
    """A named range, hertz."""

    name: str
    low_hz: float
    high_hz: float
    kind: str


BANDS: tuple[Band, ...] = (
    Band("long wave", 148.5e3, 283.5e3, "broadcast"),
    Band("medium wave", 526.5e3, 1606.5e3, "broadcast"),
    Band("160 m", 1.81e6, 2.0e6, "amateur"),
    Band("80 m", 3.5e6, 3.8e6, "amateur"),
    Band("60 m", 5.3515e6, 5.3665e6, "amateur"),
    Band("49 m", 5.9e6, 6.2e6, "broadcast"),
    Band("40 m", 7.0e6, 7.2e6, "amateur"),
    Band("41 m", 7.2e6, 7.45e6, "broadcast"),
    Band("31 m", 9.4e6, 9.9e6, "broadcast"),
    Band("30 m", 10.1e6, 10.15e6, "amateur"),
    Band("25 m", 11.6e6, 12.1e6, "broadcast"),
    Band("20 m", 14.0e6, 14.35e6, "amateur"),
    Band("19 m", 15.1e6, 15.8e6, "broadcast"),
    Band("17 m", 18.068e6, 18.168e6, "amateur"),
    Band("15 m", 21.0e6, 21.45e6, "amateur"),
    Band("12 m", 24.89e6, 24.99e6, "amateur"),
    Band("10 m", 28.0e6, 29.7e6, "amateur"),
    Band("6 m", 50e6, 52e6, "amateur"),
    Band("FM broadcast", 87.5e6, 108e6, "broadcast"),
    Band("airband", 117.975e6, 137e6, "aeronautical"),
    Band("2 m", 144e6, 146e6, "amateur"),
    Band("marine VHF", 156e6, 162.05e6, "marine"),
    Band("70 cm", 430e6, 440e6, "amateur"),
    Band("23 cm", 1240e6, 1300e6, "amateur"),
    Band("3 cm", 10e9, 10.5e9, "amateur"),
)


def bands_within(low_hz: float, high_hz: float) -> tuple[Band, ...]:
    """Bands that reach into a range."""
    return tuple(band for band in BANDS if band.low_hz < high_hz and band.high_hz > low_hz)
