"""The engine step by step: what it reports, and the picture it draws."""

import numpy as np
import pytest

from yarddial import wiring
from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.commands import Cancel, Hear, Measure, RecordSamples, Show, Start, Stop, Tune
from yarddial.engine.engine import Engine
from yarddial.engine.events import (
    Event,
    JobFailed,
    Measured,
    Noticed,
    NotMeasured,
    Progress,
    SpectrogramColumns,
    Started,
    Stopped,
    Tuned,
    TuneRefused,
)
from yarddial.engine.taps.picture import Picture
from yarddial.yard.demodulation import DemodulationSettings

SHOWN_HZ = 130e6 - 3_066.6
LOOK = Tune(RequestedSettings(129.7e6, 2.048e6, "ladder"), SHOWN_HZ, 10_000.0, job=1, id=1)


@pytest.fixture
def events() -> list[Event]:
    return []


@pytest.fixture
def engine(events: list[Event]) -> Engine:
    """An engine on Finch, looking near Northmark Time."""
    made = Engine(wiring.open_device_flat_out, events.append)
    made.handle(LOOK)
    made.handle(Show(1, 100.0, 200, 0.1))
    made.handle(Start("simulated:finch"))
    return made


def of(events: list[Event], kind: type[Event]) -> list[Event]:
    return [event for event in events if isinstance(event, kind)]


def test_it_starts_looking_where_it_was_told_before_it_ran(engine: Engine, events: list[Event]) -> None:
    assert [type(event) for event in events[:2]] == [Started, Tuned]
    looking = events[1]
    assert isinstance(looking, Tuned)
    assert looking.tuning.actual.centre_hz == 129.7e6
    assert looking.tuning.slice_rate_hz >= 2 * 10_000.0
    engine.handle(Stop())
    assert of(events, Stopped) == [Stopped("")]
    assert not engine.running


def test_a_refusal_leaves_the_receiver_where_it_was(engine: Engine, events: list[Event]) -> None:
    engine.handle(Tune(RequestedSettings(1.12e9, 2.048e6, "discone"), 1.12e9, 10_000.0, job=2, id=2))
    (refused,) = of(events, TuneRefused)
    assert isinstance(refused, TuneRefused)
    assert "covers" in refused.sentence
    engine.step()
    assert engine.running


def test_the_doubt_shrinks_while_it_measures(engine: Engine, events: list[Event]) -> None:
    engine.handle(Measure(4.0, 1_000.0, tuning=1, job=5, id=5))
    while not of(events, Measured):
        engine.step()
    uncertainties = [event.sigma_hz for event in events if isinstance(event, Progress)]
    assert len(uncertainties) >= 5
    # sigma goes with T^-1.5: from 0.5 s to 3.5 s that is a factor of 18.
    assert uncertainties[0] / uncertainties[-1] > 8
    (measured,) = of(events, Measured)
    assert isinstance(measured, Measured)
    assert measured.carrier.duration_s == pytest.approx(4.0, abs=0.1)
    # The end counts what the path may have done unseen besides, which the noise alone on the way does not.
    assert measured.carrier.sigma_hz < uncertainties[0]


def test_a_cancelled_measurement_ends_once_and_measures_nothing(engine: Engine, events: list[Event]) -> None:
    engine.handle(Measure(1.0, 1_000.0, tuning=1, job=5, id=5))
    engine.step()
    engine.handle(Cancel(4))
    engine.handle(Cancel(5))
    engine.handle(Cancel(5))
    for _ in range(60):
        engine.step()
    assert not of(events, Measured)
    (ended,) = of(events, NotMeasured)
    assert isinstance(ended, NotMeasured)
    assert (ended.sentence, ended.job, ended.id) == ("cancelled", 5, 5)


