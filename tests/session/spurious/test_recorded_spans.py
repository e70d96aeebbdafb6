"""Recordings made at two centres: what keeps its place is true, what moves is a ghost."""

from pathlib import Path

import msgspec
import numpy as np
import pytest

from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.simulated.front_end import FrontEnd
from yarddial.drivers.simulated.receiver import FINCH, SimulatedReceiver
from yarddial.drivers.simulated.transmitters import Transmitter
from yarddial.drivers.simulated.world import World, WorldPort
from yarddial.drivers.time_source import VirtualTime
from yarddial.records.recordings import write_sigmf
from yarddial.records.sample_file import SampleFile
from yarddial.session.session import Session
from yarddial.session.spurious.judged_span import PEAK_OVER_FLOOR_DB
from yarddial.session.spurious.recorded_spans import Recorded, judge_recordings
from yarddial.yard.errors import BadRecording

RATE_HZ, FULL_DBM, STRONG_HZ, WEAK_HZ = 1.024e6, -30.0, 100.15e6, 99.9e6
# Two strong ones make 2 f1 - f2 at 100.05 MHz: with an intercept 10 dB over full scale, 3 (-50 + 4) - 2 (-20) dBm.
PAIR = (Transmitter("A", STRONG_HZ, -44.0, "carrier", "x"), Transmitter("B", 100.25e6, -44.0, "carrier", "x"))
PRODUCT_HZ = 100.05e6


def record(path: Path, centre_hz: float, less_db: float = 0.0, rate_hz: float = RATE_HZ) -> Path:
    front = FrontEnd(12, 0.02, 1.03, 1.0, iip3_over_full_db=10.0)
    stations = (*PAIR, Transmitter("weak", WEAK_HZ, -90.0, "carrier", "x"))
    weaker = tuple(msgspec.structs.replace(one, level_dbm=one.level_dbm - less_db) for one in stations)
    world = World(weaker, (WorldPort("x", "x", (), -160.0, FULL_DBM),), 0.0, 3, front, reference_gain_db=25.5)
    device = SimulatedReceiver(world, VirtualTime(), FINCH)
    device.apply(RequestedSettings(centre_hz, rate_hz, "x"))
    file = SampleFile(path, rate_hz, centre_hz, {}, bits=12)
    for _ in range(20):
        file.write(device.read().samples)
    file.close()
    return file.meta_path


def verdict_at(found: Recorded, hertz: float) -> tuple[str, str]:
    told = next(told for peak, told in found.judged if abs(peak.dial_hz - hertz) < 300.0)
    return told.verdict, told.best.kind


@pytest.fixture
def recordings(tmp_path: Path) -> tuple[Path, Path, Path]:
    return (
        record(tmp_path / "one", 100e6), record(tmp_path / "two", 100.06e6), record(tmp_path / "three", 100e6, 10.0)
    )  # fmt: skip


def test_mirror_and_spike_move_and_are_told_by_two_centres(recordings: tuple[Path, Path, Path]) -> None:
    found = judge_recordings(recordings[:2])
    assert verdict_at(found, 2 * 100e6 - STRONG_HZ) == ("ghost", "mirror")
    assert verdict_at(found, 100e6) == ("ghost", "spike")
    # What stays may still be a product: two centres do not tell, and say so.
    for hertz in (WEAK_HZ, PRODUCT_HZ):
        assert verdict_at(found, hertz)[0] == "unsure"
    stays = next(told for peak, told in found.judged if abs(peak.dial_hz - WEAK_HZ) < 300)
    assert stays.missing in ("attenuation", "rate")


def test_attenuation_tells_a_product_and_another_rate_leaves_nothing_but_a_station(
    recordings: tuple[Path, Path, Path], tmp_path: Path
) -> None:
    found = judge_recordings(recordings, less_db=10.0)
    assert verdict_at(found, PRODUCT_HZ)[1] == "third order"
    # Far over the floor and near the middle: no unknown cause is left that would be as likely.
    assert verdict_at(found, WEAK_HZ) == ("true", "true")
    rated = record(tmp_path / "rated", 100e6, rate_hz=1.536e6)
    found = judge_recordings([*recordings[:2], rated, recordings[2]], less_db=10.0)
    assert [record.change for record in found.records] == ["centre", "rate", "attenuation"]
    assert verdict_at(found, WEAK_HZ) == ("true", "true")
    assert verdict_at(found, PRODUCT_HZ) == ("ghost", "third order")
    assert verdict_at(found, STRONG_HZ)[0] == "true"
    assert verdict_at(found, PRODUCT_HZ) == ("ghost", "third order")


def test_a_turned_over_path_is_turned_back(recordings: tuple[Path, Path, Path]) -> None:
    plain, turned = judge_recordings(recordings[:2]), judge_recordings(recordings[:2], sense=-1)
    assert plain.before.strongest(STRONG_HZ, 500.0) == pytest.approx(
        turned.before.strongest(2 * 100e6 - STRONG_HZ, 500.0)
    )


def test_what_cannot_tell_is_said(recordings: tuple[Path, Path, Path], tmp_path: Path) -> None:
    with pytest.raises(BadRecording, match="second one"):
        judge_recordings(recordings[:1])
    with pytest.raises(BadRecording, match="nothing was changed"):
        judge_recordings([recordings[0], recordings[0]])
    with pytest.raises(BadRecording, match="more than one thing"):
        judge_recordings(recordings[:2], less_db=6.0)
    with pytest.raises(BadRecording, match="beside the first"):
        judge_recordings([recordings[0], record(tmp_path / "far", 105e6)])
    short = write_sigmf(tmp_path / "short", [np.zeros(9_000, np.complex64)], RATE_HZ, 100e6, {}).path
    with pytest.raises(BadRecording, match="too short"):
        judge_recordings([recordings[0], short])


def test_the_place_shows_what_recordings_told_and_the_log_keeps_it(
    session: Session, recordings: tuple[Path, Path, Path]
) -> None:
    found = judge_recordings(recordings[:2])
    session.poll()
    session.desk.dial(WEAK_HZ)
    session.span_test.take_recorded(found, "one and two")
    assert len(session.span_test.judged) == len(found.before.peaks(40, PEAK_OVER_FLOOR_DB))
    assert "Recordings one and two tested" in session.log.shown()[0].text
    assert session.span_test.why_not_without() != ""
    assert session.mitigation.needed() is None
