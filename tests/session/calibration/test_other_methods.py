"""Truing without measuring a carrier: readings, tones, rasters, files, own transmitter; what is followed live."""

from pathlib import Path

import pytest

from waiting import until
from yarddial.analysis.blind.raster_fit import BlindAnswer, heard_upright
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.dsp.frequency_modulation import Pilot
from yarddial.engine.events import NotMeasured, RecordingState
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard.errors import BadObservations
from yarddial.yard.station import Reference


def trued(session: Session) -> None:
    """Measure the standard through the converter and enter the shift."""
    session.calibration.measure()
    until(session, lambda: session.calibration.measuring is None)
    session.calibration.apply()


def test_a_tone_heard_in_three_ways_gives_the_error_that_the_world_has(session: Session) -> None:
    trued(session)
    session.desk.dial(3.215e6)
    session.live_methods.hear_tone(1_000.0)
    assert "heard" in session.calibration.why_not_measure()
    until(session, lambda: not session.live_methods.running)
    assert session.live_methods.trouble == ""
    assert session.calibration.why_not_measure() == ""
    work = session.live_methods.work
    assert work is not None
    told = work()
    session.other_methods.take_tone(told, session.live_methods.heard_at_hz)  # type: ignore[arg-type]
    seen = session.calibration.observations[-1]
    # The station itself is 1 Hz high, and its sky-wave swings by a tenth.
    truth_hz = true_dial_error_hz(quillet_world(), session.desk.route, 3.215e6)
    assert seen.error_hz == pytest.approx(truth_hz + 1.0, abs=0.15)
    assert session.log.shown()[0].method == "tone"


@pytest.mark.double_rate
def test_a_scan_of_the_medium_wave_trues_the_dial_by_its_raster(session: Session) -> None:
    trued(session)
    session.desk.dial(1.134e6)
    session.live_methods.scan()
    until(session, lambda: not session.live_methods.running)
    assert session.live_methods.trouble == ""
    work = session.live_methods.work
    assert work is not None
    told = work()
    assert isinstance(told, BlindAnswer)
    # The dial was measured, which places the cell; nobody heard the sense.
    assert (told.decided, told.is_likely, told.assumed) == (False, True, ("sense",))
    session.other_methods.take_raster(told)
    seen = session.calibration.observations[-1]
    truth_hz = true_dial_error_hz(quillet_world(), session.desk.route, seen.dial_hz)
    assert seen.error_hz == pytest.approx(truth_hz, abs=4 * seen.sigma_hz)
    assert seen.reference_name == "raster of 9 kHz, sense assumed"
    assert heard_upright(told).decided


def test_a_scan_that_was_cut_short_is_not_judged(session: Session) -> None:
    """Seven hundredths of it came, whatever ended it."""
    session.desk.dial(1.134e6)
    session.live_methods.scan()
    (lease,) = session.jobs.leases
    session.live_methods.take(RecordingState("x", 0.5, True, "", job=lease.id, id=1))
    assert session.live_methods.work is None
    assert "only 0.5 s of 8 s came" in session.live_methods.trouble


@pytest.mark.parametrize(("is_silent", "judged"), [(True, True), (False, False)])
def test_only_a_whole_look_counts_as_no_leak_seen(session: Session, *, is_silent: bool, judged: bool) -> None:
    session.desk.dial(10e6)
    session.lo_leak_scan.start([120e6])
    session.lo_leak_scan.take(NotMeasured("nothing stands out", is_silent))
    assert (session.lo_leak_scan.answer is not None, bool(session.lo_leak_scan.trouble)) == (judged, not judged)


def test_an_antenna_that_is_said_to_be_off_must_be_silent(session: Session) -> None:
    session.desk.dial(10e6)
    session.lo_leak_scan.start([120e6], antenna_off=True)
    until(session, lambda: bool(session.lo_leak_scan.trouble))
    assert "the antenna is not off" in session.lo_leak_scan.trouble
    assert session.lo_leak_scan.answer is None


def test_a_known_station_that_must_be_silent_is_looked_for_before_the_leaks(session: Session) -> None:
    session.desk.dial(10e6)
    session.lo_leak_scan.start([120e6], antenna_off=True)
    session.lo_leak_scan.take(NotMeasured("nothing stands out", is_silent=True))
    assert session.lo_leak_scan.answer is None
    session.lo_leak_scan.take(NotMeasured("nothing stands out", is_silent=True))
    assert session.lo_leak_scan.answer is not None


