"""Dial and transceiver as one, over the whole session; the transceiver needs no thread."""

import itertools
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from job_yard import JobYard
from rig_yard import ScriptedKey, ScriptedRig
from yarddial.drivers.rig.protocol import SetRigFrequency, SetRigMode
from yarddial.session.rig.rig_control import FAILED_READINGS_TO_TELL
from yarddial.session.rig.rig_modes import demodulation_of, edges_of, rig_mode_of
from yarddial.session.rig.verdict import rig_verdict
from yarddial.session.rig.worker import Linked
from yarddial.session.session import Session
from yarddial.yard import clock
from yarddial.yard.demo import DIRECT, HEARTH_IF, VIA_HEARTH, VIA_LADDER
from yarddial.yard.frequency_conversion import dial_for_shown
from yarddial.yard.parts import Transceiver, Value
from yarddial.yard.resolved_route import ResolvedRoute


@pytest.fixture
def yard(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[JobYard]:
    """A session at 7.1 MHz over Hearth's IF, in whose clock a poll takes a tenth of a second."""
    seconds = itertools.count()
    monkeypatch.setattr(clock, "monotonic_s", lambda: next(seconds) * 0.02)
    made = JobYard(tmp_path)
    made.session.desk.choose_route(HEARTH_IF)
    made.session.desk.dial(7.1e6)
    yield made
    made.session.close()


def followed(yard: JobYard, rig: ScriptedRig | None = None) -> ScriptedRig:
    made = (rig or ScriptedRig()).join(yard.session)
    yard.session.rig.safety.acknowledge()
    assert yard.session.rig.follow()
    yard.polls(2)
    return made


def test_nothing_follows_before_the_power_was_looked_at(yard: JobYard) -> None:
    rig = ScriptedRig().join(yard.session)
    rig.turn(7.2e6)
    yard.polls(3)
    assert not yard.session.rig.follow()
    assert yard.session.desk.station.dial_hz == 7.1e6
    yard.session.rig.safety.acknowledge()
    assert yard.session.rig.follow()
    assert yard.session.desk.station.dial_hz == 7.2e6
    # Other numbers are other words: it has to be seen anew.
    hearth = yard.session.desk.station.part("Hearth")
    yard.session.desk.edit("isolation", yard.session.desk.station.with_part(
        msgspec.structs.replace(hearth, isolation_db=Value(48.0))))  # fmt: skip
    assert not yard.session.rig.safety.is_acknowledged


def test_each_follows_the_other_and_nothing_comes_back(yard: JobYard) -> None:
    rig = followed(yard)
    rig.turn(14.2e6)
    yard.polls(2)
    assert yard.session.desk.station.dial_hz == 14.2e6
    assert not [order for order in rig.orders if isinstance(order, SetRigFrequency)], "no echo"
    yard.session.desk.dial(14.305e6)
    yard.polls(3)
    assert rig.state.frequency_hz == 14.305e6
    yard.polls(20)
    assert len([order for order in rig.orders if isinstance(order, SetRigFrequency)]) == 1
    assert yard.session.rig.is_settled


def test_its_mode_and_pass_band_are_heard_and_ours_is_set(yard: JobYard) -> None:
    rig = followed(yard)
    yard.session.listening.open()
    rig.change(mode="CW", passband_hz=500.0)
    yard.polls(3)
    assert yard.session.desk.station.mode == "cw"
    assert (yard.session.listening.settings.low_hz, yard.session.listening.settings.high_hz) == (-250.0, 250.0)
    yard.session.listening.choose_demodulation("lsb")
    yard.polls(4)
    assert rig.state.mode == "LSB"
    yard.session.listening.set_edges(-2_900.0, -200.0)
    yard.polls(4)
    assert rig.state.passband_hz == 2_700.0
    assert len([order for order in rig.orders if isinstance(order, SetRigMode)]) == 2
    rig.change(mode="MODE7")
    yard.polls(3)
    assert "MODE7" in rig_verdict(yard.session.rig).consequence
    assert yard.session.desk.station.mode == "ssb"


def test_a_held_route_stays_and_a_place_beyond_the_transceiver_is_dialled_alone(yard: JobYard) -> None:
    rig = followed(yard)
    yard.session.desk.hold(True)
    rig.turn(21.3e6)
    yard.polls(2)
    assert (yard.session.desk.station.route, yard.session.desk.station.dial_hz) == (HEARTH_IF, 21.3e6)
    yard.session.desk.hold(False)
    yard.session.desk.dial(96.2e6)
    yard.polls(3)
    assert rig.state.frequency_hz == 21.3e6
    assert "alone" in rig_verdict(yard.session.rig).consequence


def test_one_key_leaves_it_and_one_brings_the_receiver_back(yard: JobYard) -> None:
    rig = followed(yard)
    assert yard.session.rig.toggle()
    yard.session.desk.choose_route(VIA_LADDER)
    yard.session.desk.dial(9.62e6)
    yard.polls(5)
    assert rig.state.frequency_hz == 7.1e6
    assert "stays on 7.100" in rig_verdict(yard.session.rig).sentence
    rig.turn(7.12e6)
    yard.polls(2)
    assert yard.session.desk.station.dial_hz == 9.62e6
    assert yard.session.rig.toggle()
    yard.polls(2)
    assert (yard.session.desk.station.route, yard.session.desk.station.dial_hz) == (HEARTH_IF, 7.12e6)


def test_while_it_transmits_nothing_is_heard_the_gains_are_least_and_work_ends(yard: JobYard) -> None:
    rig = followed(yard)
    session = yard.session
    session.desk.choose_route(VIA_HEARTH)
    session.rig.safety.acknowledge()
    session.listening.open()
    yard.settle()
    before = dict(yard.applied[-1][1].gains_db)
    rig.change(transmitting=True)
    yard.polls(4)
    lowest = {stage.name: min(stage.steps_db) for stage in session.desk.route.receiver.gain_stages}
    assert dict(yard.applied[-1][1].gains_db) == lowest != before
    assert session.listening.is_muted
    assert session.rig.safety.worst() is not None
    yard.begin("measurement")
    rig.change(transmitting=False)
    yard.polls(4)
    assert dict(yard.applied[-1][1].gains_db) == before
    assert not session.listening.is_muted


def test_a_state_that_is_not_told_is_unknown_and_said(yard: JobYard) -> None:
    followed(yard, ScriptedRig(msgspec.structs.replace(ScriptedRig().state, transmitting=None)))
    assert "does not tell whether it transmits" in rig_verdict(yard.session.rig).consequence


def weaken(session: Session, isolation_db: float) -> None:
    """Let more of the power through at the transceiver's outputs."""
    hearth = session.desk.station.part("Hearth")
    edited = msgspec.structs.replace(hearth, isolation_db=Value(isolation_db))
    session.desk.edit("isolation", session.desk.station.with_part(edited))


def test_the_receiver_stays_off_where_the_power_would_harm_it(yard: JobYard) -> None:
    session = yard.session
    yard.settle()
    assert session.live_receiver.running
    weaken(session, 20.0)
    ScriptedRig().join(session)
    yard.polls(2)
    assert not session.live_receiver.wanted, "+30 dBm into an input that takes +10"
    session.toggle_receiver()
    yard.polls(2)
    assert not session.live_receiver.running
    assert "20 dB too much" in session.live_receiver.trouble
    assert rig_verdict(session.rig).mark == "stop"
    session.desk.choose_route(DIRECT)
    session.desk.dial(96.2e6)
    session.toggle_receiver()
    yard.settle()
    assert session.live_receiver.running, "another route is safe"
    session.desk.choose_route(HEARTH_IF)
    session.desk.dial(7.1e6)
    yard.polls(3)
    assert not session.live_receiver.running, "the points were set for the one that is not"
    session.rig.unlink()
    session.toggle_receiver()
    yard.settle()
    assert session.live_receiver.running, "let go, it is the person's own affair"


def test_faults_pause_it_in_a_sentence_and_it_goes_on_by_itself(yard: JobYard) -> None:
    rig = followed(yard)
    rig.is_silent = True
    yard.polls(FAILED_READINGS_TO_TELL + 1)
    assert "no answer" in rig_verdict(yard.session.rig).consequence
    assert not yard.session.rig.is_following
    yard.session.desk.dial(7.15e6)
    rig.turn(7.16e6)
    rig.is_silent = False
    yard.polls(3)
    assert yard.session.rig.is_following
    assert yard.session.desk.station.dial_hz == rig.state.frequency_hz == 7.16e6, "the transceiver is believed"
    rig.lose()
    yard.session.rig._take(rig._news.pop())
    assert "broke" in rig_verdict(yard.session.rig).consequence
    rig._news.append(type(rig)()._news[0])
    yard.polls(3)
    assert yard.session.rig.is_following
    rig.refuses = "the transceiver refused"
    yard.session.desk.dial(7.3e6)
    yard.polls(3)
    assert "refused" in rig_verdict(yard.session.rig).consequence
    assert yard.session.rig.is_settled


def test_a_display_that_jumps_by_itself_is_not_followed(yard: JobYard) -> None:
    rig = followed(yard)
    for number in range(6):
        rig.turn(7.1e6 + (5e3 if number % 2 else -5e3))
        yard.polls(1)
    assert "jumps" in rig_verdict(yard.session.rig).consequence
    yard.polls(200)
    assert yard.session.rig.is_following


def test_the_key_is_only_pressed_while_a_person_holds_it(yard: JobYard) -> None:
    rig = followed(yard)
    session = yard.session
    own = session.own_transmission
    assert "only you" in own.why_not(dummy_load=True, lowest_power=False)
    session.rig.roam()
    session.desk.choose_route(VIA_HEARTH)
    session.rig.is_wanted = session.rig.is_roaming = False
    session.rig.safety.acknowledge()
    assert own.begin(dummy_load=True, lowest_power=True) == ""
    yard.polls(3)
    assert "hold" not in rig.key_calls
    own.press()
    yard.polls(2)
    assert rig.state.transmitting
    assert not session.listening.is_muted, "this one is to be heard"
    own.let_go()
    yard.polls(2)
    assert not rig.state.transmitting
    assert "let go" in own.trouble
    own.press()
    yard.polls(1)
    session.jobs.cancel_all()
    yard.polls(2)
    assert not rig.state.transmitting, "whatever ends it lets the key go"


def test_a_broken_link_ends_the_press_and_nothing_is_keyed_when_it_is_back(yard: JobYard) -> None:
    rig = followed(yard)
    own = yard.session.own_transmission
    yard.session.rig.safety.acknowledge()
    assert own.begin(dummy_load=True, lowest_power=True) == ""
    yard.polls(3)
    own.press()
    yard.polls(3)
    assert rig.key_calls[-1] == "hold"
    rig.lose()
    yard.polls(2)
    assert rig.key_calls[-1] == "let go"
    assert "broke" in own.trouble
    # Pressed while it is away, and let go again: when it is back nothing is owed to it.
    own.press()
    own.let_go()
    rig._news.append(Linked())
    calls = len(rig.key_calls)
    yard.polls(20)
    assert "hold" not in rig.key_calls[calls:]


def test_a_key_that_is_not_confirmed_as_released_stands_before_everything(yard: JobYard) -> None:
    rig = followed(yard)
    own = yard.session.own_transmission
    yard.session.rig.safety.acknowledge()
    own.begin(dummy_load=True, lowest_power=True)
    yard.polls(3)
    own.press()
    yard.polls(3)
    key = yard.session.rig.key.handle
    assert isinstance(key, ScriptedKey)
    # The guard has ordered it to receive, and no answer came.
    key.let_go = lambda: None  # type: ignore[method-assign]
    rig.lose()
    key.state = "unsure"
    yard.polls(2)
    first = yard.session.overview.state.findings[0]
    assert (first.mark, first.what) == ("stop", "Hearth may be transmitting: switch it off by hand")
    yard.session.rig.unlink()
    yard.polls(2)
    assert yard.session.overview.state.findings[0].what == first.what, "leaving the link confirms nothing"
    followed(yard)
    yard.session.rig.safety.acknowledge()
    why = yard.session.own_transmission.begin(dummy_load=True, lowest_power=True)
    assert why == "Hearth has not said yet that it receives", "a former key is not used for a new link"
    yard.session.rig.unlink()
    key.state, key.may_transmit = "receiving", False
    yard.polls(2)
    assert all("may be transmitting" not in finding.what for finding in yard.session.overview.state.findings)


@settings(deadline=None, max_examples=150)
@given(
    st.floats(4e6, 75e6), st.sampled_from((1, -1)), st.floats(-3e3, 3e3), st.floats(1.8e6, 30e6),
    st.floats(-20e3, 20e3), st.booleans(),
)  # fmt: skip
def test_over_the_if_a_place_beside_the_display_is_where_the_formula_has_it(
    if_hz: float, sense: int, offset_hz: float, display_hz: float, away_hz: float, is_lower: bool
) -> None:
    rig = Transceiver("T", "if", 1e5, 3e7, if_hz=if_hz, sense=1 if sense > 0 else -1, offsets_hz={"ssb": offset_hz})
    m = rig.offset_hz("ssb", is_lower=is_lower)
    base = ResolvedRoute.unfinished("x", display_hz, "")
    line = msgspec.structs.replace(base, inner=(rig,), rig_centre_hz=display_hz + m, dial_hz=display_hz + away_hz)
    # What the receiver would have to show, by dial = f_rig + s (f_shown - f_IF) + m solved for f_shown.
    shown_hz = if_hz + sense * (display_hz + away_hz - display_hz - m)
    assert dial_for_shown(shown_hz, line.stages) == pytest.approx(display_hz + away_hz, abs=1e-3)
    assert line.points()[-1].out_hz == pytest.approx(shown_hz, abs=1e-3)
    assert m == (-offset_hz if is_lower else offset_hz)


def test_modes_and_ways_are_each_others() -> None:
    keys = {
        "USB": "ssb",
        "LSB": "ssb",
        "AM": "am",
        "CW": "cw",
        "FM": "nfm",
        "WFM": "wfm",
        "RTTY": "fsk",
        "PKTLSB": "data",
    }
    for mode, key in keys.items():
        assert rig_mode_of(key, demodulation_of(mode)) == mode
    assert edges_of("usb", 2_400.0) == (300.0, 2_700.0)
    assert edges_of("lsb", 2_400.0) == (-2_700.0, -300.0)
    assert edges_of("nfm", 15_000.0) is None
