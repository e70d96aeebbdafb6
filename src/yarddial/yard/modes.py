"""Requirements of each mode: the dial error beyond which listening or decoding suffers."""

import msgspec

from yarddial.yard.frequency import format_hertz, format_sigma


class Mode(msgspec.Struct, frozen=True):
    """A mode: the dial error it tolerates, its tuning step, its drift limit per minute, and its widths.

    half_channel_hz : half of what a channel occupies. bandwidth_hz : of the filter that receives it.
    """

    key: str
    name: str
    tolerance_hz: float
    step_hz: float
    drift_hz: float
    half_channel_hz: float
    bandwidth_hz: float


# The stricter end of the customary ranges. A decoder of slow data searches for its signal, so it tolerates an offset of
# many hertz but almost no drift: tones 1.5 to 6 Hz apart last seconds. Shift-keyed data has 85 to 425 Hz between tones.
# Widths: ITU-R SM.1138 (necessary bandwidth).
MODES: tuple[Mode, ...] = (
    Mode("data", "narrow data", 20.0, 10.0, 1.0, 300.0, 500.0),
    Mode("ssb", "SSB", 25.0, 100.0, 20.0, 1_500.0, 2_700.0),
    Mode("fsk", "shift-keyed data", 30.0, 10.0, 10.0, 300.0, 500.0),
    Mode("cw", "CW", 50.0, 10.0, 20.0, 300.0, 500.0),
    Mode("am", "AM", 100.0, 1_000.0, 100.0, 5_000.0, 9_000.0),
    Mode("nfm", "narrow FM", 500.0, 12_500.0, 500.0, 8_000.0, 16_000.0),
    Mode("wfm", "wide FM", 10_000.0, 100_000.0, 5_000.0, 100_000.0, 200_000.0),
)

# Modes that no loudspeaker is meant for; tolerances from their own widths. Satellite pictures: 17 kHz of deviation,
# 34 kHz wide; a receiver 2 kHz off clips one side. Pulses at 1090 MHz: transponders keep within 1 MHz (ICAO annex 10,
# 2014). Multiplexes: carriers 1 kHz apart (ETSI EN 300 401, mode I), found within half of that. The hydrogen line is
# shifted by 4.7 kHz for each kilometre a second.
OTHER_MODES: tuple[Mode, ...] = (
    Mode("multiplex", "digital multiplex", 500.0, 1_000.0, 500.0, 768_000.0, 1_536_000.0),
    Mode("emission", "emission line", 1_000.0, 1_000.0, 1_000.0, 500_000.0, 1_000_000.0),
    Mode("picture", "satellite picture", 2_000.0, 1_000.0, 2_000.0, 20_000.0, 40_000.0),
    Mode("pulses", "pulses", 100_000.0, 100_000.0, 50_000.0, 1_000_000.0, 2_000_000.0),
)
ALL_MODES = (*MODES, *OTHER_MODES)

_AM = next(mode for mode in MODES if mode.key == "am")


def mode_named(key: str) -> Mode:
    """Find a mode by its key; an unknown key gives AM, which every receiver has."""
    return next((mode for mode in ALL_MODES if mode.key == key), _AM)


def modes_served(error_hz: float, sigma_hz: float) -> tuple[tuple[Mode, ...], tuple[Mode, ...]]:
    """Split the modes into those served and those not, for a dial error and its one-sigma uncertainty.

    A mode is served when the error plus twice its uncertainty is within its tolerance.
    """
    reach_hz = abs(error_hz) + 2 * sigma_hz
    served = tuple(mode for mode in MODES if reach_hz <= mode.tolerance_hz)
    return served, tuple(mode for mode in MODES if mode not in served)


def suitability(error_hz: float, sigma_hz: float) -> str:
    """State which modes such a dial serves, in one sentence."""
    served, unserved = modes_served(error_hz, sigma_hz)
    if not unserved:
        return "Enough for every mode, narrow data too."
    if not served:
        return f"Not enough for any mode: wide FM allows only {format_hertz(MODES[-1].tolerance_hz, signed=False)}."
    best, next_one = served[0], unserved[-1]
    return (
        f"Enough for {best.name} ({format_sigma(best.tolerance_hz)[1:]}), "
        f"not yet for {next_one.name} ({format_sigma(next_one.tolerance_hz)[1:]})."
    )
