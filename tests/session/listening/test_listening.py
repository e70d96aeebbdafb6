"""Listening: what is heard where, and what the receiver is asked for it."""

from pathlib import Path

import msgspec
import numpy as np
import pytest
import soundfile

from waiting import until
from yarddial.session.finding import GoTo
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard.demo import demo_station
from yarddial.yard.demodulation import DEMODULATIONS, turned
from yarddial.yard.errors import BadLevel, NotWritten

# Northmark Time at 10 MHz, read over Ladder: the crystal is 27.14 ppm fast, the oscillator 461 Hz high.
SHOWN_HZ = (10e6 + 120_000_461.0) / (1 + 27.14e-6) - 120e6


@pytest.fixture
def listening(session: Session) -> Session:
    """The place open and the receiver running."""
    session.listening.open()
    session.toggle_receiver()
    return session


def test_a_carrier_is_heard_at_its_distance_from_the_dial(listening: Session) -> None:
    listening.desk.dial(SHOWN_HZ - 1_000.0)
    listening.listening.choose_demodulation("usb")
    listening.listening.change(gain_control=False)
    kept: list[np.ndarray] = []
    listening.listening.on_heard(lambda: kept.extend(s.samples for s in listening.listening.sounds[-1:]))
    until(listening, lambda: sum(part.size for part in kept) > 72_000)
    sound = np.concatenate(kept)[24_000:72_000]
    hertz = np.argmax(np.abs(np.fft.rfft(sound * np.hanning(sound.size)))) * 1.0
    assert hertz == pytest.approx(1_000.0, abs=5.0)
    over_db = listening.listening.over_floor_db()
    assert over_db is not None
    assert over_db > 20
    tone = listening.listening.tone()
    assert tone is not None
    # The sky-wave wanders by a hertz; the oscillators above are rounded to half a one.
    assert tone[0] == pytest.approx(1_000.0, abs=3.0)
    assert tone[1] < 0.1


def test_a_click_snaps_onto_the_line(listening: Session) -> None:
    listening.desk.dial(10e6 - 2_700.0)
    until(listening, lambda: listening.live_receiver.picture.recent()[0].size > 0)
    for _ in range(400):
        listening.poll()
    assert listening.listening.snap()
    # A tenth of a row of 67 Hz, and half of the oscillators' rounding above.
    assert listening.desk.station.dial_hz == pytest.approx(SHOWN_HZ, abs=12.0)
    listening.desk.dial(10e6 + 5_000.0)
    assert not listening.listening.snap()


def test_the_centre_stays_while_the_dial_wanders_and_true_gets_its_picture_back(listening: Session) -> None:
    def ask() -> object:
        look = listening.live_receiver.tuner.requested
        assert look is not None
        return look.requested

    begun, picture = ask(), listening.listening.chart_hz
    listening.desk.dial(10.004e6)
    assert (ask(), listening.listening.chart_hz) == (begun, picture)
    listening.desk.dial(10.05e6)
    assert ask() == begun
    assert listening.listening.chart_hz == pytest.approx(10.05e6)
    listening.desk.dial(14.1e6)
    assert ask() != begun
    listening.listening.zoom(+20)
    look = listening.live_receiver.tuner.requested
    assert look is not None
    assert look.middle_hz == look.requested.centre_hz
    assert listening.listening.half_span_hz == listening.desk.route.receiver.rate_hz / 2
    listening.listening.close()
    look = listening.live_receiver.tuner.requested
    assert look is not None
    assert look.middle_hz == listening.desk.route.counted_hz(14.1e6)


def test_spike_and_mirrors_are_taken_out_and_both_is_told(listening: Session) -> None:
    listening.desk.dial(96.2e6)
    listening.listening.clean(spike=True, mirrors=True)

    def spike_down_db() -> float:
        told = listening.listening.evidence
        if told is None or told.spike_before_dbfs is None or told.spike_after_dbfs is None:
            return 0.0
        return told.spike_before_dbfs - told.spike_after_dbfs

    # The evidence becomes firmer as what stands beside the centre averages out.
    until(listening, lambda: spike_down_db() > 50)
    told = listening.listening.evidence
    assert told is not None
    assert told.mirrors_before_db is not None
    assert told.mirrors_after_db is not None
    # Finch's branches are off by what makes 34 dB; a strong FM station on one side tells it.
    assert told.mirrors_before_db == pytest.approx(34.0, abs=5.0)
    assert told.mirrors_after_db > 60
    listening.listening.clean(spike=False, mirrors=False)
    assert listening.listening.evidence is None


def test_edges_steps_and_squelch_keep_to_what_makes_sense(listening: Session) -> None:
    own = listening.listening
    own.set_edges(-3_000.0, 2_500.0)
    assert (own.settings.low_hz, own.settings.high_hz) == (-3_000.0, 2_500.0)
    own.set_edges(0.0, 100.0)
    assert own.settings.high_hz == 2_500.0
    listening.desk.dial(10_000_400.0)
    own.step(+1)
    assert listening.desk.station.dial_hz == 10_001_000.0
    own.step(-2)
    assert listening.desk.station.dial_hz == 9_999_000.0
    until(listening, lambda: own.level_dbfs is not None)
    own.squelch_here(True)
    until(listening, lambda: not own.squelch_open)
    own.squelch_here(False)
    until(listening, lambda: own.squelch_open)


