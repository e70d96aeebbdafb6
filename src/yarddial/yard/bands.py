"""Well-known bands by region of the radio regulations. National rules differ and take precedence."""

from collections.abc import Sequence
from typing import Literal

import msgspec

Region = Literal[1, 2, 3]
ALL_REGIONS: tuple[Region, ...] = (1, 2, 3)
# Sky waves, which fade, come in below this frequency, hertz.
SKY_WAVE_BELOW_HZ = 30e6
# Pre-emphasis of FM broadcasting: 75 us in the Americas (region 2), 50 us elsewhere but for a few countries (ITU-R
# BS.450).
DEEMPHASIS_US: dict[Region, float] = {1: 50.0, 2: 75.0, 3: 50.0}


class Band(msgspec.Struct, frozen=True, omit_defaults=True):
    """A named range, hertz: what it is for, where, and the mode mostly used there, by its key in `modes`.

    source : the text that one's own or a national file has it from.
    """

    name: str
    low_hz: float
    high_hz: float
    kind: str
    mode: str = ""
    regions: tuple[Region, ...] = ALL_REGIONS
    source: str = ""

    @property
    def middle_hz(self) -> float:
        """Middle of the band, hertz."""
        return (self.low_hz + self.high_hz) / 2

    @property
    def mode_key(self) -> str:
        """Key of the usual mode; derived from the kind of band where none is named."""
        if self.mode:
            return self.mode
        if self.kind == "broadcast":
            return "wfm" if self.low_hz > 60e6 else "am"
        if self.kind in ("marine", "land mobile", "licence-free"):
            return "nfm"
        if self.kind == "aeronautical":
            return "am"
        if self.kind in ("satellite", "standard frequency"):
            return "cw"
        return "ssb" if self.low_hz < 50e6 or self.low_hz > 1e9 else "nfm"


