"""Gain advised from a sweep: against made-up receivers whose best is known, and on the running simulated one."""

from math import log10

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from waiting import until
from yarddial.analysis.levels.advice import NEAR_BEST_DB, advise
from yarddial.analysis.levels.best_setting import judged_db
from yarddial.analysis.levels.measured_setting import GainPoint
from yarddial.session.levels.verdict import levels_verdict
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard.errors import BadSamples

STEPS_DB = tuple(float(k) for k in range(0, 50, 2))
WIDTH_HZ = 10_000.0


def swept(incoming_db: float, converter_db: float, signal_db: float | None, full_from_db: float) -> list[GainPoint]:
    """Steps of a receiver by its formula: converter noise that stays, incoming noise and signal that rise with gain."""
    steps = []
    for gain_db in STEPS_DB:
        floor = 10 ** (converter_db / 10) + 10 ** ((incoming_db + gain_db) / 10)
        signal = 0.0 if signal_db is None else 10 ** ((signal_db + gain_db) / 10)
        is_full = gain_db >= full_from_db
        channel = floor * WIDTH_HZ + (min(signal, 1.0) if is_full else signal)
        # A full converter spreads products over everything.
        floor = floor * (100.0 if is_full else 1.0)
        steps.append(GainPoint(gain_db, 10 * log10(floor), 10 * log10(channel), WIDTH_HZ, 0.01 if is_full else 0.0))
    return steps


@given(st.floats(-150, -110), st.floats(-130, -100), st.floats(-90, -45), st.floats(10, 60))
def test_the_advised_gain_is_the_least_near_the_best_that_does_not_bend(
    incoming_db: float, converter_db: float, signal_db: float, full_from_db: float
) -> None:
    steps = swept(incoming_db, converter_db, signal_db, full_from_db)
    able = [step for step in steps if step.gain_db < full_from_db]
    # By the formula, not by the steps: signal over both noises in the channel.
    over = {
        g: signal_db + g - 10 * log10((10 ** (converter_db / 10) + 10 ** ((incoming_db + g) / 10)) * WIDTH_HZ)
        for g in (step.gain_db for step in able)
    }
    best = max(over.values())
    if abs(best - 3.0) < 0.1:
        return
    found = advise(steps)
    assert found.by == ("signal" if best > 3.0 else "noise")
    assert found.gain_db < full_from_db
    if found.by == "signal":
        assert over[found.gain_db] >= best - NEAR_BEST_DB - 1e-6
        lower = [g for g in over if g < found.gain_db]
        assert all(over[g] < best - NEAR_BEST_DB + 1e-6 for g in lower)


def test_noise_alone_is_judged_by_who_makes_the_floor() -> None:
    """Converter at -110, incoming -130 at 0 dB: it adds half a decibel from where incoming is 9.1 dB over it."""
    found = advise(swept(-130.0, -110.0, None, 99.0))
    assert (found.by, found.gain_db) == ("noise", 30.0)
    never = advise(swept(-180.0, -110.0, None, 99.0))
    assert never.taken_over_db is None
    assert never.gain_db == STEPS_DB[-1]
    with pytest.raises(BadSamples, match="three or more"):
        advise(swept(-130.0, -110.0, None, 99.0)[:2])
    with pytest.raises(BadSamples, match="attenuator"):
        advise(swept(-130.0, -110.0, -40.0, -1.0))


def test_a_sweep_on_the_running_receiver_sets_the_gain_back_and_its_advice_can_be_used(session: Session) -> None:
    session.desk.dial(96.2e6)
    session.desk.choose_mode("wfm")
    session.toggle_receiver()
    while not session.live_receiver.is_tuned:
        session.poll()
    levels = session.levels
    levels.sweep("gain")
    assert levels.why_not_sweep() == "a sweep is under way"
    while levels.fraction is not None:
        session.poll()
    assert levels.trouble == ""
    assert [step.gain_db for step in levels.steps] == list(levels.stages[0].steps_db)
    advice = levels.advice
    assert advice is not None
    # The station is so strong that Finch is full well below where its gain stands, 25.5 dB.
    assert advice.bent_from_db is not None
    assert advice.gain_db < advice.bent_from_db < 26.0
    unbent = [step for step in levels.steps if step.gain_db < advice.bent_from_db]
    rises = np.diff([step.channel_dbfs for step in unbent]) - np.diff([step.gain_db for step in unbent])
    assert np.abs(rises).max() < 0.6
    assert session.log.shown()[0].kind == "levels"
    levels.use()
    look = session.live_receiver.tuner.requested
    assert look is not None
    assert look.requested.gains_db == (("gain", advice.gain_db),)
    session.undo()
    assert levels.stages[0].set_db == 25.5


def test_a_cancelled_sweep_says_so_and_advises_nothing(session: Session) -> None:
    assert "Space" in session.levels.why_not_sweep()
    session.toggle_receiver()
    while not session.live_receiver.is_tuned:
        session.poll()
    session.levels.sweep("gain")
    while len(session.levels.steps) < 3:
        session.poll()
    session.levels.cancel()
    while session.levels.fraction is not None:
        session.poll()
    assert session.levels.trouble == "cancelled"
    assert session.levels.advice is None


def test_below_a_step_of_the_converter_nothing_follows_and_that_is_no_bending(session: Session) -> None:
    """Northmark Time at Finch's least gains is smaller than one of its 8-bit steps."""
    session.toggle_receiver()
    while not session.live_receiver.is_tuned:
        session.poll()
    session.levels.sweep("gain")
    while session.levels.fraction is not None:
        session.poll()
    advice, steps = session.levels.advice, session.levels.steps
    assert advice is not None
    # Only at the very top do products of what is strong beside the span reach it.
    assert advice.bent_from_db is None or advice.bent_from_db > 45.0
    best = max(step.over_db for step in steps)
    assert advice.over_db is not None
    assert advice.over_db > best - 1.0
    assert 15.0 < advice.gain_db < 40.0


