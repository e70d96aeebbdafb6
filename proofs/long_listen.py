"""Eight hours of a looped recording, heard and drawn in fast time with the window open: does anything grow?"""

import os
import tempfile
import time
from pathlib import Path

import numpy as np

RATE_HZ, HOURS = 48_000, 8


def prove() -> bool:
    """Print the memory every hour, and what was heard."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    import msgspec
    from PyQt6.QtWidgets import QApplication

    from yarddial import wiring
    from yarddial.engine.events import Sound
    from yarddial.engine.link import EngineInline
    from yarddial.records.logbook import Logbook
    from yarddial.session.session import Session
    from yarddial.ui.main_window import MainWindow
    from yarddial.ui.start import dressed_application
    from yarddial.yard.demo import demo_station
    from yarddial.yard.demodulation import DEMODULATIONS

    app = dressed_application("day", 1.0)
    folder = Path(tempfile.mkdtemp())
    _write_minute(folder / "minute.wav")
    station = demo_station()
    finch = station.part("Finch")
    address = f"recording:{folder / 'minute.wav'}?centre=145M&loop=yes"
    station = station.with_part(msgspec.structs.replace(finch, device=address, rates_hz=(48e3,), rate_hz=48e3))
    session = Session(station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(folder / "log.sqlite"))
    window = MainWindow(session)
    window.poll_timer.stop()
    window.show()
    session.desk.dial(145_005_000.0)
    session.desk.choose_mode("am")
    window.go("Listen")
    app.processEvents()
    session.toggle_receiver()
    heard_s, hour, sizes = 0.0, 0, []
    take = session.listening.take

    def counted(event: object) -> None:
        nonlocal heard_s
        if isinstance(event, Sound):
            heard_s += event.samples.size / event.rate_hz
        take(event)  # type: ignore[arg-type]

    session.listening.take = counted  # type: ignore[method-assign]
    ways = [way for way in DEMODULATIONS if way != "wfm"]
    begun_s, polls = time.monotonic(), 0
    while heard_s < 3600 * HOURS and session.live_receiver.wanted and not session.live_receiver.trouble:
        session.poll()
        polls += 1
        if polls % 50 == 0:
            QApplication.processEvents()
        if heard_s >= 900 * (len(sizes)):
            sizes.append(_megabytes())
        if heard_s >= 3600 * (hour + 1):
            hour += 1
            session.listening.choose_demodulation(ways[hour % len(ways)])
            session.listening.zoom((-1) ** hour)
            print(f"{hour} h: {_megabytes():.0f} MB", flush=True)
    speed = heard_s / (time.monotonic() - begun_s)
    # Twelve points of an hour and a half are what begins; the picture's memory is full by then.
    growth = sizes[-1] / sizes[min(6, len(sizes) - 1)] - 1
    print(f"{heard_s / 3600:.2f} h heard, {speed:.0f} x real time; memory grew by {100 * growth:.1f} % after 1.5 h")
    print(f"trouble: {session.live_receiver.trouble or 'none'}")
    window.close()
    session.close()
    return heard_s >= 3600 * HOURS and growth <= 0.05


def _write_minute(path: Path) -> None:
    """An AM station 5 kHz beside the centre, in noise, as stereo WAV."""
    import soundfile

    chance = np.random.default_rng(1)
    time_s = np.arange(60 * RATE_HZ) / RATE_HZ
    iq = 0.1 * (1 + 0.5 * np.sin(2 * np.pi * 700 * time_s)) * np.exp(2j * np.pi * 5_000 * time_s)
    iq += 0.003 * (chance.standard_normal(iq.size) + 1j * chance.standard_normal(iq.size))
    soundfile.write(path, np.stack([iq.real, iq.imag], axis=1), RATE_HZ, subtype="PCM_16")


def _megabytes() -> float:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6
