"""Demodulations: modes of reception, with their usual filter edges and tuning steps."""

from typing import Literal

import msgspec

from yarddial.yard.bands import BAND_TABLE, DEEMPHASIS_US, Region
from yarddial.yard.bounds import DeemphasisUs, EdgeHz, LevelDb, PitchHz
from yarddial.yard.frequency_conversion import path_sense
from yarddial.yard.resolved_route import ResolvedRoute

Demodulation = Literal["am", "sam", "usb", "lsb", "cw", "nfm", "wfm"]


class DemodulationSettings(msgspec.Struct, frozen=True):
    """Settings of a demodulator.

    low_hz, high_hz : filter edges relative to the dial.
    squelch_dbfs : channel level that opens the squelch; None leaves it open.
    deemphasis_us : for FM: 0, 50 or 75.
    pitch_hz : audio pitch of a CW carrier at the dial frequency.
    """

    demodulation: Demodulation = msgspec.field(name="way")
    low_hz: EdgeHz
    high_hz: EdgeHz
    squelch_dbfs: LevelDb | None = None
    gain_control: bool = True
    noise_reduction: bool = False
    deemphasis_us: DeemphasisUs = 0.0
    pitch_hz: PitchHz = 600.0

    @property
    def width_hz(self) -> float:
        """Width between the filter's edges, hertz."""
        return self.high_hz - self.low_hz


class DemodulationDefaults(msgspec.Struct, frozen=True):
    """A demodulation with its mode, usual filter edges, tuning step and de-emphasis."""

    demodulation: Demodulation = msgspec.field(name="way")
    name: str
    mode: str
    low_hz: float
    high_hz: float
    step_hz: float
    deemphasis_us: float = 0.0

    @property
    def width_hz(self) -> float:
        """Width between the filter's edges, hertz."""
        return self.high_hz - self.low_hz

    def settings(self) -> DemodulationSettings:
        """Settings with these defaults."""
        return DemodulationSettings(self.demodulation, self.low_hz, self.high_hz, deemphasis_us=self.deemphasis_us)


# Defaults for region 1 with 12.5 kHz channels; `usual` applies regional differences.
DEMODULATIONS: dict[Demodulation, DemodulationDefaults] = {
    demodulation.demodulation: demodulation
    for demodulation in (
        DemodulationDefaults("am", "AM", "am", -4_500.0, 4_500.0, 1_000.0),
        DemodulationDefaults("sam", "AM, synchronous", "am", -4_500.0, 4_500.0, 1_000.0),
        DemodulationDefaults("usb", "SSB, upper sideband", "ssb", 200.0, 2_800.0, 100.0),
        DemodulationDefaults("lsb", "SSB, lower sideband", "ssb", -2_800.0, -200.0, 100.0),
        DemodulationDefaults("cw", "CW", "cw", -250.0, 250.0, 10.0),
        DemodulationDefaults("nfm", "narrow FM", "nfm", -6_000.0, 6_000.0, 12_500.0),
        DemodulationDefaults("wfm", "wide FM", "wfm", -120_000.0, 120_000.0, 100_000.0, 50.0),
    )
}
# Widths in narrow FM by their use, hertz from the middle: channels of 25 kHz (5 kHz of deviation), and the pictures of
# weather satellites (17 kHz of deviation, tones to 4 kHz, Doppler of 3.5 kHz).
_WIDE_CHANNELS_HZ, _PICTURES_HZ = 8_000.0, 20_000.0
_PICTURE_BANDS_HZ = ((137e6, 138e6),)
# Marine VHF, and the amateurs' 2 m outside region 1 and 23 cm everywhere.
_WIDE_CHANNEL_BANDS_HZ = ((156e6, 162.05e6), (1240e6, 1300e6))


def usual(
    demodulation: Demodulation, dial_hz: float, region: Region = 1, deemphasis_us: float | None = None
) -> DemodulationDefaults:
    """Return a demodulation with the edges and de-emphasis usual at a frequency.

    deemphasis_us : of wide FM in the station's country; the region's by default.
    """
    defaults = DEMODULATIONS[demodulation]
    if demodulation == "wfm":
        return msgspec.structs.replace(
            defaults,
            deemphasis_us=DEEMPHASIS_US[region] if deemphasis_us is None else deemphasis_us,
            step_hz=raster_at(dial_hz, demodulation, region),
        )
    if demodulation != "nfm":
        return defaults
    half_hz = defaults.high_hz
    if any(low <= dial_hz < high for low, high in _PICTURE_BANDS_HZ):
        half_hz = _PICTURES_HZ
    elif any(low <= dial_hz < high for low, high in _WIDE_CHANNEL_BANDS_HZ) or (
        region != 1 and 144e6 <= dial_hz < 148e6
    ):
        half_hz = _WIDE_CHANNELS_HZ
    return msgspec.structs.replace(defaults, low_hz=-half_hz, high_hz=half_hz)


# Pilot over the noise of a bin of 30 Hz: mono under the first, both channels whole from the second on. The noise of the
# difference is then 17 to 37 dB under full scale; in mono it is some 20 dB less (ITU-R BS.641).
STEREO_DB = (20.0, 40.0)


def stereo_share(pilot_db: float) -> float:
    """Share of the stereo difference signal to play for a pilot level, 0 to 1."""
    low, high = STEREO_DB
    return min(max((pilot_db - low) / (high - low), 0.0), 1.0)


# Amateurs use the lower sideband below this, by custom and the IARU's band plans, but for 60 m; all other services use
# the upper one everywhere (ITU Radio Regulations, Appendix 17 and article 52 for ships, 27 for aircraft).
SIDEBANDS_CHANGE_HZ, UPPER_BELOW = 10e6, "60 m"