def test_on_a_route_that_inverts_the_sidebands_change_sides() -> None:
    station = demo_station()
    straight, inverted = station.resolve("Long wire over Ladder"), station.resolve("Hearth's IF output")
    usb = DEMODULATIONS["usb"].settings()
    assert turned(usb, straight) == usb
    assert turned(usb, inverted) == msgspec.structs.replace(usb, demodulation="lsb", low_hz=-2_800.0, high_hz=-200.0)


def test_what_is_heard_is_kept_whole_or_not_at_all(listening: Session, tmp_path: Path) -> None:
    recorder = listening.listening.recorder
    with pytest.raises(NotWritten, match="cannot write"):
        recorder.record_sound(tmp_path / "nowhere" / "a.wav", 48_000.0)
    recorder.record_sound(tmp_path / "heard", 48_000.0)
    assert not (tmp_path / "heard.wav").exists()
    until(listening, lambda: (kept := recorder.sound) is not None and kept.seconds_s > 1.0)
    recorder.stop_recording_sound()
    sound, rate_hz = soundfile.read(tmp_path / "heard.wav")
    assert rate_hz == 48_000
    assert sound.size > 48_000
    assert np.std(sound) > 0.01
    assert "heard.wav" in listening.log.shown()[0].text
    with pytest.raises(NotWritten, match="there already"):
        recorder.record_sound(tmp_path / "heard.wav", 48_000.0)
    assert [path.name for path in tmp_path.glob("*heard*")] == ["heard.wav"]


def test_a_stated_level_calibrates_and_holds_over_gains_and_undo(listening: Session) -> None:
    own = listening.listening
    with pytest.raises(BadLevel, match="nothing is heard"):
        own.calibrate("-80 dBm")
    until(listening, lambda: own.level_dbfs is not None and listening.live_receiver.picture.recent()[0].size > 0)
    with pytest.raises(BadLevel, match="no level"):
        own.calibrate("loud")
    own.calibrate("S8")
    known = own.level()
    assert known is not None
    # S8 under 30 MHz is 6 dB under -73 dBm.
    assert known[0].dbm == pytest.approx(-79.0, abs=1e-9)
    assert known[1] == 1.0
    listening.levels.set_gain("gain", 33.4)
    own.level_dbfs = None
    until(listening, lambda: own.level_dbfs is not None)
    for _ in range(200):
        listening.poll()
    other = own.level()
    assert other is not None
    # 7.9 dB more gain, the same station: as stated, with the step's own half decibel in the uncertainty.
    assert other[0].dbm == pytest.approx(-79.0, abs=1.0)
    assert other[1] == pytest.approx(1.25**0.5)
    listening.undo()
    listening.undo()
    assert own.level() is None


@pytest.mark.wide
def test_the_raster_is_the_bands_and_places_one_stays_at_are_remembered(listening: Session) -> None:
    own = listening.listening

    def heard() -> list[tuple[float, str]]:
        return [(place.dial_hz, place.settings.demodulation) for place in own.lately_heard.places]

    for dial_hz, demodulation, wanted_hz in (
        (1_001_300.0, "am", 999_000.0),
        (6_158_700.0, "am", 6_160_000.0),
        (145_206_000.0, "nfm", 145_200_000.0),
        (96_240_000.0, "wfm", 96_200_000.0),
    ):
        listening.desk.dial(dial_hz)
        own.choose_demodulation(demodulation)  # type: ignore[arg-type]
        own.snap_to_raster()
        assert listening.desk.station.dial_hz == pytest.approx(wanted_hz, abs=1e-6)
        # A channel of 240 kHz does not go into a picture of 20; of the narrow ones all do.
        assert own.half_span_hz == (5e5 if demodulation == "wfm" else 1e4)
    own.set_edges(-90_000.0, 110_000.0)
    until(listening, lambda: heard() == [(96.2e6, "wfm")])
    # The near broadcaster fills the converter at this gain.
    (too_strong,) = (found for found in findings(listening) if found.what.startswith("Listen"))
    assert (too_strong.fix, too_strong.fix_label) == (GoTo("Levels"), "Go to Levels")
    listening.desk.dial(10e6)
    own.choose_demodulation("sam")
    until(listening, lambda: heard() == [(10e6, "sam"), (96.2e6, "wfm")])
    own.go_back(1)
    assert (listening.desk.station.dial_hz, own.settings.demodulation) == (96.2e6, "wfm")
    # The filter is the one that was used there.
    assert (own.settings.low_hz, own.settings.high_hz) == (-90_000.0, 110_000.0)
