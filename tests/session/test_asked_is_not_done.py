"""What was asked for is not what was done: eleven ways in which the one was once taken for the other."""

from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np
import pytest

from job_yard import Book, JobYard, StubbornDevice, counted_hz
from rig_yard import ScriptedRig
from slow_yards import slow_station
from waiting import tell_truth, until
from yarddial import wiring
from yarddial.drivers.protocol import ActualSettings, RequestedSettings
from yarddial.engine.commands import RecordSamples, Tune
from yarddial.engine.link import EngineInline
from yarddial.records.log_data import LoggedObservation
from yarddial.session.session import Session
from yarddial.yard.demo import VIA_HEARTH
from yarddial.yard.errors import CannotTune
from yarddial.yard.parts import Receiver


@pytest.fixture
def yard(tmp_path: Path) -> JobYard:
    return JobYard(tmp_path)


def stubborn_session(device: StubbornDevice) -> Session:
    made = Session(slow_station(), EngineInline(lambda address: device), Book)
    made.calibration.chosen_s = 1.0
    return made


def least_gains(yard: JobYard) -> bool:
    """Whether the device was last set to the least of each gain."""
    _, ask = yard.applied[-1]
    stages = yard.session.desk.route.receiver.gain_stages
    return all(dict(ask.gains_db)[stage.name] == min(stage.steps_db) for stage in stages)


def test_gains_are_lowered_for_a_transmission_though_the_job_that_tuned_has_ended(yard: JobYard) -> None:
    session = yard.session
    session.toggle_receiver()
    yard.begin("measurement")
    until(session, lambda: session.calibration.measuring is None)
    rig = ScriptedRig().join(session)
    assert not least_gains(yard)
    rig.change(transmitting=True)
    yard.polls(3)
    assert session.live_receiver.is_guarded
    assert least_gains(yard)
    rig.change(transmitting=False)
    yard.polls(3)
    assert not session.live_receiver.is_guarded
    assert not least_gains(yard)
    session.close()


def test_a_receiver_that_does_not_lower_its_gains_is_switched_off(yard: JobYard) -> None:
    """It acknowledges what it has, and that is not what was asked."""
    session = yard.session
    rig = ScriptedRig().join(session)
    device = yard.devices[-1]
    plain = device.apply

    def keeps(ask: RequestedSettings) -> ActualSettings:
        return msgspec.structs.replace(plain(ask), gains_db=tuple((name, 25.5) for name, _ in ask.gains_db))

    device.apply = keeps  # type: ignore[method-assign]
    rig.change(transmitting=True)
    yard.polls(4)
    assert not session.live_receiver.wanted
    assert "keeps gain 'gain' at 25.5 dB" in session.live_receiver.trouble
    session.close()


def test_nothing_is_keyed_from_here_before_the_engine_says_that_the_gains_are_down(tmp_path: Path) -> None:
    yard = JobYard(tmp_path, is_stubborn=True)
    session = yard.session
    rig = ScriptedRig().join(session)
    session.rig.safety.acknowledge()
    session.own_transmission.begin(dummy_load=True, lowest_power=True)
    until(session, lambda: session.live_receiver.is_tuned)
    session.own_transmission.press()
    for _ in range(20):
        assert not rig.state.transmitting or session.live_receiver.is_guarded
        session.poll()
    assert rig.state.transmitting
    session.own_transmission.let_go()
    session.close()


@pytest.mark.parametrize("answers", [(True, None, False), (True, False), (None, True, None, None, False)])
def test_an_unanswered_transmit_state_does_not_leave_the_receiver_muted(
    yard: JobYard, answers: tuple[bool | None, ...]
) -> None:
    session = yard.session
    rig = ScriptedRig().join(session)
    has_transmitted = False
    for answer in answers:
        rig.change(transmitting=answer)
        yard.polls(2)
        has_transmitted = (has_transmitted or answer is True) and answer is not False
        assert session.listening.is_muted == has_transmitted
    yard.polls(2)
    assert not session.live_receiver.is_muted
    assert not session.live_receiver.wants_guard
    assert not least_gains(yard)
    session.close()


class RefusesOnce(StubbornDevice):
    """Refuses one place, whenever it is asked to go there."""

    refuses_every = 0
    refused_hz = -1.0

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        if abs(ask.centre_hz - self.refused_hz) < 1e6:
            raise CannotTune("not there")
        return super().apply(ask)


