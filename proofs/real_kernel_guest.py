"""Steps that `real_kernel` runs inside the virtual machine, each told in one line of JSON."""

import fcntl
import json
import os
import struct
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))

import virtual_receiver as truth
from yarddial import wiring
from yarddial.drivers.kernel.driver import KernelDriver
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.time_source import RealTime
from yarddial.dsp.frequency_modulation import estimate_centre
from yarddial.dsp.listening.demodulators import Frequency
from yarddial.engine.process import EngineProcess
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard.errors import CannotTune, DeviceBusy, DeviceDenied, DeviceNotFound, RefusedValue
from yarddial.yard.parts import Antenna, Receiver, Value
from yarddial.yard.station import Reference, Route, Station

NODE, PLAY_HZ, RATE_HZ, DEVIATION = "swradio0", 98e6, 300e3, 15_000
# VIDIOC_S_CTRL: _IOWR('V', 28, struct v4l2_control).
S_CTRL = 0xC008_561C
UNBIND = Path("/sys/bus/platform/drivers/vivid/unbind")


def tell(step: str, good: bool, figure: str) -> None:
    """One line to the serial line."""
    print("STEP " + json.dumps({"step": step, "good": bool(good), "figure": figure}), flush=True)


def attempt(step: str, run: Callable[[], tuple[bool, str]]) -> None:
    """Run a step; a fault is a miss."""
    try:
        tell(step, *run())
    except Exception as error:
        tell(step, False, f"{type(error).__name__}: {error}")


def load() -> None:
    """Put the virtual receiver in."""
    subprocess.run(["modprobe", "vivid", "node_types=0x20"], check=True)


def refused(kind: type[Exception], address: str = NODE) -> str:
    """Sentence with which opening is refused; empty where it is not, or in another way."""
    try:
        KernelDriver().open(address, RealTime()).close()
    except kind as error:
        return str(error)
    return ""


def absent() -> tuple[bool, str]:
    """Nothing is there before the module is."""
    said = refused(DeviceNotFound)
    return not KernelDriver().discover() and "plug it in" in said, said


def found() -> tuple[bool, str]:
    """The picker's list, within how long after it was put in."""
    load()
    begun_s = time.monotonic()
    while not (listed := KernelDriver().discover()) and time.monotonic() - begun_s < 5:
        time.sleep(0.05)
    return [(r.address, r.state) for r in listed] == [(NODE, "ready")], f"{listed[0].name}: {listed[0].state}"


def denied() -> tuple[bool, str]:
    """A person without the right, who gets the rule."""
    child = os.fork()
    if child == 0:
        os.setuid(65534)
        listed = KernelDriver().discover()[0]
        good = listed.state == "denied" and "uaccess" in listed.cure and bool(refused(DeviceDenied))
        os._exit(0 if good else 1)
    return os.waitpid(child, 0)[1] == 0, "denied, with the rule, in the list and when opened"


def formats_and_rates() -> tuple[bool, str]:
    """Each format's samples on the unit circle; the rates and range that the kernel's file has, and no others."""
    told = []
    for name, steps in (("CU8", 127.5), ("CS8", 128.0)):
        device = KernelDriver().open(f"{NODE}?format={name}", RealTime())
        able = device.capabilities
        device.apply(RequestedSettings(PLAY_HZ, RATE_HZ))
        size = np.abs(device.read().samples[:4096])
        device.close()
        # Rounding of both parts to a step moves the radius by at most 1.5 steps.
        told.append(bool(np.all(np.abs(size - 1.0) < 1.5 / steps * 1.5)))
    inside = all(any(low <= rate <= high for low, high in truth.RATES_HZ) for rate in able.rates_hz)
    good = all(told) and inside and able.ranges_hz == (truth.TUNER_HZ,) and RATE_HZ in able.rates_hz
    return good, f"2 formats on the unit circle; {len(able.rates_hz)} rates offered, {able.ranges_hz[0]}"


def refusals() -> tuple[bool, str]:
    """Neither a rate between the bands nor a place below the tuner is taken."""
    device = KernelDriver().open(NODE, RealTime())
    said = []
    for ask, kind in (
        (RequestedSettings(PLAY_HZ, 500e3), RefusedValue), (RequestedSettings(40e6, RATE_HZ), CannotTune),
        (RequestedSettings(2.1e9, RATE_HZ), CannotTune),
    ):  # fmt: skip
        try:
            device.apply(ask)
        except kind as error:
            said.append(str(error))
    got = device.apply(RequestedSettings(PLAY_HZ, RATE_HZ))
    device.close()
    return len(said) == 3 and got.centre_hz == PLAY_HZ and got.rate_hz == RATE_HZ, f"3 of 3 refused: {said[0]}"