def test_looking_elsewhere_drops_the_measurement_and_says_so(engine: Engine, events: list[Event]) -> None:
    engine.handle(Measure(1.0, 1_000.0, tuning=1, job=5, id=5))
    engine.handle(Tune(RequestedSettings(144.9e6, 2.048e6, "discone"), 145.2e6, 10_000.0, job=2, id=2))
    for _ in range(60):
        engine.step()
    assert not of(events, Measured)
    (dropped,) = of(events, NotMeasured)
    assert isinstance(dropped, NotMeasured)
    assert dropped.id == 5


def test_a_change_of_zoom_redraws_from_memory(engine: Engine, events: list[Event]) -> None:
    for _ in range(150):
        engine.step()
    events.clear()
    engine.handle(Show(2, 1_000.0, 200, 0.1))
    columns = [event for event in events if isinstance(event, SpectrogramColumns)]
    assert columns[0].id == 2
    assert columns[0].first == 0
    # 150 blocks of 65 536 samples at 2.048 MS/s are 4.8 s, so some forty columns are there at once.
    assert sum(event.level_db.shape[0] for event in columns) > 30


@pytest.mark.parametrize("half_span_hz", [30.0, 300.0, 3_000.0])
@pytest.mark.parametrize("share", [-0.6, 0.25, 0.8])
def test_a_tone_is_drawn_in_its_row(half_span_hz: float, share: float) -> None:
    rate_hz, rows = 64_000.0, 200
    picture = Picture(rate_hz, half_span_hz, rows, 0.1)
    time = np.arange(int(rate_hz * 30)) / rate_hz
    samples = np.exp(2j * np.pi * share * half_span_hz * time).astype(np.complex64)
    levels = np.concatenate([picture.push(part) for part in np.array_split(samples, 37)])
    assert levels.shape[1] == rows
    assert levels.mean(axis=0).argmax() == pytest.approx(rows / 2 * (1 + share), abs=1.0)
    assert levels.max() == pytest.approx(0.0, abs=1.6)


def test_columns_come_at_their_pace_however_the_samples_come() -> None:
    chance = np.random.default_rng(0)
    samples = (chance.standard_normal(2 * 640_000) * 0.1).astype(np.float32).view(np.complex64)
    whole, pieces = Picture(64_000.0, 300.0, 100, 0.1), Picture(64_000.0, 300.0, 100, 0.1)
    at_once = whole.push(samples)
    in_parts = np.concatenate([pieces.push(part) for part in np.array_split(samples, 91)])
    assert 90 <= at_once.shape[0] <= 100
    np.testing.assert_allclose(in_parts, at_once, atol=1e-2)


def test_another_receiver_is_not_tuned_as_the_one_before_it(engine: Engine, events: list[Event]) -> None:
    gained = RequestedSettings(129.7e6, 2.048e6, "ladder", gains_db=(("gain", 25.5),))
    engine.handle(Tune(gained, SHOWN_HZ, 10_000.0, job=1, id=2))
    events.clear()
    engine.handle(Start("simulated:heron"))
    assert of(events, Started)
    assert not of(events, Tuned)
    engine.step()
    assert not of(events, Noticed)


def test_a_request_that_the_engine_trips_over_ends_alone(engine: Engine, events: list[Event]) -> None:
    """Marks that are no list, and a filter without an edge: each job hears of its own end, the receiver goes on."""
    engine.handle(Measure(4.0, 1_000.0, tuning=1, job=5, id=5))
    engine.handle(RecordSamples("unused", 10e6, 8, False, {"annotations": -1.0}, tuning=1, job=6, id=6))
    endless = DemodulationSettings(demodulation="am", low_hz=float("nan"), high_hz=3e3)
    engine.handle(Hear(SHOWN_HZ, endless, job=7, id=7))
    while not of(events, Measured):
        engine.step()
    failed = {event.job: event for event in events if isinstance(event, JobFailed)}
    assert set(failed) == {6, 7}
    assert "begin it again" in failed[6].why
    assert "Traceback" in failed[7].details
    assert engine.running
    assert not of(events, Stopped)
