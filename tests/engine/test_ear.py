"""What the engine does for a listener: channels heard, samples cleaned, gains swept; and what it declines."""

from pathlib import Path
from typing import TypeVar

import numpy as np
import pytest
import soundfile

from yarddial import wiring
from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.clean_up import Cleaner
from yarddial.engine.engine import Engine
from yarddial.engine.intake import Direct
from yarddial.engine.messages import (
    Cancel,
    Clean,
    CleanedUp,
    CleanUp,
    Event,
    Hear,
    Sound,
    Start,
    Stop,
    Sweep,
    SweepDone,
    SweepPoint,
    Tune,
    Tuned,
    TuneRefused,
)
from yarddial.engine.taps.ear import Ear
from yarddial.yard.demodulation import DEMODULATIONS

T = TypeVar("T")
SHOWN_HZ = 130e6 - 3_066.6
ASK = RequestedSettings(129.7e6, 2.048e6, "ladder", gains_db=(("gain", 25.5),))


@pytest.fixture
def events() -> list[Event]:
    return []


@pytest.fixture
def engine(events: list[Event]) -> Engine:
    """An engine on Finch, looking near Northmark Time."""
    made = Engine(wiring.open_device_flat_out, events.append)
    made.handle(Start("simulated:finch"))
    made.handle(Tune(ASK, SHOWN_HZ, 10_000.0, job=1, id=1))
    return made


def of(events: list[Event], kind: type[T]) -> list[T]:
    return [event for event in events if isinstance(event, kind)]


def of_stage(name: str, *gains_db: float) -> tuple[tuple[tuple[str, float], ...], ...]:
    return tuple(((name, gain_db),) for gain_db in gains_db)


def ear_of(engine: Engine) -> Ear:
    (ear,) = [tap for tap in engine._taps if isinstance(tap, Ear)]
    return ear


def steps(engine: Engine, count: int) -> None:
    for _ in range(count):
        engine.step()


def test_a_channel_is_heard_until_silence_is_asked_for(engine: Engine, events: list[Event]) -> None:
    engine.handle(Hear(SHOWN_HZ, DEMODULATIONS["am"].settings(), job=7, id=7))
    steps(engine, 40)
    sounds = of(events, Sound)
    assert {sound.id for sound in sounds} == {7}
    heard_s = sum(sound.samples.size / sound.rate_hz for sound in sounds)
    # 40 blocks of 57,344 samples at 2.048 MS/s, less what filters and gain control hold back.
    assert heard_s == pytest.approx(40 * 57_344 / 2.048e6, abs=0.1)
    engine.handle(Cancel(7))
    events.clear()
    steps(engine, 10)
    assert not of(events, Sound)
    engine.handle(Hear(SHOWN_HZ + 5e6, DEMODULATIONS["am"].settings(), job=9, id=9))
    steps(engine, 10)
    assert not of(events, Sound)


def test_another_picture_of_the_same_span_leaves_what_is_heard_alone(engine: Engine, events: list[Event]) -> None:
    engine.handle(Hear(SHOWN_HZ, DEMODULATIONS["am"].settings(), job=7, id=7))
    steps(engine, 20)
    hearing = ear_of(engine)._hearing
    engine.handle(Tune(ASK, SHOWN_HZ + 3_000.0, 20_000.0, job=2, id=2))
    assert ear_of(engine)._hearing is hearing
    engine.handle(Tune(RequestedSettings(129.5e6, 2.048e6, "ladder"), SHOWN_HZ, 20_000.0, job=3, id=3))
    # Of another place of the same rate it is faded into what is heard there.
    steps(engine, 1)
    assert ear_of(engine)._hearing is hearing
    assert hearing is not None
    assert hearing._next is not None


def test_swapped_halves_mirror_the_spectrum_and_nothing_wanted_changes_nothing() -> None:
    told: list[Event] = []
    tone = np.exp(2j * np.pi * 0.1 * np.arange(4_096)).astype(np.complex64)
    assert Cleaner(1e6, Clean(CleanUp()), told.append).push(tone) is tone
    swapped = Cleaner(1e6, Clean(CleanUp(swap=True)), told.append).push(tone)
    assert np.argmax(np.abs(np.fft.fft(swapped))) == 4_096 - np.argmax(np.abs(np.fft.fft(tone)))


