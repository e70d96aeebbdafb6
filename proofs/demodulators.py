"""Demodulators against closed forms: SINAD at three carrier-to-noise ratios, rejection beside the channel, tones."""

from collections.abc import Callable

import msgspec
import numpy as np

from yarddial.dsp.carrier import estimate_carrier
from yarddial.dsp.listening.hearing import SOUND_HZ, Hearing
from yarddial.yard.demodulation import DEMODULATIONS, Demodulation, DemodulationSettings

RATE_HZ, OFFSET_HZ, SECONDS = 2.4e6, 310_000.0, 3.0
TONE_HZ = 1_000.0


def plainly(way: Demodulation) -> DemodulationSettings:
    """Its usual edges, nothing evened out."""
    return msgspec.structs.replace(DEMODULATIONS[way].settings(), gain_control=False, deemphasis_us=0.0)


def heard(way: Demodulation, samples: np.ndarray) -> np.ndarray:
    """The sound of a channel without gain control, from half a second on."""
    hearing = Hearing(RATE_HZ, OFFSET_HZ, plainly(way))
    sound = np.concatenate([hearing.push(part).sound for part in np.array_split(samples, 40)])
    # Of stereo the mean of both sides is the sum channel.
    sound = sound if sound.ndim == 1 else sound.mean(axis=1)
    assert hearing.sound_hz == SOUND_HZ
    return sound[int(0.5 * SOUND_HZ) :]


def carrier(phase: np.ndarray, size: np.ndarray | float = 0.01) -> np.ndarray:
    """A signal at the dial; phase in radians beside the carrier's own."""
    turns = (OFFSET_HZ / RATE_HZ * np.arange(phase.size)) % 1.0
    return (size * np.exp(1j * (2 * np.pi * turns + phase))).astype(np.complex64)


def noise(count: int, cn0_dbhz: float, carrier_power: float, seed: int) -> np.ndarray:
    """White noise so that carrier power over noise density is as wanted."""
    density = carrier_power / 10 ** (cn0_dbhz / 10)
    parts = np.random.default_rng(seed).standard_normal((2, count), np.float32)
    return (np.sqrt(density * RATE_HZ / 2) * (parts[0] + 1j * parts[1])).astype(np.complex64)


def sinad_db(sound: np.ndarray, tone_hz: float, low_hz: float, high_hz: float) -> float:
    """Tone against all else between two edges: from a long transform."""
    count = sound.size // 48_000 * 48_000
    power = np.abs(np.fft.rfft(sound[:count] * np.hanning(count))) ** 2
    hertz = np.arange(power.size) * SOUND_HZ / count
    inside = (hertz >= low_hz) & (hertz <= high_hz)
    is_tone = np.abs(hertz - tone_hz) < 3.0
    return float(10 * np.log10(power[inside & is_tone].sum() / power[inside & ~is_tone].sum()))


