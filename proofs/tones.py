"""The tone method on WAV files made by sox: known offsets, noise and hum."""

import subprocess
import tempfile
from pathlib import Path

import numpy as np

from yarddial.analysis.tones.dial_error import dial_error
from yarddial.dsp.sound_tone import sound_tone
from yarddial.records.sounds import read_sound

CASES = ((1_000.0, 37.42), (1_000.0, -210.07), (600.0, 3.33), (440.0, -12.5), (1_500.0, 0.0), (800.0, 95.25))


def prove() -> bool:
    """Each case with three, and with two of three."""
    good = True
    with tempfile.TemporaryDirectory() as folder:
        for number, (tone_hz, error_hz) in enumerate(CASES):
            tones = {}
            for way, hertz in (("am", tone_hz), ("usb", tone_hz + error_hz), ("lsb", tone_hz - error_hz)):
                path = Path(folder) / f"{number}-{way}.wav"
                _make(path, hertz)
                sound, rate_hz = read_sound(path)
                found = sound_tone(sound, rate_hz, tone_hz, 50.0 if way == "am" else min(0.45 * tone_hz, 500.0))
                tones[way] = (found.frequency_hz, found.sigma_hz)
            for left_out in (None, "am", "usb", "lsb"):
                told = dial_error({way: value for way, value in tones.items() if way != left_out})
                off_hz = told.dial_error_hz - error_hz
                ok = abs(off_hz) <= max(0.05, told.sigma_hz) and np.isfinite(told.sigma_hz)
                good = good and ok
                which = "all three" if left_out is None else f"without {left_out.upper()}"
                print(
                    f"{'ok  ' if ok else 'MISS'} tone {tone_hz:g} Hz, error {error_hz:+g} Hz, {which}: off by "
                    f"{off_hz:+.4f} Hz, stated {told.sigma_hz:.4f}"
                )
    return good


def _make(path: Path, hertz: float) -> None:
    """Four seconds: the tone, mains hum with its harmonics over it, and noise."""
    sox = ["sox", "-n", "-r", "44100", "-b", "16", str(path), "synth", "4"]
    sox += ["sine", f"{hertz:.6f}", "synth", "4", "sine", "mix", "50", "synth", "4", "sine", "mix", "150"]
    sox += ["synth", "4", "whitenoise", "mix", "gain", "-12"]
    subprocess.run(sox, check=True, capture_output=True)
