"""How a place is used: segments, sidebands, rasters, widths and de-emphasis by region; kinds of references."""

from itertools import pairwise

import pytest

import band_tables
from yarddial.yard.bands import BAND_TABLE, Region, bands_of
from yarddial.yard.demodulation import Demodulation, demodulations_of, is_lower_sideband, on_raster, raster_at, usual
from yarddial.yard.modes import ALL_MODES, MODES, mode_named
from yarddial.yard.references import KINDS, kind_named
from yarddial.yard.segments import segment_at, segments_of


@pytest.mark.parametrize(
    ("hertz", "mode"),
    [
        (144.05e6, "cw"), (144.3e6, "ssb"), (145.5e6, "nfm"), (432.2e6, "ssb"), (433.5e6, "nfm"), (14.03e6, "cw"),
        (14.074e6, "data"), (14.2e6, "ssb"), (7.1e6, "ssb"), (29.5e6, "nfm"), (518e3, "fsk"), (10e6, "cw"),
        (96e6, "wfm"), (156.8e6, "nfm"), (6.1e6, "am"), (5.6e6, "ssb"), (7.074e6, "data"), (1296.85e6, "cw"),
        (2320.9e6, "cw"), (2400.25e6, "ssb"), (137.1e6, "picture"), (1090e6, "pulses"), (1420.4e6, "emission"),
        (600e6, "multiplex"),
    ],
)  # fmt: skip
def test_a_place_is_heard_as_its_segment_is_used(hertz: float, mode: str) -> None:
    segment = segment_at(hertz, bands_of(1))
    assert segment is not None
    assert segment.mode == mode
    assert segment_at(3.3e9, ()) is None


def test_segments_cover_their_band_without_a_gap() -> None:
    for band in BAND_TABLE:
        parts = segments_of(band)
        assert (parts[0].low_hz, parts[-1].high_hz) == (band.low_hz, band.high_hz)
        assert all(one.high_hz == two.low_hz for one, two in pairwise(parts))
        assert {part.mode for part in parts} <= {mode.key for mode in ALL_MODES}


@pytest.mark.parametrize(
    ("hertz", "lower"),
    [(7.1e6, True), (3.7e6, True), (1.9e6, True), (5.36e6, False), (2.182e6, False), (5.6e6, False), (14.2e6, False),
     (8.3e6, False)],
)  # fmt: skip
def test_the_sideband_is_the_service_s_own(hertz: float, lower: bool) -> None:
    assert is_lower_sideband(hertz) is lower
    assert demodulations_of("ssb", hertz)[0] == ("lsb" if lower else "usb")


def test_rasters_widths_and_deemphasis_follow_the_region() -> None:
    assert [raster_at(999e3, "am", region) for region in (1, 2, 3)] == [9e3, 10e3, 9e3]
    assert [usual("wfm", 96e6, region).deemphasis_us for region in (1, 2, 3)] == [50.0, 75.0, 50.0]
    # Region 2's FM channels are the odd tenths.
    assert [on_raster(96.33e6, "wfm", region) for region in (1, 2)] == [96.3e6, 96.3e6]
    assert on_raster(96.4e6, "wfm", 2) in (96.3e6, 96.5e6)
    assert raster_at(124e6, "am", 2) == 25e3
    # Pictures need 34 kHz and some Doppler; marine channels are 25 kHz wide, others half.
    assert [usual("nfm", f).width_hz for f in (137.5e6, 156.8e6, 145.5e6)] == [40e3, 16e3, 12e3]


@pytest.mark.parametrize(
    ("channel_hz", "demodulation", "region", "raster_hz"),
    [
        # Channels as their own services write them.
        (27.185e6, "am", 2, 10e3), (26.965e6, "nfm", 1, 10e3), (146.52e6, "nfm", 2, 5e3),
        (446.00625e6, "nfm", 1, 12.5e3), (446.19375e6, "nfm", 1, 12.5e3),
        (391e3, "am", 1, 1e3), (29.6e6, "nfm", 1, 10e3), (198e3, "am", 1, 9e3),
        (1_530e3, "am", 2, 10e3), (7.125e6, "am", 1, 1e3),
    ],
)  # fmt: skip
def test_a_channel_is_on_its_own_raster(
    channel_hz: float, demodulation: Demodulation, region: Region, raster_hz: float
) -> None:
    assert raster_at(channel_hz, demodulation, region) == raster_hz
    assert on_raster(channel_hz, demodulation, region) == pytest.approx(channel_hz, abs=1e-3)
    assert on_raster(channel_hz + 0.4 * raster_hz, demodulation, region) == pytest.approx(channel_hz, abs=1e-3)


def test_a_mode_of_its_own_is_heard_and_has_its_own_width() -> None:
    assert demodulations_of("picture", 137.1e6) == ("nfm",)
    # Two megahertz of pulses, a block of 1.536 MHz (EN 300 401), 34 kHz of picture.
    assert mode_named("pulses").bandwidth_hz == 2e6
    assert mode_named("multiplex").bandwidth_hz == 1.536e6
    assert mode_named("picture").bandwidth_hz >= 34e3


def test_modes_bear_an_offset_and_a_drift_of_their_own() -> None:
    data = mode_named("data")
    assert (data.tolerance_hz, data.drift_hz) == (20.0, 1.0)
    assert mode_named("cw").tolerance_hz == 50.0
    assert [mode.tolerance_hz for mode in MODES] == sorted(mode.tolerance_hz for mode in MODES)


def test_kinds_of_references_ask_refuse_and_wander() -> None:
    steady, moving, satellite = (kind_named(n) for n in ("steady carrier", "moving satellite", "satellite beacon"))
    assert steady is not None
    assert steady.asks
    assert moving is not None
    assert moving.trust == "never"
    assert satellite is not None
    # 10 m/s of a geostationary satellite's swing at 10 GHz would be 330 Hz; a well kept one moves by one.
    assert satellite.sigma_hz(10e9) == pytest.approx((10.0**2 + 30.0**2) ** 0.5)
    assert len({kind.name for kind in KINDS}) == len(KINDS)


@pytest.mark.parametrize("region", [1, 2, 3])
def test_no_band_of_the_radio_regulations_is_missing(region: Region) -> None:
    bands = [(band.kind, band.low_hz, band.high_hz) for band in bands_of(region)]
    assert band_tables.missing(bands, region) == []
    assert len(band_tables.missing([], region)) > 40