def test_a_measurement_after_a_refused_tuning_measures_nothing() -> None:
    """Dialled and measured back to back, as the sequences do; it stands where it stood, and is not asked there."""
    device = RefusesOnce("finch", [])
    session = stubborn_session(device)
    session.toggle_receiver()
    until(session, lambda: session.live_receiver.is_tuned)
    device.refused_hz = session.desk.station.resolve().counted_hz(5e6)
    session.desk.dial(5e6)
    session.calibration.measure()
    until(session, lambda: session.calibration.measuring is None)
    assert session.calibration.observations == ()
    assert session.calibration.outcome is not None
    assert "not there" in session.calibration.outcome.text
    session.close()


def test_a_recording_that_is_stopped_before_the_receiver_is_tuned_ends(tmp_path: Path) -> None:
    yard = JobYard(tmp_path, is_stubborn=True)
    session = yard.session
    session.desk.dial(5e6)
    assert not session.live_receiver.is_tuned
    recorder = session.listening.recorder
    recorder.record_samples(tmp_path / "r", session.listening.settings)
    recorder.stop_recording_samples()
    yard.polls(8)
    assert recorder.recording is None
    assert "before the receiver was tuned" in recorder.trouble
    assert not session.jobs.leases
    session.close()


def test_what_is_measured_rests_on_where_the_tuner_really_went() -> None:
    """Its synthesizer goes in steps of 50 kHz; lines stand on whole bins from the centre that it really has."""
    device = RefusesOnce("finch", [])
    session = stubborn_session(device)
    session.desk.dial(9.9e6)
    session.desk.dial(10e6)
    session.calibration.measure()
    until(session, lambda: session.calibration.measuring is None)
    (seen,) = session.calibration.observations
    tuning = session.live_receiver.tuning
    assert tuning is not None
    assert tuning.centre_hz % 50e3 == 0
    assert tuning.centre_hz != tuning.requested.centre_hz
    bins = (counted_hz(seen) - tuning.centre_hz) / (tuning.rate_hz / 4_096)
    assert bins == pytest.approx(round(bins), abs=0.01)
    entry = next(entry for entry in session.log.entries() if entry.kind == "observation")
    assert isinstance(entry.data, LoggedObservation)
    assert entry.data.tuning is not None
    assert entry.data.tuning.centre_hz == tuning.centre_hz
    assert entry.data.tuning.requested_centre_hz == tuning.requested.centre_hz
    session.close()


def test_the_spike_and_a_recording_stand_where_the_tuner_stands(tmp_path: Path) -> None:
    from yarddial.records.recordings import open_recording

    device = RefusesOnce("finch", [])
    session = stubborn_session(device)
    session.toggle_receiver()
    session.listening.open()
    until(session, lambda: session.live_receiver.is_tuned)
    tuning, line = session.live_receiver.tuning, session.desk.route
    assert tuning is not None
    assert session.listening.centre_hz() == pytest.approx(line.dial_of(tuning.centre_hz, session.desk.station.dial_hz))
    recorder = session.listening.recorder
    recorder.record_samples(tmp_path / "r", session.listening.settings)
    until(session, lambda: recorder.recording is not None and recorder.recording.seconds_s > 0)
    recorder.stop_recording_samples()
    until(session, lambda: recorder.recording is None)
    found = open_recording(tmp_path / "r.sigmf-meta")
    assert found.tuner_hz == tuning.centre_hz
    # Ladder is entered at 120 MHz, and no correction.
    assert found.centre_hz == pytest.approx(tuning.centre_hz - 120e6, abs=1e-3)
    session.close()


def measured_often(session: Session) -> None:
    """Six observations: from the sixth on the fit runs in the background."""
    tell_truth(session, *(3 * (5e6, 10e6)))
    until(session, lambda: len(session.calibration.observations) == 6 and not session.background.is_busy)


def in_turn(session: Session, hold: bool) -> Callable[[], None]:
    """Have the background hand over its answers only when the returned function is called."""
    poll = session.background.poll
    if hold:
        session.background.poll = lambda: None  # type: ignore[method-assign]
    return poll


def test_measure_afresh_is_not_undone_by_a_fit_under_way(session: Session) -> None:
    measured_often(session)
    poll = in_turn(session, hold=True)
    session.calibration.oscillator_estimates.refit()
    session.calibration.forget()
    for _ in range(500):
        poll()
        session.poll()
    assert session.calibration.observations == ()
    assert session.calibration.fit is None
    assert session.calibration.proposal() is None