def is_lower_sideband(dial_hz: float) -> bool:
    """Return True where the lower sideband is customary for single-sideband voice."""
    inside = [band for band in BAND_TABLE if band.kind == "amateur" and band.low_hz <= dial_hz <= band.high_hz]
    return dial_hz < SIDEBANDS_CHANGE_HZ and any(band.name != UPPER_BELOW for band in inside)


# What makes something audible of modes that no loudspeaker is meant for.
_OF_OTHER_MODES: dict[str, Demodulation] = {
    "picture": "nfm", "pulses": "am", "multiplex": "wfm", "emission": "usb",
}  # fmt: skip


def demodulations_of(mode: str, dial_hz: float) -> tuple[Demodulation, ...]:
    """Demodulations that serve a mode, the usual one first."""
    able = tuple(demodulation.demodulation for demodulation in DEMODULATIONS.values() if demodulation.mode == mode)
    if mode == "fsk":
        # Its tones are defined in the upper sideband on all bands.
        return ("usb", "lsb")
    if mode in _OF_OTHER_MODES:
        return (_OF_OTHER_MODES[mode],)
    if mode == "ssb" and is_lower_sideband(dial_hz):
        return tuple(reversed(able))
    return able or ("usb",)


# Channels that have a grid of their own: ends, demodulations, spacing and one channel, hertz. Citizens' band: CEPT T/R
# 20-02 and its like elsewhere. Licence-free radio at 446 MHz: EN 300 296. Non-directional beacons: ICAO annex 10,
# volume V, in whole kilohertz. Narrow FM of the amateurs: IARU plans, 10 kHz on 10 m; outside region 1 the 15 and the
# 20 kHz plans on 2 m share multiples of 5 kHz.
_GRIDS: tuple[tuple[float, float, tuple[Demodulation, ...], float, float, tuple[Region, ...]], ...] = (
    (26.96e6, 27.41e6, ("am", "sam", "nfm", "usb", "lsb"), 10e3, 27.185e6, (1, 2, 3)),
    (28e6, 29.7e6, ("nfm",), 10e3, 29.6e6, (1, 2, 3)),
    (144e6, 148e6, ("nfm",), 5e3, 146.52e6, (2, 3)),
    (446e6, 446.2e6, ("nfm",), 12.5e3, 446.00625e6, (1,)),
    (190e3, 525e3, ("am", "sam"), 1e3, 391e3, (2, 3)),
    (283.5e3, 526.5e3, ("am", "sam"), 1e3, 391e3, (1,)),
)


def _grid_at(dial_hz: float, demodulation: Demodulation, region: Region) -> tuple[float, float]:
    """Spacing of the channels at a frequency, and one channel of them; spacing 0 where no grid of its own exists."""
    for low_hz, high_hz, demodulations, raster_hz, channel_hz, regions in _GRIDS:
        if low_hz <= dial_hz < high_hz and demodulation in demodulations and region in regions:
            return raster_hz, channel_hz
    return 0.0, 0.0


def raster_at(dial_hz: float, demodulation: Demodulation, region: Region = 1) -> float:
    """Spacing of the channels that transmitters keep to here, hertz; the way's own step where none is usual.

    Long and medium wave 9 kHz, in region 2 10 kHz; short-wave broadcasting 5 kHz; FM broadcasting 100 kHz, in region 2
    200 kHz on odd tenths of a megahertz; narrow FM 12.5 kHz, marine 25 kHz; airband in region 1 8.33 kHz as 25 / 3,
    elsewhere 25 kHz (Geneva 1975 and Rio 1981 agreements; ICAO annex 10; Radio Regulations, appendix 18).
    """
    own_hz, _ = _grid_at(dial_hz, demodulation, region)
    if own_hz:
        return own_hz
    if demodulation in ("am", "sam"):
        if any(band.kind == "amateur" and band.low_hz <= dial_hz <= band.high_hz for band in BAND_TABLE):
            # Amateurs keep to no channels.
            return DEMODULATIONS[demodulation].step_hz
        if dial_hz < 1.705e6:
            return 10_000.0 if region == 2 else 9_000.0
        if dial_hz < 30e6:
            return 5_000.0
        return 25_000.0 / 3 if region == 1 else 25_000.0
    if demodulation == "wfm":
        return 200_000.0 if region == 2 else 100_000.0
    if demodulation == "nfm":
        return 25_000.0 if any(low <= dial_hz < high for low, high in _WIDE_CHANNEL_BANDS_HZ) else 12_500.0
    return DEMODULATIONS[demodulation].step_hz


def on_raster(dial_hz: float, demodulation: Demodulation, region: Region = 1) -> float:
    """Return the channel nearest to a frequency."""
    raster_hz = raster_at(dial_hz, demodulation, region)
    # FM channels in region 2 have odd tenths of a megahertz: 88.1, 88.3 MHz.
    own_hz, channel_hz = _grid_at(dial_hz, demodulation, region)
    first_hz = channel_hz if own_hz else 100_000.0 if demodulation == "wfm" and region == 2 else 0.0
    return first_hz + round((dial_hz - first_hz) / raster_hz) * raster_hz


def turned(settings: DemodulationSettings, route: ResolvedRoute) -> DemodulationSettings:
    """Settings as the receiver must apply them: on an inverting route, sidebands and edges are swapped."""
    if path_sense(route.counted_stages(route.dial_hz)) > 0:
        return settings
    other: dict[Demodulation, Demodulation] = {"usb": "lsb", "lsb": "usb"}
    return msgspec.structs.replace(
        settings,
        demodulation=other.get(settings.demodulation, settings.demodulation),
        low_hz=-settings.high_hz,
        high_hz=-settings.low_hz,
    )
