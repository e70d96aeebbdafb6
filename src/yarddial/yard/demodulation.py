"""Ways of hearing: how a channel becomes sound, its usual edges, and the step by which one tunes."""

from typing import Literal

import msgspec

from yarddial.yard.bands import TABLE
from yarddial.yard.line import Line
from yarddial.yard.path import path_sense

Demodulation = Literal["am", "sam", "usb", "lsb", "cw", "nfm", "wfm"]


class Settings(msgspec.Struct, frozen=True):
    """How a channel is heard.

    low_hz, high_hz : the filter's edges relative to the dial.
    squelch_dbfs : level in the channel that opens it; None leaves it open.
    deemphasis_us : for FM; 0, 50 or 75.
    pitch_hz : of a CW carrier on the dial.
    """

    way: Demodulation
    low_hz: float
    high_hz: float
    squelch_dbfs: float | None = None
    gain_control: bool = True
    noise_reduction: bool = False
    deemphasis_us: float = 0.0
    pitch_hz: float = 600.0


class DemodulationDefaults(msgspec.Struct, frozen=True):
    """A way with the mode that it serves, its usual edges, its step, and its de-emphasis."""

    way: Demodulation
    name: str
    mode: str
    low_hz: float
    high_hz: float
    step_hz: float
    deemphasis_us: float = 0.0

    @property
    def width_hz(self) -> float:
        """From edge to edge."""
        return self.high_hz - self.low_hz

    def settings(self) -> Settings:
        """As one begins."""
        return Settings(self.way, self.low_hz, self.high_hz, deemphasis_us=self.deemphasis_us)


# Region 1's 50 us; elsewhere 75 us is used, which a person can choose.
DEMODULATIONS: dict[Demodulation, DemodulationDefaults] = {
    way.way: way
    for way in (
        DemodulationDefaults("am", "AM", "am", -4_500.0, 4_500.0, 1_000.0),
        DemodulationDefaults("sam", "AM, synchronous", "am", -4_500.0, 4_500.0, 1_000.0),
        DemodulationDefaults("usb", "SSB, upper sideband", "ssb", 200.0, 2_800.0, 100.0),
        DemodulationDefaults("lsb", "SSB, lower sideband", "ssb", -2_800.0, -200.0, 100.0),
        DemodulationDefaults("cw", "CW", "cw", -250.0, 250.0, 10.0),
        DemodulationDefaults("nfm", "narrow FM", "nfm", -6_000.0, 6_000.0, 12_500.0),
        DemodulationDefaults("wfm", "wide FM", "wfm", -120_000.0, 120_000.0, 100_000.0, 50.0),
    )
}
# Pilot over the noise of a bin of 30 Hz: mono under the first, both channels whole from the second on. The noise of the
# difference is then 17 to 37 dB under full scale; in mono it is some 20 dB less (ITU-R BS.641).
STEREO_DB = (20.0, 40.0)


def stereo_share(pilot_db: float) -> float:
    """How much of the difference between the channels is heard with such a pilot, 0 to 1."""
    low, high = STEREO_DB
    return min(max((pilot_db - low) / (high - low), 0.0), 1.0)


# Amateurs use the lower sideband below this, by custom and the IARU's band plans, but for 60 m; all other services use
# the upper one everywhere (ITU Radio Regulations, Appendix 17 and article 52 for ships, 27 for aircraft).
SIDEBANDS_CHANGE_HZ, UPPER_BELOW = 10e6, "60 m"


def is_lower_sideband(dial_hz: float) -> bool:
    """Whether those who speak there in single sideband send the lower one."""
    inside = [band for band in TABLE if band.kind == "amateur" and band.low_hz <= dial_hz <= band.high_hz]
    return dial_hz < SIDEBANDS_CHANGE_HZ and any(band.name != UPPER_BELOW for band in inside)


def demodulations_of(mode: str, dial_hz: float) -> tuple[Demodulation, ...]:
    """Ways that serve a mode, the usual one first."""
    able = tuple(way.way for way in DEMODULATIONS.values() if way.mode == mode)
    if mode == "ssb" and is_lower_sideband(dial_hz):
        return tuple(reversed(able))
    return able or ("usb",)


def raster_at(dial_hz: float, way: Demodulation) -> float:
    """Spacing of the channels that transmitters keep to here, hertz (region 1); the way's own step where none is usual.

    Long and medium wave 9 kHz, short-wave broadcasting 5 kHz, FM broadcasting 100 kHz, narrow FM 12.5 kHz, airband
    8.33 kHz as 25 / 3.
    """
    if way in ("am", "sam"):
        if dial_hz < 1.7e6:
            return 9_000.0
        if dial_hz < 30e6:
            return 5_000.0
        return 25_000.0 / 3
    return {"nfm": 12_500.0, "wfm": 100_000.0}.get(way, DEMODULATIONS[way].step_hz)


def turned(settings: Settings, line: Line) -> Settings:
    """How it is heard at the receiver: on a route that inverts, sidebands and edges change sides."""
    if path_sense(line.counted_stages(line.dial_hz)) > 0:
        return settings
    other: dict[Demodulation, Demodulation] = {"usb": "lsb", "lsb": "usb"}
    return msgspec.structs.replace(
        settings, way=other.get(settings.way, settings.way), low_hz=-settings.high_hz, high_hz=-settings.low_hz
    )
