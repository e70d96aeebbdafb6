"""Which oscillator a box has, by its leak on the running receiver: both truths, antenna on and off, 40 receivers each.

The antenna off is an attenuator of 100 dB behind it: the box and its leak stay. What is known of the crystal before
changes from receiver to receiver. Never may one be called decided that it is not; nor an antenna off that is on.
"""

import tempfile
from collections.abc import Callable
from pathlib import Path

import msgspec

from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard.demo import DIRECT, VIA_LADDER, demo_station

SEEDS, STATED, TRUTHS = 40, (100e6, 120e6, 125e6), (120e6, 125e6)
MOST_POLLS = 40_000


def prove() -> bool:
    """All receivers, truths and antennas."""
    good = True
    for is_off in (False, True):
        for truth_hz in TRUTHS:
            decided = wrong = failed = caught = 0
            for seed in range(SEEDS):
                found_hz, reason = _looked(seed, truth_hz, is_off=is_off, said_off=is_off)
                decided += found_hz is not None
                wrong += found_hz is not None and found_hz != truth_hz
                failed += bool(reason)
                # Of the receivers with an antenna, what is said where it is claimed to be off.
                caught += not is_off and bool(_looked(seed, truth_hz, is_off=False, said_off=True)[1])
            here = wrong == 0 and (is_off or caught == SEEDS)
            good = good and here
            lied = "" if is_off else f"; said to be off, {caught} of {SEEDS} found that it is on"
            print(
                f"{'ok  ' if here else 'MISS'} {truth_hz / 1e6:g} MHz, antenna {'off' if is_off else 'on '}: "
                f"{decided} of {SEEDS} decided, {wrong} wrong and sure, {failed} refused{lied}",
                flush=True,
            )
    return good


def _looked(seed: int, truth_hz: float, *, is_off: bool, said_off: bool) -> tuple[float | None, str]:
    """What was decided, or None; and why it was refused."""
    off = "&plug=ladder:attenuator:100" if is_off else ""
    device = f"simulated:finch?seed={seed}&lo={truth_hz:.0f}{off}"
    station = demo_station()
    finch = msgspec.structs.replace(station.resolve().receiver, device=device)
    station = station.with_part(finch)
    with tempfile.TemporaryDirectory() as folder:
        session = Session(station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(Path(folder) / "log"))
        if seed % 2:
            # The crystal is measured directly before.
            session.desk.choose_route(DIRECT)
            session.desk.dial(145.2e6)
            session.calibration.measure()
            _poll_while(session, lambda: session.calibration.measuring is not None)
            session.calibration.apply()
        session.desk.choose_route(VIA_LADDER)
        session.desk.dial(10e6)
        if is_off:
            # Without an antenna an eight-bit receiver stands still at its usual gain.
            session.levels.set_gain("gain", 44.6)
        scan = session.lo_leak_scan
        scan.start(STATED, antenna_off=said_off)
        _poll_while(session, lambda: scan.running)
        answer, trouble = scan.answer, scan.trouble
        session.close()
    decided = answer is not None and answer.decided
    return (answer.candidates[0].stated_hz if answer is not None and decided else None), trouble


def _poll_while(session: Session, going: Callable[[], bool]) -> None:
    for _ in range(MOST_POLLS):
        if not going():
            return
        session.poll()
    raise RuntimeError("it did not end")
