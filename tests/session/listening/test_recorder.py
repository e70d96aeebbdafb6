"""Samples kept as a recording, and a recording played in the receiver's place."""

import itertools
import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from waiting import until
from yarddial import wiring
from yarddial.dsp.carrier import estimate_carrier
from yarddial.engine.events import Stopped
from yarddial.records.recordings import open_recording, write_sigmf
from yarddial.records.sample_file import SampleFile
from yarddial.records.sound_player import is_sound
from yarddial.session.listening.own_recordings import own_recordings
from yarddial.session.session import Session
from yarddial.yard import clock
from yarddial.yard.demo import HEARTH_IF
from yarddial.yard.errors import BadRecording, NotWritten


def keep(session: Session, path: Path, seconds_s: float = 0.6) -> None:
    """Keep so much of what comes in now."""
    own = session.listening
    own.recorder.record_samples(path, own.settings)
    until(session, lambda: own.recorder.recording is None or own.recorder.recording.seconds_s >= seconds_s)
    own.recorder.stop_recording_samples()
    until(session, lambda: own.recorder.recording is None)


@pytest.fixture
def listening(session: Session) -> Session:
    session.listening.open()
    session.toggle_receiver()
    until(session, lambda: session.live_receiver.is_tuned)
    return session


def test_a_recording_tells_where_it_was_heard_and_plays_in_the_receivers_place(
    listening: Session, tmp_path: Path
) -> None:
    keep(listening, tmp_path / "evening")
    assert listening.listening.recorder.trouble == ""
    recording = open_recording(tmp_path / "evening.sigmf-meta")
    look = listening.live_receiver.tuning
    assert look is not None
    assert (recording.rate_hz, recording.tuner_hz) == (look.rate_hz, look.centre_hz)
    # The route's converter lies between: what the dial shows at the centre is 120 MHz lower.
    assert recording.centre_hz == pytest.approx(look.centre_hz - 120e6)
    meta = json.loads((tmp_path / "evening.sigmf-meta").read_text())
    labels = {mark["core:label"]: mark for mark in meta["annotations"]}
    assert {"Northmark Time", "as AM"} <= set(labels)
    assert labels["as AM"]["core:freq_upper_edge"] - labels["as AM"]["core:freq_lower_edge"] == 9_000
    assert labels["as AM"]["core:sample_count"] == recording.count
    assert "evening.sigmf-meta" in listening.log.shown()[0].text

    live_hz = _carrier_hz(listening, recording.read())
    listening.toggle_receiver()
    listening.desk.dial(14.2e6)
    listening.replay(tmp_path / "evening.sigmf-meta")
    # 14.2 MHz is not in it: the dial goes to its middle.
    assert listening.desk.station.dial_hz == recording.centre_hz
    assert listening.desk.route.name == recording.route
    listening.desk.dial(10e6)
    until(listening, lambda: listening.live_receiver.device_name == "evening.sigmf-meta")
    over_db = None
    for _ in range(400):
        listening.poll()
        over_db = listening.listening.over_floor_db() or over_db
    assert over_db is not None
    assert over_db > 15
    assert live_hz == pytest.approx(10e6 + 120e6, abs=4_000)
    listening.recorder.end_replay()
    assert not listening.live_receiver.plays
    listening.toggle_receiver()
    until(listening, lambda: listening.live_receiver.device_name == "Finch")


def _carrier_hz(session: Session, samples: np.ndarray) -> float:
    look = session.live_receiver.tuning
    assert look is not None
    near = session.desk.route.counted_hz(10e6) - look.centre_hz
    found = estimate_carrier(samples[: 1 << 19], look.rate_hz, near, 6_000.0)
    return look.centre_hz + found.frequency_hz


def test_an_inverted_route_is_recorded_the_way_the_dial_runs(listening: Session, tmp_path: Path) -> None:
    listening.toggle_receiver()
    listening.desk.choose_route(HEARTH_IF)
    listening.toggle_receiver()
    until(listening, lambda: listening.live_receiver.is_tuned)
    keep(listening, tmp_path / "if")
    recording = open_recording(tmp_path / "if.sigmf-meta")
    assert recording.inverted
    device = wiring.open_device(f"recording:{recording.path}", flat_out=True)
    block = device.read()
    assert block is not None
    np.testing.assert_array_equal(block.samples, recording.read(0, block.samples.size).conj())


def test_retuning_ends_a_recording_whole_and_trouble_is_said(listening: Session, tmp_path: Path) -> None:
    own = listening.listening.recorder
    own.record_samples(tmp_path / "a", listening.listening.settings)
    until(listening, lambda: own.recording is not None and own.recording.seconds_s > 0.4)
    listening.desk.dial(14.2e6)
    until(listening, lambda: own.recording is None)
    assert "set differently" in own.trouble
    assert open_recording(tmp_path / "a.sigmf-meta").duration_s > 0.4
    keep(listening, tmp_path / "a")
    assert "there already" in own.trouble
    keep(listening, tmp_path / "nowhere" / "a")
    assert "cannot write" in own.trouble
    listening.toggle_receiver()
    until(listening, lambda: not listening.live_receiver.running)
    with pytest.raises(NotWritten, match="Space starts it"):
        own.record_samples(tmp_path / "b", listening.listening.settings)
    with pytest.raises(BadRecording):
        listening.replay(tmp_path / "none.sigmf-meta")


