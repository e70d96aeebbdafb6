"""The middle of narrow FM whose transmitter is even, leans, or clips one side; voices by other people's programs."""

import subprocess
import sys
from pathlib import Path

import numpy as np

from yarddial.dsp.frequency_modulation import estimate_centre
from yarddial.yard.errors import NoCarrier

RATE_HZ, RUNS = 48_000, 6
CN0_DBHZ, SECONDS = (55.0, 62.0, 72.0), (2.0, 6.0)
COVERAGE, RMS_Z, WORST_Z = 0.90, 1.5, 10.0


def prove() -> bool:
    """One line a transmitter and voice; runs behind the name."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))
    import modulation
    import recordings

    if lacking := recordings.missing():
        subprocess.run(["apt-get", "install", "-y", *lacking], check=False, capture_output=True)
    if lacking := recordings.missing():
        print(f"MISS needs {', '.join(lacking)} from Debian")
        return False
    runs = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else RUNS
    voice = recordings.spoken(RATE_HZ, 60.0)
    voices = {
        "a voice": lambda chance, count: np.roll(voice, int(chance.integers(voice.size)))[:count],
        "noise in syllables": lambda chance, count: modulation.speech_like(chance, count, RATE_HZ),
        "a tone": lambda chance, count: recordings.synthesised(RATE_HZ, count / RATE_HZ, "sine", "1000"),
        "pink noise": lambda chance, count: np.roll(
            recordings.synthesised(RATE_HZ, 20.0, "pinknoise", "sinc", "300-3000"), int(chance.integers(1 << 20))
        )[:count],
    }
    sides = {
        "even": (0.0, 1.0),
        "leaning by 0.3 %": (0.003, 1.0),
        "leaning by 3 %": (0.03, 1.0),
        "one side clipped": (0.0, 0.3),
    }
    good = True
    for what, make in voices.items():
        for side, (lean, clip) in sides.items():
            errors, offs, remarks, refused = [], [], 0, 0
            for seconds in SECONDS:
                for cn0_dbhz in CN0_DBHZ:
                    for run in range(runs):
                        chance = np.random.default_rng((hash_of(what + side), int(seconds), int(cn0_dbhz), run))
                        audio = modulation.lopsided(make(chance, int(seconds * RATE_HZ)), lean, clip)
                        hertz = float(chance.uniform(-500, 500))
                        phase = modulation.frequency_modulated(audio, RATE_HZ, 2_500.0)
                        phase = phase + 2 * np.pi * hertz * np.arange(phase.size) / RATE_HZ
                        noise = chance.standard_normal((2, phase.size)) * np.sqrt(RATE_HZ / 10 ** (cn0_dbhz / 10) / 2)
                        wave = (0.1 * (np.exp(1j * phase) + noise[0] + 1j * noise[1])).astype(np.complex64)
                        try:
                            found = estimate_centre(wave, float(RATE_HZ), 0.0, 1_500.0, "narrow")
                        except NoCarrier:
                            refused += 1
                            continue
                        offs.append(found.frequency_hz - hertz)
                        errors.append(abs(offs[-1]) / found.sigma_hz)
                        remarks += bool(found.remark)
            z = np.asarray(errors)
            held, rms = float(np.mean(z <= 2)), float(np.sqrt(np.mean(z**2)))
            fine = held >= COVERAGE and rms <= RMS_Z and z.max() <= WORST_Z
            good = good and fine
            off = np.percentile(np.abs(offs), (50, 95))
            print(
                f"{'ok  ' if fine else 'MISS'} {what}, {side}: within 2 sigma {held:.3f}, rms z {rms:.2f}, worst "
                f"{z.max():.1f}; off by {off[0]:.2g} Hz, one in 20 by {off[1]:.2g}; with a remark "
                f"{remarks} of {z.size}, refused {refused}",
                flush=True,
            )
    return good


def hash_of(name: str) -> int:
    """The same number for the same name on every day."""
    return sum((k + 1) * ord(letter) for k, letter in enumerate(name))
