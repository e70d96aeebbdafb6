"""What the engine does for a listener: channels heard, samples cleaned, gains swept; and what it declines."""

from pathlib import Path
from typing import TypeVar

import numpy as np
import pytest
import soundfile

from yarddial import wiring
from yarddial.drivers.protocol import Ask
from yarddial.session.engine.ear import Cleaner
from yarddial.session.engine.engine import Engine
from yarddial.session.engine.messages import (
    CancelSweep,
    CleanedUp,
    CleanUp,
    Event,
    Hear,
    Look,
    Looking,
    Refused,
    Sound,
    Start,
    Stop,
    Sweep,
    SweepDone,
    SweepPoint,
)
from yarddial.yard.ways import WAYS

T = TypeVar("T")
SHOWN_HZ = 130e6 - 3_066.6
ASK = Ask(129.7e6, 2.048e6, "ladder", gains_db=(("gain", 25.5),))


@pytest.fixture
def events() -> list[Event]:
    return []


@pytest.fixture
def engine(events: list[Event]) -> Engine:
    """An engine on Finch, looking near Northmark Time."""
    made = Engine(wiring.open_device_flat_out, events.append)
    made.handle(Start("simulated:finch"))
    made.handle(Look(1, ASK, SHOWN_HZ, 10_000.0))
    return made


def of(events: list[Event], kind: type[T]) -> list[T]:
    return [event for event in events if isinstance(event, kind)]


def of_stage(name: str, *gains_db: float) -> tuple[tuple[tuple[str, float], ...], ...]:
    return tuple(((name, gain_db),) for gain_db in gains_db)


def steps(engine: Engine, count: int) -> None:
    for _ in range(count):
        engine.step()


def test_a_channel_is_heard_until_silence_is_asked_for(engine: Engine, events: list[Event]) -> None:
    engine.handle(Hear(7, SHOWN_HZ, WAYS["am"].settings()))
    steps(engine, 40)
    sounds = of(events, Sound)
    assert {sound.id for sound in sounds} == {7}
    heard_s = sum(sound.samples.size / sound.rate_hz for sound in sounds)
    # 40 blocks of 57,344 samples at 2.048 MS/s, less what filters and gain control hold back.
    assert heard_s == pytest.approx(40 * 57_344 / 2.048e6, abs=0.1)
    engine.handle(Hear(8, SHOWN_HZ, None))
    events.clear()
    steps(engine, 10)
    assert not of(events, Sound)
    engine.handle(Hear(9, SHOWN_HZ + 5e6, WAYS["am"].settings()))
    steps(engine, 10)
    assert not of(events, Sound)


def test_another_picture_of_the_same_span_leaves_what_is_heard_alone(engine: Engine, events: list[Event]) -> None:
    engine.handle(Hear(7, SHOWN_HZ, WAYS["am"].settings()))
    steps(engine, 20)
    ear = engine._ear
    engine.handle(Look(2, ASK, SHOWN_HZ + 3_000.0, 20_000.0))
    assert engine._ear is ear
    engine.handle(Look(3, Ask(129.5e6, 2.048e6, "ladder"), SHOWN_HZ, 20_000.0))
    assert engine._ear is not ear


def test_swapped_halves_mirror_the_spectrum_and_nothing_wanted_changes_nothing() -> None:
    told: list[Event] = []
    tone = np.exp(2j * np.pi * 0.1 * np.arange(4_096)).astype(np.complex64)
    assert Cleaner(1e6, CleanUp(), told.append).push(tone) is tone
    swapped = Cleaner(1e6, CleanUp(swap=True), told.append).push(tone)
    assert np.argmax(np.abs(np.fft.fft(swapped))) == 4_096 - np.argmax(np.abs(np.fft.fft(tone)))


def test_where_nothing_tells_the_mirrors_that_is_said(events: list[Event]) -> None:
    chance = np.random.default_rng(1)
    cleaner = Cleaner(1e6, CleanUp(mirrors=True), events.append)
    for _ in range(40):
        parts = chance.standard_normal((2, 65_536)) * 0.1
        noise = (parts[0] + 1j * parts[1]).astype(np.complex64)
        assert cleaner.push(noise) is noise
    told = of(events, CleanedUp)[-1]
    assert told.mirrors_after_db is None
    assert "nothing tells the mirrors" in told.why_not


def test_a_sweep_visits_every_step_and_sets_the_gain_back(engine: Engine, events: list[Event]) -> None:
    engine.handle(Sweep(3, of_stage("gain", 8.0, 25.5, 33.4), 9_000.0))
    while not of(events, SweepDone):
        engine.step()
    points = of(events, SweepPoint)
    assert [point.gains_db for point in points] == list(of_stage("gain", 8.0, 25.5, 33.4))
    assert [round(point.fraction, 3) for point in points] == [0.333, 0.667, 1.0]
    # Between the upper two the signal follows its gain, but for the second's tick that falls into one of them.
    assert points[2].channel_dbfs - points[1].channel_dbfs == pytest.approx(7.9, abs=1.5)
    assert of(events, SweepDone) == [SweepDone(3)]
    assert engine._got is not None
    assert engine._got.gains_db == (("gain", 25.5),)


def test_a_sideband_is_swept_beside_the_place_looked_at(engine: Engine, events: list[Event]) -> None:
    """The carrier lies 1,500 Hz above the dial: in an upper sideband's channel, and not in a lower one's."""
    engine.handle(Look(2, ASK, SHOWN_HZ - 1_500.0, 10_000.0))
    over = []
    for number, middle_hz in enumerate((1_500.0, -1_500.0)):
        engine.handle(Sweep(number, of_stage("gain", 33.4), 2_600.0, middle_hz))
        while len(of(events, SweepDone)) <= number:
            engine.step()
        point = of(events, SweepPoint)[-1]
        over.append(point.channel_dbfs - point.floor_dbfs_hz - 10 * np.log10(point.width_hz))
    assert over[0] > 20
    assert over[1] < 6


def test_a_sweep_is_cancelled_refused_or_ends_with_the_receiver(engine: Engine, events: list[Event]) -> None:
    engine.handle(Sweep(1, of_stage("volume", 1.0, 2.0), 9_000.0))
    assert "has no gain 'volume'" in of(events, SweepDone)[0].reason
    engine.handle(Sweep(2, of_stage("gain", 8.0, 25.5), 9_000.0))
    engine.handle(CancelSweep())
    engine.handle(Sweep(3, of_stage("gain", 8.0, 25.5), 9_000.0))
    engine.handle(Stop())
    assert [done.reason for done in of(events, SweepDone)[1:]] == ["cancelled", "the receiver stopped"]


def test_a_recording_is_not_asked_for_gains_that_it_does_not_have(events: list[Event], tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.zeros((96_000, 2)), 48_000, subtype="PCM_16")
    engine = Engine(wiring.open_device_flat_out, events.append)
    engine.handle(Start(f"recording:{tmp_path / 'a.wav'}?centre=10M"))
    engine.handle(Look(1, Ask(10e6, 48e3, "", gains_db=(("gain", 25.5),)), 10e6, 5_000.0))
    assert of(events, Looking)
    assert not of(events, Refused)