def test_noise_along_a_route_is_carried_part_by_part(session: Session) -> None:
    """Long wire over Ladder at 10 MHz, rural, 9 kHz: by hand; a long end-fed wire usually loses 5 dB."""
    line = session.levels.level_line()
    assert line is not None
    fa = 10 ** ((67.2 - 27.7) / 10)
    source = 10 ** (-173.98 / 10) * 9_000.0
    own = ((10**0.02 - 1) * 10**-0.02 + 10**0.8 - 1) * 10**-0.15 + 10**0.6 - 1
    outside = fa * 10**-0.5 * 10**-0.17
    assert [plate.name for plate in line.plates] == ["Patch", "Ladder", "Finch"]
    assert line.plates[-1].floor_dbm == pytest.approx(10 * log10((own + outside) * source), abs=0.01)
    assert line.over_db == pytest.approx(10 * log10(outside / own), abs=0.01)
    # So much attenuation in front makes own noise A times as strong against the signal.
    spare = 10 ** (line.to_spare_db / 10)
    assert 10 * log10((fa + spare * fa / 10 ** (line.over_db / 10)) / (fa + fa / 10 ** (line.over_db / 10))) == (
        pytest.approx(1.0, abs=1e-6)
    )
    assert (line.noisiest, line.soonest_bent, line.assumed) == (
        "Ladder",
        "Finch",
        ("Long wire: −5 dB against one without loss",),
    )
    session.levels.choose_surroundings("quiet")
    quiet = session.levels.level_line()
    assert quiet is not None
    assert quiet.over_db < line.over_db


def test_a_weighing_begins_by_itself_changes_nothing_and_when_cut_short_says_nothing(session: Session) -> None:
    session.toggle_receiver()
    while not session.live_receiver.is_tuned:
        session.poll()
    levels = session.levels
    before = session.live_receiver.tuner.requested
    levels.weigh()
    assert levels.running_purpose == "weigh"
    session.desk.dial(10.001e6)
    while levels.running_purpose is not None:
        session.poll()
    assert levels.trouble == ""
    session.desk.dial(10e6)
    while not session.live_receiver.is_tuned:
        session.poll()
    levels.weigh()
    while levels.running_purpose is not None:
        session.poll()
    line = levels.level_line()
    assert line is not None
    assert line.seen is not None
    # Nothing is calibrated: dBm come from the noise that should be there, as the line itself carries it.
    assert line.seen.sigma_db == 6.0
    assert line.plates[-2].floor_dbm == pytest.approx(leveling_noise_dbm(session), abs=0.01)
    look = session.live_receiver.tuner.requested
    assert look is not None
    assert before is not None
    assert look.requested.gains_db == before.requested.gains_db
    # It is known now: nothing more is measured.
    levels.weigh()
    assert levels.running_purpose is None


@pytest.mark.wide
def test_by_the_noise_full_scale_moves_with_the_gain_and_where_the_converter_hides_it_that_is_said(
    session: Session,
) -> None:
    levels = session.levels
    session.toggle_receiver()
    full_dbm = []
    for gain_db in (19.4, 30.1, 41.9, 2.7):
        levels.set_gain("gain", gain_db)
        until(session, lambda: not levels.why_not_sweep())
        levels.weigh()
        until(session, lambda: levels.running_purpose is None)
        line = levels.level_line()
        assert line is not None
        if line.seen is not None:
            full_dbm.append(line.seen.full_scale_dbm + gain_db)
    # Ten decibels more gain, and ten less fill the converter; with 2.7 dB next to nothing of the antenna reaches it.
    assert len(full_dbm) == 3
    assert max(full_dbm) - min(full_dbm) < 0.5
    assert line.is_hidden
    assert "raise the gain" in line.bottleneck
    verdict = levels_verdict(levels, session.desk)
    assert (verdict.mark, verdict.sentence) == ("look", "Gain 2.7 dB is too little.")
    assert any(found.what == "Levels: gain 2.7 dB is too little" for found in findings(session))


def leveling_noise_dbm(session: Session) -> float:
    """Noise at the receiver's socket by the sheets alone, in 9 kHz, rural, as in the test of the line above."""
    fa = 10 ** ((67.2 - 27.7) / 10)
    own = ((10**0.02 - 1) * 10**-0.02 + 10**0.8 - 1) * 10**-0.15 + 10**0.6 - 1
    return 10 * log10((own + fa * 10**-0.5 * 10**-0.17) * 10 ** (-173.98 / 10) * 9_000.0)


def test_with_one_stage_products_and_clipping_decide_too_and_automatic_gain_is_priced(session: Session) -> None:
    session.desk.dial(96.2e6)
    session.desk.choose_mode("wfm")
    session.toggle_receiver()
    while not session.live_receiver.is_tuned:
        session.poll()
    session.levels.sweep("gain")
    while session.levels.fraction is not None:
        session.poll()
    advice, setting = session.levels.advice, session.levels.setting
    assert advice is not None
    assert setting is not None
    assert (("gain", advice.gain_db),) == setting.gains_db == session.levels.advised()
    judged = dict(zip((s.gain_db for s in session.levels.steps), judged_db(session.levels.steps), strict=True))
    assert judged[advice.gain_db] >= max(judged.values()) - 0.5
    assert setting.automatic_costs_db >= 0