def all_rates() -> tuple[bool, str]:
    """What every rate delivers on this machine: lost samples are counted, not guessed."""
    told, good = [], True
    # Above the lowest rate the kernel's own thread comes late here, and then gives several buffers one number.
    for rate_hz in (300e3, 1.024e6, 2.4e6, 3.2e6):
        device = KernelDriver().open(NODE, RealTime())
        got = device.apply(RequestedSettings(PLAY_HZ, rate_hz))
        # The kernel's thread starts late on this machine, and its numbers then catch up: begin to count after that.
        warm_s = time.monotonic()
        while time.monotonic() - warm_s < 1.5:
            first = device.read()
        begun_s, taken = time.monotonic(), 0
        while time.monotonic() - begun_s < 4:
            block = device.read()
            taken += block.samples.size
        seconds_s = time.monotonic() - begun_s
        counted = block.first_index + block.samples.size - first.first_index - first.samples.size
        device.close()
        # What was counted must be the rate by the clock; two buffers of doubt at the ends.
        is_counted = abs(counted / seconds_s / rate_hz - 1) < 0.05 or rate_hz > RATE_HZ
        good &= got.rate_hz == rate_hz and is_counted
        figure = f"{counted / seconds_s / 1e6:.3f} counted, {100 * taken / counted:.0f} % taken"
        told.append(f"{rate_hz / 1e6:g} MS/s: {figure}")
    return good, "; ".join(told) + " (what is lost, this emulated machine is too slow for)"


def busy() -> tuple[bool, str]:
    """While another program streams; and free again when it has ended."""
    code = (
        "import sys,time\nfrom yarddial.drivers.kernel.driver import KernelDriver\n"
        "from yarddial.drivers.protocol import RequestedSettings\nfrom yarddial.drivers.time_source import RealTime\n"
        f"d=KernelDriver().open('{NODE}',RealTime()); d.apply(RequestedSettings({PLAY_HZ},{RATE_HZ})); d.read()\n"
        "print('on',flush=True); sys.stdin.read()"
    )
    other = subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    assert other.stdin
    assert other.stdout
    other.stdout.readline()
    said = refused(DeviceBusy)
    other.stdin.close()
    other.wait()
    KernelDriver().open(NODE, RealTime()).close()
    return "another program" in said, f"{said}; opened again when it had ended"


def first_light() -> tuple[bool, str]:
    """All its checks over the yard, as `yard-dial check` runs them."""
    run = wiring.first_light(yard(), f"kernel:{NODE}", "Whip over Plover", 2.0)
    results = list(run.results())
    told = {r.name: r for r in results}
    print("LIGHT " + json.dumps([[r.verdict, r.name, r.detail] for r in results]), flush=True)
    stops = [f"{r.name}: {r.detail}" for r in results if r.verdict == "stop"]
    # What this emulated machine loses at its rates is told, and is no fault of the driver.
    others = [stop for stop in stops if not stop.startswith("rate ")]
    rates = sum(r.name.startswith("rate ") for r in results)
    return len(told) >= 8 and not others, (
        f"{len(results)} checks, {len(others)} stops {others}; at {len(stops) - len(others)} of {rates} rates samples "
        "were missing, which this machine causes"
    )


def yard() -> Station:
    """One whip on the virtual receiver, and its station as a reference: it sends in the middle of any span."""
    receiver = Receiver(
        "Plover", 50e6, 2e9, 28.8e6, Value(0.0, 1.0, "stated"), 0.0, (300e3, 1.024e6, 2.4e6), RATE_HZ, 8,
        device=f"kernel:{NODE}", park_share=0.0,
    )  # fmt: skip
    return Station(
        "Inside", (Antenna("Whip", 50e6, 2e9), receiver), (Route("Whip over Plover", ("Whip", "Plover")),),
        (Reference("Beeper", PLAY_HZ, 0.5, "steady carrier", "nfm", "the kernel's own arithmetic"),),
        dial_hz=PLAY_HZ, mode="nfm", route="Whip over Plover",
    )  # fmt: skip


def until(session: Session, done: Callable[[], bool], seconds_s: float = 60.0) -> bool:
    """Poll until it is done, or too late."""
    end_s = time.monotonic() + seconds_s
    while time.monotonic() < end_s:
        session.poll()
        if done():
            return True
        time.sleep(0.01)
    return False


def live_state(session: Session) -> str:
    """What the receiver says of itself."""
    live = session.live_receiver
    return f"running {live.running}, tuned {live.is_tuned}, {live.trouble or live.tuner.refusal or 'no trouble'}"