def prove() -> bool:
    """Print each figure beside its closed form."""
    time_s = np.arange(int(SECONDS * RATE_HZ)) / RATE_HZ
    sine = np.sin(2 * np.pi * TONE_HZ * time_s)
    low, high = 300.0, 2_600.0

    def flat(power: float) -> Callable[[float], float]:
        # Detected noise: N0 in a band counted once.
        return lambda cn0_dbhz: cn0_dbhz + 10 * np.log10(power / (high - low))

    def fm(deviation_hz: float, top_hz: float, bottom_hz: float = 0.0) -> Callable[[float], float]:
        # Noise of the frequency: f^2 N0 / C, so (D^2 / 2) 3 C / (N0 (t^3 - b^3)).
        return lambda cn0_dbhz: cn0_dbhz + 10 * np.log10(1.5 * deviation_hz**2 / (top_hz**3 - bottom_hz**3))

    cases = (
        ("AM 80 %", "am", carrier(np.zeros(time_s.size), 0.01 * (1 + 0.8 * sine)), (55, 65, 75),
         flat(0.8**2 / 2), low, high),
        ("synchronous AM 80 %", "sam", carrier(np.zeros(time_s.size), 0.01 * (1 + 0.8 * sine)), (55, 65, 75),
         flat(0.8**2 / 2), low, high),
        ("USB", "usb", carrier(2 * np.pi * TONE_HZ * time_s), (45, 55, 65), flat(1.0), low, high),
        ("LSB", "lsb", carrier(-2 * np.pi * TONE_HZ * time_s), (45, 55, 65), flat(1.0), low, high),
        ("narrow FM 3 kHz", "nfm", carrier(3_000.0 / TONE_HZ * -np.cos(2 * np.pi * TONE_HZ * time_s)), (55, 62, 70),
         fm(3_000.0, high, low), low, high),
        ("wide FM 50 kHz", "wfm", carrier(50_000.0 / TONE_HZ * -np.cos(2 * np.pi * TONE_HZ * time_s)), (70, 75, 80),
         fm(50_000.0, 12_000.0, low), low, 12_000.0),
    )  # fmt: skip
    good = True
    for name, way, signal, ratios, formula, bottom, top in cases:
        for number, cn0_dbhz in enumerate(ratios):
            got = sinad_db(
                heard(way, signal + noise(signal.size, cn0_dbhz, 1e-4, number)),  # type: ignore[arg-type]
                TONE_HZ, bottom, top,
            )  # fmt: skip
            wanted = formula(cn0_dbhz)
            good = abs(got - wanted) <= 0.5 and good
            print(f"{name:<20} C/N0 {cn0_dbhz} dB-Hz: SINAD {got:6.2f} dB, closed form {wanted:6.2f}", flush=True)
    good = _rejections(time_s) and good
    return _tone(time_s) and good


def _rejections(time_s: np.ndarray) -> bool:
    """What stands beside the channel, against the same signal inside it."""
    good = True
    for name, way, inside_hz, outside_hz in (
        ("USB, opposite sideband", "usb", 1_000.0, -1_000.0),
        ("USB, opposite sideband, near", "usb", 1_000.0, -300.0),
        ("LSB, opposite sideband", "lsb", -1_000.0, 1_000.0),
        ("CW, 500 Hz beside", "cw", 0.0, 500.0),
        ("USB, next channel", "usb", 1_000.0, 4_000.0),
    ):
        levels = [
            np.std(heard(way, carrier(2 * np.pi * hertz * time_s)))  # type: ignore[arg-type]
            for hertz in (inside_hz, outside_hz)
        ]
        down_db = 20 * np.log10(levels[0] / max(levels[1], 1e-12))
        good = down_db >= 60 and good
        print(f"{name:<30} {down_db:5.1f} dB down")
    for name, way, spacing_hz in (("AM, 9 kHz beside", "am", 9_000.0), ("narrow FM, 12.5 kHz beside", "nfm", 12_500.0)):
        levels = [_level(way, hertz, time_s) for hertz in (0.0, spacing_hz)]  # type: ignore[arg-type]
        good = levels[0] - levels[1] >= 60 and good
        print(f"{name:<30} {levels[0] - levels[1]:5.1f} dB down in the channel")
    return good


def _level(way: Demodulation, hertz: float, time_s: np.ndarray) -> float:
    hearing = Hearing(RATE_HZ, OFFSET_HZ, plainly(way))
    return [hearing.push(part).level_dbfs for part in np.array_split(carrier(2 * np.pi * hertz * time_s), 20)][-1]


def _tone(time_s: np.ndarray) -> bool:
    """The tone of a steady signal heard in USB."""
    worst = 0.0
    for seed, hertz in enumerate((437.123, 1_234.567, 2_345.678)):
        samples = carrier(2 * np.pi * hertz * time_s) + noise(time_s.size, 60, 1e-4, seed)
        sound = heard("usb", samples)
        found = estimate_carrier(sound.astype(np.complex64), SOUND_HZ, hertz, 20.0).frequency_hz
        worst = max(worst, abs(found - hertz))
    print(f"tones heard in USB: worst {worst:.4f} Hz off (wanted <= 0.01)")
    return worst <= 0.01
