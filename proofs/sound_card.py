"""A real sound server: I and Q played into it, captured by the driver, measured, and both oscillators fitted.

PulseAudio with a null sink is started here and ended here. What is played is made by formulas, not by the simulator:
eight carriers as a receiver with a tuner off by p and a card off by c would count them, over noise.
"""

import contextlib
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator

import numpy as np
import soundfile

from yarddial.analysis.correction.fit import fit
from yarddial.drivers.protocol import Device, RequestedSettings
from yarddial.drivers.sound.driver import SoundDriver
from yarddial.drivers.time_source import RealTime
from yarddial.dsp.spectral_line import measure_line
from yarddial.yard.observation import CrystalAndClock, Observation

CENTRE_HZ = 7.05e6
SECONDS_S = 6.0
TUNER_PPM, CLOCK_PPM = 25.0, 30.0
RUNS = 20


@contextlib.contextmanager
def sound_server(rate_hz: int) -> Iterator[None]:
    """PulseAudio with one null sink, whose monitor is the input that PortAudio takes by itself."""
    with tempfile.TemporaryDirectory() as folder:
        kept = {key: os.environ.get(key) for key in ("XDG_RUNTIME_DIR", "PULSE_SERVER", "HOME")}
        os.environ["XDG_RUNTIME_DIR"] = folder
        os.environ["HOME"] = folder
        os.environ["PULSE_SERVER"] = f"unix:{folder}/pulse/native"
        server = subprocess.Popen(
            [
                # Not in real time: the kernel would end it where this machine is busy.
                "pulseaudio", "-n", "--daemonize=no", "--realtime=no", "--high-priority=no", "--exit-idle-time=-1",
                "--log-target=null",
                "-L", "module-native-protocol-unix",
                "-L", f"module-null-sink sink_name=air rate={rate_hz} format=s32le channels=2",
            ],
            stderr=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            for _ in range(100):
                if subprocess.run(["pactl", "info"], capture_output=True, check=False).returncode == 0:
                    break
                time.sleep(0.1)
            yield
        finally:
            server.terminate()
            server.wait(10)
            for key, value in kept.items():
                os.environ.pop(key, None) if value is None else os.environ.update({key: value})


def prove() -> bool:
    """Both rates, so many runs each as told; a player that pauses; ten minutes without a false loss."""
    runs = next((int(word) for word in sys.argv if word.isdigit()), RUNS)
    minutes = 10.0 if runs >= RUNS else 0.5
    good = True
    for rate_hz in (96_000, 192_000):
        with sound_server(rate_hz):
            good = _clocks(rate_hz, runs) and good
    with sound_server(96_000):
        good = _pause(96_000) and good
        good = _long(96_000, minutes) and good
    return good


def _opened(rate_hz: float) -> Device:
    driver = SoundDriver()
    names = [found.address for found in driver.discover()]
    name = "pulse" if "pulse" in names else names[0]
    device = driver.open(f"{name}?centre=7.05M&skew=0", RealTime())
    device.apply(RequestedSettings(CENTRE_HZ, rate_hz))
    return device


def _captured(device: Device, seconds_s: float, rate_hz: float) -> tuple[np.ndarray, int]:
    """So much of it, and how many samples were lost in it."""
    parts, lost = [], 0
    while sum(part.size for part in parts) < seconds_s * rate_hz:
        block = device.read()
        lost += block.lost if parts else 0
        parts.append(block.samples)
    return np.concatenate(parts), lost


def _clocks(rate_hz: int, runs: int) -> bool:
    """Offsets of carriers against their bound, and both oscillators of the fit against the truth."""
    inside = 0
    pulls: list[float] = []
    off: list[float] = []
    for seed in range(runs):
        chance = np.random.default_rng((rate_hz, seed))
        tuner_ppm, clock_ppm = chance.normal(0, TUNER_PPM), chance.normal(0, CLOCK_PPM)
        shares = np.array([0.03, 0.06, 0.29, 0.35, 0.41, -0.28, -0.33, -0.42]) + chance.uniform(-0.008, 0.008, 8)
        sent_hz = CENTRE_HZ + rate_hz * shares
        off_hz = chance.normal(0, 0.01, sent_hz.size)
        counted_hz = (sent_hz + off_hz - CENTRE_HZ * (1 + tuner_ppm * 1e-6)) / (1 + clock_ppm * 1e-6)
        n = np.arange(int((SECONDS_S + 3) * rate_hz))
        x = 2e-3 * (chance.standard_normal(n.size) + 1j * chance.standard_normal(n.size))
        for hertz in counted_hz:
            x += 0.03 * np.exp(2j * np.pi * (hertz / rate_hz * n % 1.0))
        with tempfile.NamedTemporaryFile(suffix=".wav") as file:
            soundfile.write(file.name, np.stack([x.real, x.imag], 1), rate_hz, subtype="PCM_24")
            player = subprocess.Popen(["paplay", file.name])
            time.sleep(0.3)
            device = _opened(rate_hz)
            samples, lost = _captured(device, SECONDS_S, rate_hz)
            device.close()
            player.terminate()
            player.wait()
        looks = []
        for true_hz, place_hz in zip(sent_hz, counted_hz, strict=True):
            found = measure_line(samples, rate_hz, round(place_hz), 500.0, ())
            off.append((found.frequency_hz - place_hz) / found.sigma_hz)
            looks.append(
                Observation("Box", float(true_hz), 0.01, CENTRE_HZ + found.frequency_hz, found.sigma_hz,
                            tells_of=CrystalAndClock(CENTRE_HZ))
            )  # fmt: skip
        solved = fit(looks, {"crystal:Box": (0.0, TUNER_PPM), "clock:Box": (0.0, CLOCK_PPM)})
        truth = {"crystal:Box": tuner_ppm, "clock:Box": clock_ppm}
        these = [(one.value - truth[one.name]) / one.sigma for one in solved.estimates]
        pulls += these
        inside += all(abs(pull) < 3 for pull in these) and not solved.inseparable and lost == 0
    good = inside == runs and float(np.abs(off).max()) < 5
    print(
        f"{'ok  ' if good else 'MISS'} {rate_hz / 1e3:g} kS/s: both oscillators within 3 sigma, apart, without loss in "
        f"{inside} of {runs}; pulls {np.std(pulls):.2f} wide; {len(off)} offsets, worst {np.abs(off).max():.1f} sigma",
        flush=True,
    )
    return good


def _pause(rate_hz: int) -> bool:
    """The player stands still three times: what is missing is counted, and nothing else."""
    chance = np.random.default_rng(8)
    x = 0.01 * chance.standard_normal((15 * rate_hz, 2))
    held_s = 0.0
    with tempfile.NamedTemporaryFile(suffix=".wav") as file:
        soundfile.write(file.name, x, rate_hz, subtype="PCM_24")
        player = subprocess.Popen(["paplay", "--latency-msec=100", file.name])
        time.sleep(0.5)
        device = _opened(rate_hz)
        _captured(device, 1.0, rate_hz)

        def pause() -> None:
            nonlocal held_s
            for _ in range(3):
                player.send_signal(19)
                begun = time.monotonic()
                time.sleep(0.8)
                player.send_signal(18)
                held_s += time.monotonic() - begun
                time.sleep(1.0)

        helper = threading.Thread(target=pause)
        helper.start()
        _, lost = _captured(device, 4.5, rate_hz)
        helper.join()
        _, after = _captured(device, 1.0, rate_hz)
        device.close()
        player.terminate()
        player.wait()
    # Each pause first plays what the server still holds: up to its latency of 0.1 s is not missing.
    missing_s = (lost + after) / rate_hz
    good = held_s - 3 * 0.25 < missing_s < held_s + 0.3
    print(
        f"{'ok  ' if good else 'MISS'} player stopped for {held_s:.2f} s in three pauses: {missing_s:.2f} s counted as "
        "lost"
    )
    return good


def _long(rate_hz: int, minutes: float) -> bool:
    """Samples that go on: none may be called lost."""
    feed = (
        "import numpy as np, sys\n"
        "rng = np.random.default_rng(1)\n"
        "block = (0.01 * rng.standard_normal((48000, 2))).astype('<f4').tobytes()\n"
        "while True: sys.stdout.buffer.write(block)\n"
    )
    source = subprocess.Popen([sys.executable, "-c", feed], stdout=subprocess.PIPE)
    player = subprocess.Popen(
        ["pacat", "--playback", "--format=float32le", f"--rate={rate_hz}", "--channels=2"], stdin=source.stdout
    )
    time.sleep(1.0)
    device = _opened(rate_hz)
    count = lost = 0
    while count < minutes * 60 * rate_hz:
        block = device.read()
        count += block.samples.size
        lost += block.lost if count > rate_hz else 0
    device.close()
    for process in (player, source):
        process.kill()
        process.wait()
    good = lost == 0
    print(f"{'ok  ' if good else 'MISS'} {minutes:g} minutes, {count} samples: {lost} called lost")
    return good
