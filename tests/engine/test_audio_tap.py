"""What the engine does for a listener: channels heard, samples cleaned, gains swept; and what it declines."""

from pathlib import Path
from typing import TypeVar

import msgspec
import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from yarddial import wiring
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, RequestedSettings
from yarddial.engine.clean_up import Cleaner
from yarddial.engine.commands import Cancel, Clean, CleanUp, Hear, Start, Stop, Sweep, Tune
from yarddial.engine.engine import Engine
from yarddial.engine.events import CleanedUp, Event, Sound, SweepDone, SweepPoint, Tuned, TuneRefused
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


class Carrier:
    """An AM signal 400 kHz above wherever the receiver is tuned, without a break."""

    capabilities = Capabilities("Carrier", ((0.0, 1e9),), (2.048e6,), ("ladder",), 8)

    def __init__(self) -> None:
        self._index = 0

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        return ActualSettings(ask.centre_hz, ask.rate_hz, ask.port)

    def read(self) -> Block:
        at = np.arange(self._index, self._index + 32_768) / 2.048e6
        self._index += 32_768
        samples = 0.2 * (1 + 0.6 * np.sin(2 * np.pi * 1_000.0 * at)) * np.exp(2j * np.pi * 400e3 * at)
        return Block(samples.astype(np.complex64), self._index - 32_768)

    def close(self) -> None:
        pass


def heard_over(*later: Tune) -> list[NDArray[np.float32]]:
    """Sound of each block of a channel that is heard while the receiver is tuned so, one after ten blocks each."""
    events: list[Event] = []
    engine = Engine(lambda address: Carrier(), events.append)
    engine.handle(Start("x"))
    engine.handle(Tune(ASK, 130e6, 10_000.0, job=1, id=1))
    engine.handle(Hear(ASK.centre_hz + 400e3, DEMODULATIONS["am"].settings(), job=7, id=7))
    steps(engine, 10)
    for tune in later:
        engine.handle(tune)
        steps(engine, 10)
    return [sound.samples for sound in of(events, Sound)]


def test_another_picture_of_the_same_span_leaves_what_is_heard_alone() -> None:
    other_slice = Tune(ASK, 130e6 + 3_000.0, 20_000.0, job=2, id=2)
    undisturbed = heard_over(Tune(ASK, 130e6, 10_000.0, job=1, id=3))
    assert np.array_equal(np.concatenate(heard_over(other_slice)), np.concatenate(undisturbed))


def test_at_another_centre_what_is_heard_is_faded_without_a_gap() -> None:
    """The channel is 200 kHz off the carrier then: nothing is heard of it, and the sound does not stop meanwhile."""
    moved = msgspec.structs.replace(ASK, centre_hz=ASK.centre_hz - 200e3)
    sounds = heard_over(Tune(moved, 130e6, 10_000.0, job=3, id=3))
    undisturbed = heard_over(Tune(ASK, 130e6, 10_000.0, job=1, id=3))
    # What the filters held back of the former place is played while it fades, so there is more, never less.
    assert sum(sound.size for sound in sounds) >= sum(sound.size for sound in undisturbed)


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
    engine.handle(Sweep(of_stage("gain", 8.0, 25.5, 33.4), 9_000.0, tuning=1, job=3, id=3))
    while not of(events, SweepDone):
        engine.step()
    points = of(events, SweepPoint)
    assert [point.gains_db for point in points] == list(of_stage("gain", 8.0, 25.5, 33.4))
    assert [round(point.fraction, 3) for point in points] == [0.333, 0.667, 1.0]
    # Between the upper two the signal follows its gain, but for the second's tick that falls into one of them.
    assert points[2].channel_dbfs - points[1].channel_dbfs == pytest.approx(7.9, abs=1.5)
    assert of(events, SweepDone) == [SweepDone(job=3, id=3)]
    engine.handle(Sweep(((),), 9_000.0, tuning=1, job=4, id=4))
    while len(of(events, SweepDone)) < 2:
        engine.step()
    # What is received now is as strong as at the middle step, which is the gain that was tuned.
    assert of(events, SweepPoint)[-1].channel_dbfs == pytest.approx(points[1].channel_dbfs, abs=1.5)


def test_a_sideband_is_swept_beside_the_place_looked_at(engine: Engine, events: list[Event]) -> None:
    """The carrier lies 1,500 Hz above the dial: in an upper sideband's channel, and not in a lower one's."""
    engine.handle(Tune(ASK, SHOWN_HZ - 1_500.0, 10_000.0, job=2, id=2))
    over = []
    for number, middle_hz in enumerate((1_500.0, -1_500.0)):
        engine.handle(Sweep(of_stage("gain", 33.4), 2_600.0, middle_hz, tuning=2, job=number, id=number))
        while len(of(events, SweepDone)) <= number:
            engine.step()
        point = of(events, SweepPoint)[-1]
        over.append(point.channel_dbfs - point.floor_dbfs_hz - 10 * np.log10(point.width_hz))
    assert over[0] > 20
    assert over[1] < 6


def test_a_sweep_is_cancelled_refused_or_ends_with_the_receiver(engine: Engine, events: list[Event]) -> None:
    engine.handle(Sweep(of_stage("volume", 1.0, 2.0), 9_000.0, tuning=1, job=1, id=1))
    assert "has no gain 'volume'" in of(events, SweepDone)[0].reason
    engine.handle(Sweep(of_stage("gain", 8.0, 25.5), 9_000.0, tuning=1, job=2, id=2))
    engine.handle(Cancel(2))
    engine.handle(Sweep(of_stage("gain", 8.0, 25.5), 9_000.0, tuning=1, job=3, id=3))
    engine.handle(Stop())
    assert [done.reason for done in of(events, SweepDone)[1:]] == ["cancelled", "the receiver stopped"]


def test_a_recording_is_not_asked_for_gains_that_it_does_not_have(events: list[Event], tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.zeros((96_000, 2)), 48_000, subtype="PCM_16")
    engine = Engine(wiring.open_device_flat_out, events.append)
    engine.handle(Start(f"recording:{tmp_path / 'a.wav'}?centre=10M"))
    engine.handle(Tune(RequestedSettings(10e6, 48e3, "", gains_db=(("gain", 25.5),)), 10e6, 5_000.0, job=1, id=1))
    assert of(events, Tuned)
    assert not of(events, TuneRefused)
