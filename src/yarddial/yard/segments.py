"""Segments of bands with a mode of their own: 144.2 MHz is single sideband, not narrow FM.

Amateur bands by the band plans of IARU Region 1 (HF 2020, VHF and up 2021), whose calling frequencies and order the
other regions share; plans are customs, and countries differ.
"""

from collections.abc import Sequence

import msgspec

from yarddial.yard.bands import Band, bands_within


class BandPart(msgspec.Struct, frozen=True):
    """A part of a band: its mode (a key of `modes`), and its channel spacing, 0 where there is none."""

    low_hz: float
    high_hz: float
    mode: str
    raster_hz: float = 0.0


_HZ_PER_MHZ = 1e6
# By band name: start in megahertz and mode, valid up to the next row.
_PLANS: dict[str, tuple[tuple[float, str], ...]] = {
    "160 m": ((1.8, "cw"), (1.838, "data"), (1.843, "ssb")),
    "80 m": ((3.5, "cw"), (3.57, "data"), (3.6, "ssb")),
    "60 m": ((5.3515, "cw"), (5.354, "ssb"), (5.366, "data")),
    "40 m": ((7.0, "cw"), (7.04, "data"), (7.05, "ssb"), (7.07, "data"), (7.08, "ssb")),
    "30 m": ((10.1, "cw"), (10.13, "data")),
    "20 m": ((14.0, "cw"), (14.07, "data"), (14.101, "ssb")),
    "17 m": ((18.068, "cw"), (18.095, "data"), (18.111, "ssb")),
    "15 m": ((21.0, "cw"), (21.07, "data"), (21.151, "ssb")),
    "12 m": ((24.89, "cw"), (24.915, "data"), (24.931, "ssb")),
    "10 m": ((28.0, "cw"), (28.07, "data"), (28.225, "ssb"), (29.2, "nfm")),
    "6 m": ((50.0, "cw"), (50.1, "ssb"), (50.3, "data"), (50.4, "cw"), (50.5, "nfm")),
    "4 m": ((70.0, "cw"), (70.09, "ssb"), (70.25, "nfm")),
    "2 m": ((144.0, "cw"), (144.15, "ssb"), (144.4, "cw"), (144.5, "ssb"), (144.794, "nfm")),
    "70 cm": ((430.0, "nfm"), (432.0, "cw"), (432.1, "ssb"), (432.4, "cw"), (432.5, "nfm")),
    "1.25 m": ((222.0, "cw"), (222.05, "ssb"), (222.15, "nfm")),
    "33 cm": ((902.0, "nfm"), (902.05, "ssb"), (902.3, "nfm"), (903.0, "cw"), (903.1, "ssb"), (903.4, "nfm")),
    # Beacons at 1296.8 to 1297 and 2320.8 to 2321; linear transponders at 1296 and below, and up to the geostationary
    # one at 2400.
    "23 cm": ((1240.0, "nfm"), (1296.0, "cw"), (1296.15, "ssb"), (1296.8, "cw"), (1297.0, "nfm")),
    "13 cm": (
        (2300.0, "nfm"),
        (2304.0, "cw"),
        (2304.1, "ssb"),
        (2304.4, "cw"),
        (2304.75, "nfm"),
        (2320.0, "cw"),
        (2320.15, "ssb"),
        (2320.8, "cw"),
        (2321.0, "nfm"),
        (2400.0, "ssb"),
        (2402.0, "nfm"),
    ),
}
# FM channel spacing in hertz.
_FM_RASTER_HZ = {"10 m": 10e3, "70 cm": 12.5e3, "23 cm": 25e3}


def segments_of(band: Band) -> tuple[BandPart, ...]:
    """Segments of a band, rising; the whole band where no plan exists."""
    plan = _PLANS.get(band.name) if band.kind == "amateur" else None
    if plan is None:
        return (BandPart(band.low_hz, band.high_hz, band.mode_key),)
    ends = [start * _HZ_PER_MHZ for start, _ in plan[1:]] + [band.high_hz]
    raster_hz = _FM_RASTER_HZ.get(band.name, 12.5e3)
    return tuple(
        BandPart(
            max(start * _HZ_PER_MHZ, band.low_hz), min(end, band.high_hz), mode, raster_hz if mode == "nfm" else 0.0
        )
        for (start, mode), end in zip(plan, ends, strict=True)
        if start * _HZ_PER_MHZ < band.high_hz and end > band.low_hz
    )


def segment_at(dial_hz: float, bands: Sequence[Band]) -> BandPart | None:
    """Segment of a frequency, from the narrowest band that contains it; None outside all bands."""
    inside = bands_within(dial_hz, dial_hz + 1e-3, bands)
    if not inside:
        return None
    band = min(inside, key=lambda segment: segment.high_hz - segment.low_hz)
    return next((s for s in segments_of(band) if s.low_hz <= dial_hz < s.high_hz), segments_of(band)[-1])