@pytest.mark.double_rate
def test_a_stereo_pilot_tells_the_clock_whatever_the_converter_does(session: Session) -> None:
    session.desk.dial(96.2e6)
    session.live_methods.hear_pilot()
    assert "pilot" in session.calibration.why_not_measure()
    until(session, lambda: not session.live_methods.running)
    assert (session.live_methods.trouble, session.live_methods.gathered) == ("", "pilot")
    work = session.live_methods.work
    assert work is not None
    told = work()
    assert isinstance(told, Pilot)
    # The simulated station's pilot is exact, and the crystal clocks the samples.
    true_ppm = quillet_world().crystal_ppm
    assert told.clock_ppm == pytest.approx(true_ppm, abs=4e6 * told.sigma_hz / 19_000 + 0.01)
    with pytest.raises(BadObservations, match="above 0"):
        session.other_methods.take_pilot(told, 0.0)
    # By the rule it tells next to nothing, and that is said.
    session.other_methods.take_pilot(told, 0.7)
    assert session.calibration.state().sigma_hz > 1_000
    assert any(one.what.startswith("True: the dial is known to") for one in findings(session))
    session.calibration.forget()
    # Believed to a thousandth of a hertz, it gives the crystal alone.
    session.other_methods.take_pilot(told, 1e-3)
    fit = session.calibration.fit
    assert fit is not None
    crystal = fit.estimate("crystal:Finch")
    assert crystal is not None
    assert crystal.value == pytest.approx(true_ppm, abs=4 * crystal.sigma)
    assert crystal.sigma == pytest.approx(1e6 * (1e-6 + told.sigma_hz**2) ** 0.5 / 19_000, rel=0.1)
    assert session.log.shown()[0].method == "stereo pilot"


def test_turning_the_dial_ends_what_is_gathered_and_says_so(session: Session) -> None:
    session.live_methods.scan()
    session.poll()
    session.desk.dial(5e6)
    until(session, lambda: not session.live_methods.running)
    assert "dial" in session.live_methods.trouble
    assert session.live_methods.work is None
    assert not session.jobs.leases


def test_observations_go_into_a_file_and_come_back_as_they_were(session: Session, tmp_path: Path) -> None:
    with pytest.raises(BadObservations, match="nothing was measured"):
        session.other_methods.write_file(tmp_path / "none.csv")
    session.other_methods.read_dial("9.996 933 MHz ± 3 Hz")
    session.desk.dial(145.2e6)
    session.other_methods.read_dial("145.196 059 MHz ± 3 Hz")
    before = session.calibration.fit
    assert before is not None
    assert session.other_methods.write_file(tmp_path / "all.csv") == 2
    session.calibration.forget()
    assert session.other_methods.read_file(tmp_path / "all.csv") == 2
    after = session.calibration.fit
    assert after is not None
    assert after.observations == before.observations
    assert [e.value for e in after.estimates] == pytest.approx([e.value for e in before.estimates])


def test_a_row_that_names_no_parts_counts_for_the_active_route(session: Session, tmp_path: Path) -> None:
    rows = "reference_hz,reference_sigma_hz,measured_hz,sigma_hz,through\n10M,0.3,9996933,1,sum:120M\n"
    (tmp_path / "rows.csv").write_text(rows)
    assert session.other_methods.read_file(tmp_path / "rows.csv") == 1
    (seen,) = session.calibration.observations
    assert seen.stages[0].name == "Ladder"
    assert seen.receiver == "Finch"
    session.desk.dial(145.2e6)
    with pytest.raises(BadObservations, match="switch to the route"):
        session.other_methods.read_file(tmp_path / "rows.csv")


def test_own_references_are_kept_and_taken_back_and_the_airband_is_refused(session: Session) -> None:
    count = len(session.desk.station.references)
    session.other_methods.state_own_transmitter("Hearth", "145.5 MHz")
    assert session.calibration.reference() is not None
    reference = session.desk.station.references[-1]
    # Two parts per million of 145.5 MHz.
    assert reference.sigma_hz == pytest.approx(291.0)
    session.other_methods.drop_reference(reference)
    assert len(session.desk.station.references) == count
    session.undo()
    assert session.desk.station.references[-1] == reference
    for bad in (Reference("Tower", 124.35e6, 10.0, "airband"), Reference("", 5e6, 1.0, "beacon")):
        with pytest.raises(BadObservations):
            session.other_methods.keep_reference(bad)


def test_the_crystal_is_followed_by_a_station_in_the_span(session: Session) -> None:
    session.crystal_follower.follow(True)
    assert session.crystal_follower.sentence() == "The receiver is off."
    trued(session)
    session.desk.dial(145.2e6)
    session.calibration.measure()
    until(session, lambda: session.calibration.measuring is None)
    session.calibration.apply()
    until(session, lambda: session.crystal_follower.crystal_ppb is not None)
    following = session.crystal_follower
    assert following.reference is not None
    assert following.reference.name == "Harbour pilot carrier"
    truth_ppb = 1e3 * quillet_world().crystal_ppm
    # The pilot's own uncertainty of 0.5 Hz is 3.4 ppb of 145.2 MHz.
    assert following.sigma_ppb == pytest.approx(3.44, abs=0.2)
    assert following.crystal_ppb == pytest.approx(truth_ppb, abs=3 * following.sigma_ppb)
    assert "ppb by Harbour pilot" in following.sentence()
    session.desk.dial(96.2e6)
    until(session, lambda: following.reference is None)
    assert following.sentence() == "No known station stands in the span."
