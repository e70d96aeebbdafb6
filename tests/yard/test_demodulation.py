"""Ways of hearing: every mode has one, and its settings are its own."""

import pytest

from yarddial.yard.demodulation import DEMODULATIONS, Demodulation, demodulations_of, raster_at
from yarddial.yard.modes import MODES


def test_every_mode_is_heard_in_some_way_and_every_way_serves_a_mode() -> None:
    keys = {mode.key for mode in MODES}
    for mode in MODES:
        for dial_hz in (7.1e6, 14.2e6, 145e6):
            assert demodulations_of(mode.key, dial_hz)[0] in DEMODULATIONS
    assert {demodulation.mode for demodulation in DEMODULATIONS.values()} <= keys
    for demodulation in DEMODULATIONS.values():
        settings = demodulation.settings()
        assert settings.low_hz < settings.high_hz
        assert settings.demodulation == demodulation.demodulation


def test_the_sideband_is_the_amateurs_custom() -> None:
    # 60 m is upper, as are ships on 2,182 kHz and aircraft on short wave.
    for dial_hz in (5.36e6, 2.182e6, 5.658e6):
        assert demodulations_of("ssb", dial_hz) == ("usb", "lsb")
    assert demodulations_of("ssb", 7.1e6) == ("lsb", "usb")
    assert demodulations_of("ssb", 14.2e6) == ("usb", "lsb")


@pytest.mark.parametrize(
    ("dial_hz", "demodulation", "raster_hz"),
    [(999e3, "am", 9_000.0), (6.16e6, "sam", 5_000.0), (118.5e6, "am", 25_000 / 3), (98e6, "wfm", 100_000.0),
     (145.5e6, "nfm", 12_500.0), (14.2e6, "usb", 100.0), (14.05e6, "cw", 10.0)],
)  # fmt: skip
def test_rasters_are_those_that_transmitters_keep_to(
    dial_hz: float, demodulation: Demodulation, raster_hz: float
) -> None:
    assert raster_at(dial_hz, demodulation) == raster_hz
