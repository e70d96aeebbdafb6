"""What a person says of a plug, held to what the receiver then receives: the demo's table really moves."""

from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest

from hand import Hand, hand_station
from waiting import until
from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.session.station.demo_table import DemoTable
from yarddial.yard.demo import VIA_HEARTH, VIA_LADDER


@pytest.fixture
def table(tmp_path: Path) -> DemoTable:
    return DemoTable(lambda: tmp_path / "table.json")


@pytest.fixture
def session(tmp_path: Path, table: DemoTable) -> Iterator[Session]:
    made = Session(
        hand_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "log.sqlite"), table=table
    )
    made.calibration.chosen_s = 1.0
    made.toggle_receiver()
    until(made, lambda: made.live_receiver.is_tuned)
    yield made
    made.close()


def check_of(session: Session) -> str:
    return session.desk.station.plugged[0].check


def test_a_turned_switch_is_confirmed_by_what_is_received_and_the_dial_is_back(
    session: Session, table: DemoTable
) -> None:
    session.desk.hold(True)
    session.desk.choose_route(VIA_HEARTH)
    Hand(session, table).obey()
    assert session.hands.moves()[0].sentence == "turn Patch to Hearth: it is being checked"
    until(session, lambda: not session.plug_check.running)
    assert (check_of(session), session.hands.moves()) == ("confirmed", ())
    assert session.plug_check.sentence == f"Northmark Time is received over {VIA_HEARTH}: it is connected"
    until(session, lambda: session.live_receiver.is_tuned)
    assert session.live_receiver.tuning is not None
    assert session.live_receiver.tuning.route == VIA_HEARTH


def test_a_switch_that_nobody_turned_is_found_out_and_asked_for_again(session: Session, table: DemoTable) -> None:
    session.desk.hold(True)
    session.desk.choose_route(VIA_HEARTH)
    hand = Hand(session, table, forgets=1)
    hand.obey()
    until(session, lambda: not session.plug_check.running)
    assert check_of(session) == "contradicted"
    wanted = f"Northmark Time is still received over {VIA_LADDER}: turn Patch to Hearth"
    assert session.plug_check.sentence == wanted
    session.poll()
    (finding,) = [finding for finding in session.overview.state.findings if finding.what.startswith("By hand")]
    assert finding.what == "By hand: turn Patch to Hearth: by what is received, it is not done"
    assert finding.why == wanted
    assert "by what is received" in session.calibration.why_not_measure()
    # Done at the second time.
    hand.obey()
    until(session, lambda: not session.plug_check.running)
    assert check_of(session) == "confirmed"


def test_without_any_antenna_nothing_is_confirmed_and_nothing_contradicted(session: Session, table: DemoTable) -> None:
    table.pull("Long wire", out=True)
    session.desk.hold(True)
    session.desk.choose_route(VIA_HEARTH)
    Hand(session, table).obey()
    until(session, lambda: not session.plug_check.running)
    assert check_of(session) == "unchecked"
    assert session.plug_check.sentence.startswith("Not checked: no known station is received")


def test_with_the_receiver_off_the_word_is_taken_and_said_to_be_unchecked(session: Session, table: DemoTable) -> None:
    session.toggle_receiver()
    session.desk.choose_route(VIA_HEARTH)
    Hand(session, table).obey()
    assert (check_of(session), session.hands.moves()) == ("unchecked", ())
    assert session.plug_check.sentence == "Not checked: the receiver is off"


def test_a_comparison_with_a_hand_that_forgets_twice_rests_on_turned_switches_alone(
    session: Session, table: DemoTable
) -> None:
    session.listening.open()
    own, hand = session.comparison, Hand(session, table, forgets=2)
    first, second = own.setups()[:2]
    own.start(first, second)
    stands: list[bool] = []

    def step() -> bool:
        hand.obey()
        tuning = session.live_receiver.tuning
        if tuning is not None and tuning.route in (VIA_LADDER, VIA_HEARTH) and not own.waits_for_hand:
            stands.append(tuning.route == (VIA_LADDER if table.state.patch == "Ladder" else VIA_HEARTH))
        return not own.running

    until(session, step)
    assert own.trouble == ""
    assert stands
    assert all(stands)
    # The hand was asked again for each move that it had only claimed.
    assert len(hand.moved) == len(own.pairs) + 2


@pytest.mark.parametrize(
    ("share", "next_step"),
    [(0.0, "its own menu is as it was before you set it"), (-1.0, "its own menu went the other way"), (1.0, "")],
)
def test_a_menu_that_a_person_says_to_have_set_is_measured_again(tmp_path: Path, share: float, next_step: str) -> None:
    """share : of the correction that the hand has really entered in the transceiver's menu."""
    table = DemoTable(lambda: tmp_path / "menu.json")
    # The transceiver of seed 4 is 1 ppm high, far more than a measurement's uncertainty.
    station = hand_station(seed=4)
    # Nobody turns its dial here: it stands at 10 MHz.
    references = tuple(r for r in station.references if r.frequency_hz != 5e6)
    station = msgspec.structs.replace(station, references=references)
    session = Session(
        station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "menu.sqlite"), table=table
    )
    session.calibration.chosen_s = 1.0
    hand, sequence = Hand(session, table), session.calibration_sequence

    def measure_all() -> str:
        until(session, lambda: not session.plug_check.running)
        sequence.start()
        until(session, lambda: (hand.obey(), not sequence.running)[1])
        sequence.ask_plan()
        until(session, lambda: not session.background.is_busy)
        return next(row for row in sequence.rows() if row.title == "Hearth reference").next_step

    first = measure_all()
    assert first.startswith("its own menu: set ")
    name = next(name for name in session.calibration.oscillators.names if name.startswith("rig:"))
    before_ppm = session.calibration.oscillators.value(name)
    known_ppm = session.calibration.oscillators.sigma(name)
    table.set_menu(-share * before_ppm * 10)
    sequence.menu_was_set("Hearth")
    for _ in range(50):
        session.poll()
    until(session, lambda: not session.background.is_busy)
    # It is not believed: what is known of the reference is as wide as before it was first measured.
    assert session.calibration.oscillators.sigma(name) > 3 * known_ppm
    last = measure_all()
    if next_step:
        assert last.startswith(f"{next_step}: set ")
    else:
        assert abs(session.calibration.oscillators.value(name)) < 0.1 * abs(before_ppm)
        assert "before you set" not in last
    session.close()