# Allocations of the Radio Regulations, article 5, to the services that hobbyists receive, rounded to what is customary.
BAND_TABLE: tuple[Band, ...] = (
    Band("very low frequencies", 14e3, 30e3, "marine", "fsk"),
    Band("40 kHz time", 39.5e3, 40.5e3, "standard frequency", regions=(3,)),
    Band("60 kHz time", 59.5e3, 60.5e3, "standard frequency"),
    Band("66.7 kHz time", 66.2e3, 67.2e3, "standard frequency", regions=(1,)),
    Band("68.5 kHz time", 68.0e3, 69.0e3, "standard frequency", regions=(3,)),
    Band("77.5 kHz time", 77.0e3, 78.0e3, "standard frequency", regions=(1,)),
    Band("2200 m", 135.7e3, 137.8e3, "amateur", "cw"),
    Band("long wave", 148.5e3, 283.5e3, "broadcast", regions=(1,)),
    Band("162 kHz time", 161.5e3, 162.5e3, "standard frequency", regions=(1,)),
    Band("navigation beacons", 190e3, 472e3, "aeronautical", "am", regions=(2, 3)),
    Band("navigation beacons", 283.5e3, 472e3, "aeronautical", "am", regions=(1,)),
    Band("630 m", 472e3, 479e3, "amateur", "cw"),
    Band("NAVTEX 490 kHz", 489.5e3, 490.5e3, "marine", "fsk"),
    Band("NAVTEX 518 kHz", 517.5e3, 518.5e3, "marine", "fsk"),
    Band("medium wave", 525e3, 1705e3, "broadcast", regions=(2,)),
    Band("medium wave", 526.5e3, 1606.5e3, "broadcast", regions=(1, 3)),
    Band("160 m", 1.8e6, 2.0e6, "amateur", regions=(2, 3)),
    Band("160 m", 1.81e6, 2.0e6, "amateur", regions=(1,)),
    Band("marine 2 MHz", 2.1735e6, 2.1905e6, "marine", "ssb"),
    Band("120 m", 2.3e6, 2.495e6, "broadcast"),
    Band("2.5 MHz standard", 2.498e6, 2.502e6, "standard frequency"),
    Band("aircraft 3 MHz", 2.85e6, 3.155e6, "aeronautical", "ssb"),
    Band("90 m", 3.2e6, 3.4e6, "broadcast"),
    Band("aircraft 3.4 MHz", 3.4e6, 3.5e6, "aeronautical", "ssb"),
    Band("80 m", 3.5e6, 3.8e6, "amateur", regions=(1,)),
    Band("80 m", 3.5e6, 4.0e6, "amateur", regions=(2,)),
    Band("80 m", 3.5e6, 3.9e6, "amateur", regions=(3,)),
    Band("75 m", 3.9e6, 4.0e6, "broadcast", regions=(3,)),
    Band("75 m", 3.95e6, 4.0e6, "broadcast", regions=(1,)),
    Band("marine 4 MHz", 4.063e6, 4.438e6, "marine", "ssb"),
    Band("aircraft 4.7 MHz", 4.65e6, 4.75e6, "aeronautical", "ssb"),
    Band("60 m tropical", 4.75e6, 4.995e6, "broadcast"),
    Band("5 MHz standard", 4.995e6, 5.005e6, "standard frequency"),
    Band("60 m tropical, upper part", 5.005e6, 5.06e6, "broadcast"),
    Band("60 m", 5.3515e6, 5.3665e6, "amateur"),
    Band("aircraft 5 MHz", 5.48e6, 5.73e6, "aeronautical", "ssb"),
    Band("49 m", 5.9e6, 6.2e6, "broadcast"),
    Band("marine 6 MHz", 6.2e6, 6.525e6, "marine", "ssb"),
    Band("aircraft 6 MHz", 6.525e6, 6.765e6, "aeronautical", "ssb"),
    Band("40 m", 7.0e6, 7.2e6, "amateur", regions=(1, 3)),
    Band("40 m", 7.0e6, 7.3e6, "amateur", regions=(2,)),
    Band("41 m", 7.2e6, 7.45e6, "broadcast", regions=(1, 3)),
    Band("41 m", 7.3e6, 7.4e6, "broadcast", regions=(2,)),
    Band("marine 8 MHz", 8.195e6, 8.815e6, "marine", "ssb"),
    Band("aircraft 9 MHz", 8.815e6, 9.04e6, "aeronautical", "ssb"),
    Band("31 m", 9.4e6, 9.9e6, "broadcast"),
    Band("10 MHz standard", 9.995e6, 10.005e6, "standard frequency"),
    Band("aircraft 10 MHz", 10.005e6, 10.1e6, "aeronautical", "ssb"),
    Band("30 m", 10.1e6, 10.15e6, "amateur", "cw"),
    Band("aircraft 11 MHz", 11.175e6, 11.4e6, "aeronautical", "ssb"),
    Band("25 m", 11.6e6, 12.1e6, "broadcast"),
    Band("marine 12 MHz", 12.23e6, 13.2e6, "marine", "ssb"),
    Band("aircraft 13 MHz", 13.2e6, 13.36e6, "aeronautical", "ssb"),
    Band("22 m", 13.57e6, 13.87e6, "broadcast"),
    Band("20 m", 14.0e6, 14.35e6, "amateur"),
    Band("15 MHz standard", 14.99e6, 15.01e6, "standard frequency"),
    Band("aircraft 15 MHz", 15.01e6, 15.1e6, "aeronautical", "ssb"),
    Band("19 m", 15.1e6, 15.8e6, "broadcast"),
    Band("marine 16 MHz", 16.36e6, 17.41e6, "marine", "ssb"),
    Band("16 m", 17.48e6, 17.9e6, "broadcast"),
    Band("aircraft 18 MHz", 17.9e6, 18.03e6, "aeronautical", "ssb"),
    Band("17 m", 18.068e6, 18.168e6, "amateur"),
    Band("marine 18 MHz", 18.78e6, 18.9e6, "marine", "ssb"),
    Band("15 m broadcast", 18.9e6, 19.02e6, "broadcast"),
    Band("marine 19 MHz", 19.68e6, 19.8e6, "marine", "ssb"),
    Band("20 MHz standard", 19.99e6, 20.01e6, "standard frequency"),
    Band("15 m", 21.0e6, 21.45e6, "amateur"),
    Band("13 m", 21.45e6, 21.85e6, "broadcast"),
    Band("aircraft 22 MHz", 21.924e6, 22.0e6, "aeronautical", "ssb"),
    Band("marine 22 MHz", 22.0e6, 22.855e6, "marine", "ssb"),
    Band("12 m", 24.89e6, 24.99e6, "amateur"),
    Band("25 MHz standard", 24.99e6, 25.01e6, "standard frequency"),
    Band("marine 25 MHz", 25.07e6, 25.21e6, "marine", "ssb"),
    Band("11 m broadcast", 25.67e6, 26.1e6, "broadcast"),
    Band("marine 26 MHz", 26.1e6, 26.175e6, "marine", "ssb"),
    Band("citizens' band", 26.965e6, 27.405e6, "licence-free", "nfm", regions=(1,)),
    Band("citizens' band", 26.965e6, 27.405e6, "licence-free", "am", regions=(2, 3)),
    Band("citizens' band, sidebands", 27.355e6, 27.405e6, "licence-free", "ssb", regions=(2, 3)),
    Band("10 m", 28.0e6, 29.7e6, "amateur"),
    Band("land mobile low band", 30e6, 50e6, "land mobile", regions=(2,)),
    Band("6 m", 50e6, 52e6, "amateur", "ssb", regions=(1,)),
    Band("6 m", 50e6, 54e6, "amateur", "ssb", regions=(2, 3)),
    Band("land mobile low band", 68e6, 87.5e6, "land mobile", regions=(1,)),
    Band("4 m", 70e6, 70.5e6, "amateur", "nfm", regions=(1,)),
    Band("television VHF low", 54e6, 72e6, "broadcast", "wfm", regions=(2,)),
    Band("television VHF middle", 76e6, 88e6, "broadcast", "wfm", regions=(2,)),
    Band("FM broadcast", 87e6, 108e6, "broadcast", regions=(3,)),
    Band("FM broadcast", 87.5e6, 108e6, "broadcast", regions=(1,)),
    Band("FM broadcast", 88e6, 108e6, "broadcast", regions=(2,)),
    Band("landing and bearing beacons", 108e6, 117.975e6, "aeronautical"),
    Band("airband", 117.975e6, 137e6, "aeronautical"),
    Band("weather satellites", 137e6, 138e6, "satellite", "picture"),
    Band("2 m", 144e6, 146e6, "amateur", "ssb", regions=(1,)),
    Band("2 m", 144e6, 148e6, "amateur", "ssb", regions=(2, 3)),
    Band("land mobile VHF", 146e6, 174e6, "land mobile", regions=(1,)),
    Band("land mobile VHF", 148e6, 174e6, "land mobile", regions=(2, 3)),
    Band("marine VHF", 156e6, 162.05e6, "marine"),
    Band("AIS", 161.9625e6, 162.0375e6, "marine", "nfm"),
    Band("weather radio", 162.3875e6, 162.5625e6, "meteorological", "nfm", regions=(2,)),
    Band("digital radio", 174e6, 230e6, "broadcast", "multiplex", regions=(1,)),
    Band("television VHF high", 174e6, 216e6, "broadcast", "wfm", regions=(2,)),
    Band("television VHF high", 174e6, 230e6, "broadcast", "wfm", regions=(3,)),
    Band("1.25 m", 222e6, 225e6, "amateur", regions=(2,)),
    Band("aircraft UHF", 225e6, 399.9e6, "aeronautical"),
    Band("trunked radio", 380e6, 400e6, "land mobile", regions=(1,)),
    Band("radiosondes", 400.15e6, 406e6, "meteorological", "nfm"),
    Band("land mobile UHF", 406.1e6, 470e6, "land mobile"),
    Band("70 cm", 430e6, 440e6, "amateur", "ssb", regions=(1, 3)),
    Band("70 cm", 430e6, 450e6, "amateur", "ssb", regions=(2,)),
    Band("433 MHz", 433.05e6, 434.79e6, "licence-free", regions=(1,)),
    Band("446 MHz", 446.0e6, 446.2e6, "licence-free", regions=(1,)),
    Band("462 MHz", 462.5375e6, 462.7375e6, "licence-free", regions=(2,)),
    Band("467 MHz", 467.5375e6, 467.7375e6, "licence-free", regions=(2,)),
    Band("television UHF", 470e6, 694e6, "broadcast", "multiplex", regions=(1,)),
    Band("television UHF", 470e6, 698e6, "broadcast", "multiplex", regions=(2, 3)),
    Band("477 MHz", 476.4125e6, 477.4125e6, "licence-free", regions=(3,)),
    Band("land mobile 800 MHz", 806e6, 869e6, "land mobile", regions=(2, 3)),
    Band("868 MHz", 863e6, 870e6, "licence-free", regions=(1,)),
    Band("900 MHz", 902e6, 928e6, "licence-free", regions=(2,)),
    Band("33 cm", 902e6, 928e6, "amateur", regions=(2,)),
    Band("aircraft distance measuring", 960e6, 1215e6, "aeronautical", "pulses"),
    Band("aircraft 1090 MHz", 1087e6, 1093e6, "aeronautical", "pulses"),
    Band("satellite navigation L5", 1164e6, 1189e6, "satellite"),
    Band("satellite navigation L2", 1217e6, 1238e6, "satellite"),
    Band("23 cm", 1240e6, 1300e6, "amateur"),
    Band("hydrogen line", 1420.0e6, 1420.8e6, "radio astronomy", "emission"),
    Band("L-band satellites", 1525e6, 1559e6, "satellite"),
    Band("satellite navigation L1", 1559e6, 1610e6, "satellite"),
    Band("satellite telephones", 1613.8e6, 1626.5e6, "satellite"),
    Band("weather satellites 1.7 GHz", 1670e6, 1710e6, "satellite"),
    Band("13 cm", 2300e6, 2450e6, "amateur"),
    Band("9 cm", 3300e6, 3500e6, "amateur", regions=(2, 3)),
    Band("9 cm", 3400e6, 3475e6, "amateur", regions=(1,)),
    Band("6 cm", 5650e6, 5850e6, "amateur", regions=(1, 3)),
    Band("6 cm", 5650e6, 5925e6, "amateur", regions=(2,)),
    Band("3 cm", 10e9, 10.5e9, "amateur"),
    Band("1.2 cm", 24.0e9, 24.25e9, "amateur"),
)