def test_more_than_eight_bits_are_kept_as_sixteen_and_losses_are_marked(tmp_path: Path) -> None:
    chance = np.random.default_rng(3)
    samples = (0.3 * (chance.standard_normal(5_000) + 1j * chance.standard_normal(5_000))).astype(np.complex64)
    samples = np.clip(samples.view(np.float32), -0.99, 0.99).view(np.complex64)
    file = SampleFile(tmp_path / "wide", 1e6, 10e6, {}, 14)
    file.write(samples[:2_000])
    file.remark("7 samples were lost here")
    file.write(samples[2_000:])
    file.close()
    recording = open_recording(tmp_path / "wide.sigmf-meta")
    assert recording.sample_format == "cs16"
    # Half a step of sixteen bits, twice: kept floored, read back to the step's middle or edge.
    assert np.abs(recording.read().view(np.float32) - samples.view(np.float32)).max() < 2 / 32_768
    marks = json.loads((tmp_path / "wide.sigmf-meta").read_text())["annotations"]
    assert [(mark["core:sample_start"], mark["core:comment"]) for mark in marks] == [
        (2_000, "7 samples were lost here")
    ]


def test_a_recording_whose_process_died_is_said_not_to_be_whole(listening: Session, tmp_path: Path) -> None:
    own = listening.listening.recorder
    own.record_samples(tmp_path / "a", listening.listening.settings)
    assert own.recording is not None
    # What the window is told of a process that is gone: no word of its recording.
    listening.jobs._pass_on(Stopped("the receiver's process ended unexpectedly"))
    assert own.recording is None
    assert "not whole" in own.trouble


def test_a_sound_recording_is_heard_again_and_the_receiver_goes_on(
    session: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A tone of 440 Hz, written apart: what comes out is that tone, once, and then the receiver is heard again."""
    session.poll()
    ticks = itertools.count()
    monkeypatch.setattr(clock, "monotonic_s", lambda: 0.02 * next(ticks))
    times_s = np.arange(48_000) / 48_000
    tone = (0.5 * np.sin(2 * np.pi * 440 * times_s)).astype(np.float32)
    path = tmp_path / "heard.wav"
    soundfile.write(path, tone, 48_000)
    session.listening.open()
    session.toggle_receiver()
    until(session, lambda: bool(session.listening.sounds))
    session.replay(path)
    assert session.live_receiver.wanted
    session.listening.sounds.clear()
    played: list[np.ndarray] = []

    def is_over() -> bool:
        played.extend(sound.samples for sound in session.listening.sounds)
        session.listening.sounds.clear()
        return session.recorder.player is None

    until(session, is_over)
    heard = np.concatenate(played)
    assert len(heard) == len(tone)
    assert np.argmax(np.abs(np.fft.rfft(heard))) == 440
    until(session, lambda: bool(session.listening.sounds))


def test_the_receiver_runs_again_after_samples_were_played_where_it_ran_before(
    session: Session, tmp_path: Path
) -> None:
    session.poll()
    write_sigmf(tmp_path / "one.sigmf-meta", [np.zeros(48_000, np.complex64)], 48_000.0, 10e6, {})
    for ran in (True, False):
        if session.live_receiver.wanted != ran:
            session.toggle_receiver()
        session.replay(tmp_path / "one.sigmf-meta")
        assert session.live_receiver.plays
        session.recorder.end_replay()
        assert session.live_receiver.wanted == ran
        assert session.live_receiver.plays == ""


def test_ones_own_recordings_are_listed_while_they_exist(session: Session, tmp_path: Path) -> None:
    session.poll()
    session.recorder.record_sound(tmp_path / "first.wav", 48_000.0)
    session.recorder.hear(np.zeros(4_800, np.float32))
    session.recorder.stop_recording_sound()
    assert own_recordings(session.log) == (tmp_path / "first.wav",)
    assert is_sound(tmp_path / "first.wav")
    (tmp_path / "first.wav").unlink()
    assert own_recordings(session.log) == ()


def test_what_is_recorded_goes_on_while_a_recording_plays_and_leaving_ends_it(session: Session, tmp_path: Path) -> None:
    session.poll()
    soundfile.write(tmp_path / "old.wav", np.zeros(480_000, np.float32), 48_000)
    session.listening.open()
    session.toggle_receiver()
    until(session, lambda: bool(session.listening.sounds))
    session.recorder.record_sound(tmp_path / "new.wav", 48_000.0)
    session.replay(tmp_path / "old.wav")
    until(session, lambda: session.recorder.sound is not None and session.recorder.sound.seconds_s > 0.1)
    assert session.recorder.player is not None
    session.listening.close()
    assert session.recorder.player is None


def test_a_receiver_that_was_stopped_while_a_recording_played_stays_off(session: Session, tmp_path: Path) -> None:
    session.poll()
    write_sigmf(tmp_path / "one.sigmf-meta", [np.zeros(48_000, np.complex64)], 48_000.0, 10e6, {})
    session.toggle_receiver()
    session.replay(tmp_path / "one.sigmf-meta")
    session.toggle_receiver()
    session.recorder.end_replay()
    assert not session.live_receiver.wanted