def test_where_nothing_tells_the_mirrors_that_is_said(events: list[Event]) -> None:
    chance = np.random.default_rng(1)
    cleaner = Cleaner(1e6, Clean(CleanUp(mirrors=True)), events.append)
    for _ in range(40):
        parts = chance.standard_normal((2, 65_536)) * 0.1
        noise = (parts[0] + 1j * parts[1]).astype(np.complex64)
        assert cleaner.push(noise) is noise
    told = of(events, CleanedUp)[-1]
    assert told.mirrors_after_db is None
    assert "nothing tells the mirrors" in told.why_not


def test_a_sweep_visits_every_step_and_sets_the_gain_back(engine: Engine, events: list[Event]) -> None:
    engine.handle(Sweep(of_stage("gain", 8.0, 25.5, 33.4), 9_000.0, job=3, id=3))
    while not of(events, SweepDone):
        engine.step()
    points = of(events, SweepPoint)
    assert [point.gains_db for point in points] == list(of_stage("gain", 8.0, 25.5, 33.4))
    assert [round(point.fraction, 3) for point in points] == [0.333, 0.667, 1.0]
    # Between the upper two the signal follows its gain, but for the second's tick that falls into one of them.
    assert points[2].channel_dbfs - points[1].channel_dbfs == pytest.approx(7.9, abs=1.5)
    assert of(events, SweepDone) == [SweepDone(job=3, id=3)]
    assert isinstance(engine._device, Direct)
    assert engine._device._device._device._got.gains_db == (("gain", 25.5),)  # type: ignore[attr-defined]


def test_a_sideband_is_swept_beside_the_place_looked_at(engine: Engine, events: list[Event]) -> None:
    """The carrier lies 1,500 Hz above the dial: in an upper sideband's channel, and not in a lower one's."""
    engine.handle(Tune(ASK, SHOWN_HZ - 1_500.0, 10_000.0, job=2, id=2))
    over = []
    for number, middle_hz in enumerate((1_500.0, -1_500.0)):
        engine.handle(Sweep(of_stage("gain", 33.4), 2_600.0, middle_hz, job=number, id=number))
        while len(of(events, SweepDone)) <= number:
            engine.step()
        point = of(events, SweepPoint)[-1]
        over.append(point.channel_dbfs - point.floor_dbfs_hz - 10 * np.log10(point.width_hz))
    assert over[0] > 20
    assert over[1] < 6


def test_a_sweep_is_cancelled_refused_or_ends_with_the_receiver(engine: Engine, events: list[Event]) -> None:
    engine.handle(Sweep(of_stage("volume", 1.0, 2.0), 9_000.0, job=1, id=1))
    assert "has no gain 'volume'" in of(events, SweepDone)[0].reason
    engine.handle(Sweep(of_stage("gain", 8.0, 25.5), 9_000.0, job=2, id=2))
    engine.handle(Cancel(2))
    engine.handle(Sweep(of_stage("gain", 8.0, 25.5), 9_000.0, job=3, id=3))
    engine.handle(Stop())
    assert [done.reason for done in of(events, SweepDone)[1:]] == ["cancelled", "the receiver stopped"]


def test_a_recording_is_not_asked_for_gains_that_it_does_not_have(events: list[Event], tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.zeros((96_000, 2)), 48_000, subtype="PCM_16")
    engine = Engine(wiring.open_device_flat_out, events.append)
    engine.handle(Start(f"recording:{tmp_path / 'a.wav'}?centre=10M"))
    engine.handle(Tune(RequestedSettings(10e6, 48e3, "", gains_db=(("gain", 25.5),)), 10e6, 5_000.0, job=1, id=1))
    assert of(events, Tuned)
    assert not of(events, TuneRefused)