# Source of each row's band edges: by kind, or by name where the kind's source does not list it.
SOURCES: dict[str, str] = {
    "amateur": "ITU Radio Regulations, article 5; IARU band plan of the region",
    "broadcast": "ITU Radio Regulations, articles 5, 12 and 23",
    "marine": "ITU Radio Regulations, article 52 and appendices 17 and 18",
    "aeronautical": "ITU Radio Regulations, article 5 and appendix 27; ICAO annex 10",
    "standard frequency": "ITU Radio Regulations, article 26; ITU-R TF.768",
    "satellite": "ITU Radio Regulations, article 5",
    "meteorological": "ITU Radio Regulations, article 5 (meteorological aids)",
    "radio astronomy": "ITU Radio Regulations, article 5; ITU-R RA.314",
    "land mobile": "ITU Radio Regulations, article 5; national rules",
    "licence-free": "ITU Radio Regulations, number 5.138 and 5.150; national rules",
}
SOURCES_BY_NAME: dict[str, str] = {
    "4 m": "IARU Region 1 band plan; national permission in parts of Region 1",
    "60 m": "ITU Radio Regulations, number 5.133B",
    "citizens' band": "CEPT ECC/DEC/(11)03; national rules",
    "NAVTEX 490 kHz": "ITU Radio Regulations, appendix 15; ITU-R M.540",
    "NAVTEX 518 kHz": "ITU Radio Regulations, appendix 15; ITU-R M.540",
    "AIS": "ITU-R M.1371",
    "446 MHz": "CEPT ECC/DEC/(15)05",
    "462 MHz": "FCC 47 CFR part 95; national rules",
    "467 MHz": "FCC 47 CFR part 95; national rules",
    "477 MHz": "national rules in Region 3",
    "868 MHz": "CEPT ERC/REC 70-03",
    "trunked radio": "CEPT ECC/DEC/(08)05",
    "weather radio": "national rules in Region 2",
    "very low frequencies": "ITU Radio Regulations, article 5 (fixed and maritime mobile, 14 to 70 kHz)",
    "satellite navigation L5": "ITU Radio Regulations, article 5; ITU-R M.1787",
    "satellite navigation L2": "ITU Radio Regulations, article 5; ITU-R M.1787",
    "satellite navigation L1": "ITU Radio Regulations, article 5; ITU-R M.1787",
    "digital radio": "ITU Radio Regulations, article 5; GE06 agreement",
    "aircraft 1090 MHz": "ICAO annex 10, volume IV",
}


def source_of(band: Band) -> str:
    """Source of the edges of a band in the table; empty for the person's own bands."""
    if band.source:
        return band.source
    if not any(
        (known.name, known.low_hz, known.high_hz) == (band.name, band.low_hz, band.high_hz) for known in BAND_TABLE
    ):
        return ""
    return SOURCES_BY_NAME.get(band.name, SOURCES.get(band.kind, ""))


def bands_of(region: Region) -> tuple[Band, ...]:
    """Bands of a region in rising order."""
    return tuple(band for band in BAND_TABLE if region in band.regions)


# The default region.
BANDS = bands_of(1)


def bands_within(low_hz: float, high_hz: float, bands: Sequence[Band]) -> tuple[Band, ...]:
    """Select the bands that overlap a range."""
    return tuple(band for band in bands if band.low_hz < high_hz and band.high_hz > low_hz)