def heard_beep_hz(samples: np.ndarray, offset_hz: float) -> float:
    """Tone in the sound of the listening chain's own demodulator, by the peak of a plain transform."""
    turns = np.exp(-2j * np.pi * offset_hz / RATE_HZ * np.arange(samples.size))
    channel = (samples * turns)[: samples.size // 10 * 10].reshape(-1, 10).mean(axis=1).astype(np.complex64)
    sound = Frequency(RATE_HZ / 10, 5_000.0).push(channel)
    power = np.abs(np.fft.rfft(sound[1000:] * np.hanning(sound.size - 1000), 1 << 20))
    power[: int(100 / (RATE_HZ / 10) * (1 << 20))] = 0
    return float(np.argmax(power) * RATE_HZ / 10 / (1 << 20))


class Evening:
    """A session whose receiver is the virtual one."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        engine = EngineProcess(wiring.open_device)
        self.session = Session(yard(), engine, lambda: Logbook(self.folder / "log.sqlite"))

    def starts(self) -> tuple[bool, str]:
        """On, with a picture."""
        session, live = self.session, self.session.live_receiver
        begun_s = time.monotonic()
        session.toggle_receiver()
        good = until(session, lambda: live.running and live.picture.span is not None, 240)
        handle = os.open(f"/dev/{NODE}", os.O_RDWR)
        fcntl.ioctl(handle, S_CTRL, struct.pack("=Ii", truth.DEVIATION_CONTROL, DEVIATION))
        os.close(handle)
        return good, f"picture after {time.monotonic() - begun_s:.1f} s {live.trouble}"

    def measures(self) -> tuple[bool, str]:
        """The virtual station fills the converter, so the live measurement must refuse it, and say why."""
        calibration = self.session.calibration
        calibration.chosen_s = 4.0
        calibration.measure()
        ended = until(self.session, lambda: calibration.measuring is None, 120)
        said = calibration.outcome.text if calibration.outcome is not None else ""
        refused = ended and "full scale" in said and not calibration.observations
        return refused, f"its amplitude is full scale; said: {said}"

    def hears(self) -> tuple[bool, str]:
        """Listen delivers sound at a level; what this slow machine loses of it makes its tone worthless."""
        listening = self.session.listening
        listening.open()
        listening.choose_demodulation("nfm")
        listening.hear(True)
        good = until(self.session, lambda: listening.tone() is not None, 60)
        level, heard_s = listening.level_dbfs, listening.heard_s
        listening.close()
        return good and level is not None and -6 < level < 3, f"{heard_s:.1f} s heard, the channel at {level} dBFS"

    def records(self) -> tuple[bool, str]:
        """Four seconds to a file, and read back: its middle by a plain mean of the phase's steps."""
        from yarddial.records.recordings import open_recording

        recorder, path = self.session.recorder, self.folder / "beeper.sigmf-meta"
        recorder.record_samples(path, self.session.listening.settings)
        until(self.session, lambda: recorder.recording is not None and recorder.recording.seconds_s > 4, 60)
        recorder.stop_recording_samples()
        until(self.session, lambda: recorder.recording is None, 10)
        recording = open_recording(path)
        samples = recording.read(0, int(RATE_HZ * 3))
        good = recording.centre_hz == self.session.live_receiver.tuning.actual.centre_hz  # type: ignore[union-attr]
        offset_hz = PLAY_HZ - recording.centre_hz
        # Half the amplitude keeps clear of full scale.
        found = estimate_centre(0.5 * samples, RATE_HZ, offset_hz, 5_000.0, "narrow")
        true_hz = offset_hz + truth.middle_hz(RATE_HZ, DEVIATION)
        z = (found.frequency_hz - true_hz) / found.sigma_hz
        beep_hz, true_beep_hz = heard_beep_hz(samples, offset_hz), truth.beep_hz(RATE_HZ)
        good = good and abs(beep_hz - true_beep_hz) < 1.0
        return good and abs(z) < 3, (
            f"{path.name}: {recording.centre_hz / 1e6} MHz, {samples.size} samples; narrow FM at "
            f"{found.frequency_hz:+.2f} ± {found.sigma_hz:.2f} Hz, true {true_hz:+.2f} (z {z:+.1f}); "
            f"its sound {beep_hz:.2f} Hz, true {true_beep_hz:.2f}"
        )

    def unplugged(self) -> tuple[bool, str]:
        """Pulled while it streams and measures: said, ended, and found again after it is put in."""
        session, live = self.session, self.session.live_receiver
        session.calibration.chosen_s = 30.0
        session.calibration.measure()
        until(session, lambda: session.calibration.measuring is not None, 5)
        until(session, lambda: False, 2)
        begun_s = time.monotonic()
        UNBIND.write_text("vivid.0")
        said = until(session, lambda: not live.running and bool(live.trouble), 120)
        took_s = time.monotonic() - begun_s
        ended = until(session, lambda: session.calibration.measuring is None, 10)
        subprocess.run(["rmmod", "vivid"], check=True)
        gone = not KernelDriver().discover()
        first = live.trouble
        load()
        session.toggle_receiver()
        again = until(session, lambda: live.running and live.picture.span is not None, 240)
        figure = f"said after {took_s:.1f} s: {first}; measurement ended {ended}; again {again}"
        return said and ended and gone and again, figure


def main() -> None:
    """All steps in order."""
    tell("kernel", True, os.uname().release)
    steps = (absent, found, denied, formats_and_rates, refusals, all_rates, busy, first_light)
    for step in steps if "short" not in sys.argv else (found,):
        attempt(step.__name__, step)
    evening = Evening()
    for name in ("starts", "measures", "hears", "records", "unplugged"):
        attempt(name, getattr(evening, name))
    evening.session.close()
    tell("end", True, "")


if __name__ == "__main__":
    main()