def test_a_finished_measurement_is_in_the_log_though_the_window_closes_before_the_fit(tmp_path: Path) -> None:
    book = Book()
    session = Session(slow_station(), EngineInline(wiring.open_device_flat_out), lambda: book)
    session.poll()
    measured_often(session)
    in_turn(session, hold=True)
    tell_truth(session, 10e6)
    assert len(session.calibration.observations) == 7
    session.close()
    assert sum(entry.kind == "observation" for entry in book.kept) == 7


def test_what_the_fit_tells_is_put_into_the_entry_that_was_written_first(session: Session) -> None:
    session.poll()
    # Direct and over the converter: both oscillators can be told apart.
    tell_truth(session, 145.2e6, 10e6)
    latest = session.log.entries()[0]
    assert isinstance(latest.data, LoggedObservation)
    assert set(latest.data.oscillators) == set(session.calibration.oscillator_estimates.apart())
    assert len(latest.data.oscillators) == 2
    # And the history is read from there.
    assert set(session.calibration.oscillator_estimates.histories) >= set(latest.data.oscillators)


def test_every_command_of_a_job_names_the_tuning_that_was_asked_for_before_it(yard: JobYard) -> None:
    asked: list[object] = []
    send = yard.engine.send
    yard.engine.send = lambda command: (asked.append(command), send(command))[1]  # type: ignore[method-assign, func-returns-value]
    yard.begin("measurement")
    yard.begin("recording")
    tunes = [one.id for one in asked if isinstance(one, Tune)]
    resting = [one for one in asked if hasattr(one, "tuning")]
    assert resting
    assert all(one.tuning in tunes or one.tuning == yard.session.live_receiver.tuner.requested.id for one in resting)  # type: ignore[attr-defined, union-attr]
    assert not any(isinstance(one, RecordSamples) for one in asked if not yard.session.live_receiver.is_tuned)
    yard.session.close()


def test_a_route_that_nobody_may_open_is_still_closed_while_it_transmits(yard: JobYard) -> None:
    """The worst case decides before the gains do."""
    session = yard.session
    session.desk.choose_route(VIA_HEARTH)
    hearth = session.desk.station.part("Hearth")
    session.desk.edit("isolation", session.desk.station.with_part(msgspec.structs.replace(hearth, isolation_db=None)))
    ScriptedRig().join(session)
    yard.polls(2)
    assert not session.live_receiver.wanted
    session.close()


def test_missed_points_of_a_watch_take_their_time(session: Session) -> None:
    finch = session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    session.desk.edit("rate", session.desk.station.with_part(msgspec.structs.replace(finch, rate_hz=1.024e6)))
    session.desk.dial(145.2e6)
    watch = session.carrier_watch
    watch.choose_point(1.0)
    watch.start()
    until(session, lambda: len(watch.points) == 3)
    # Two points at which nothing stands out: the station fades.
    fading = session.live_receiver.tuning
    assert fading is not None
    watch_take = watch.take
    swallowed = []

    def fade(event: object) -> None:
        from yarddial.engine.events import Measured, NotMeasured

        if isinstance(event, Measured) and len(swallowed) < 2:
            swallowed.append(event)
            watch_take(NotMeasured("nothing stands out", is_silent=True, job=event.job, id=event.id))
        else:
            watch_take(event)  # type: ignore[arg-type]

    watch.take = fade  # type: ignore[method-assign]
    until(session, lambda: len(watch.points) == 5)
    times = np.array([point.time_s for point in watch.points])
    assert np.diff(times) == pytest.approx([1.0, 1.0, 3.0, 1.0], abs=0.25)
    assert (watch.missed, watch.missed_now) == (2, 0)
    watch.stop()


def test_word_of_an_earlier_end_does_not_turn_off_a_receiver_started_since(tmp_path: Path) -> None:
    yard = JobYard(tmp_path, is_stubborn=True)
    receiver = yard.session.live_receiver
    yard.engine.kill()
    # Its end is not heard yet: a person stops and starts.
    yard.session.toggle_receiver()
    yard.session.toggle_receiver()
    yard.polls(6)
    assert receiver.running
    assert receiver.wanted
    assert not receiver.trouble
    yard.session.close()


def test_a_recording_begun_before_the_former_one_is_whole_is_refused_and_takes_nothing_of_it(tmp_path: Path) -> None:
    yard = JobYard(tmp_path, is_stubborn=True)
    recorder = yard.session.recorder
    yard.begin("recording")
    yard.polls(6)
    recorder.stop_recording_samples()
    yard.begin("recording")
    yard.polls(6)
    yard.let_go()
    assert not yard.faults()
    yard.session.close()
