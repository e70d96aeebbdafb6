"""The dead man's handle: in virtual time by random sequences, and in its own process."""

import subprocess
import sys
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

import rig_keying as campaign
from yarddial.drivers.rig.dead_mans_handle import MAX_KEYED_S, VALID_S, DeadMansHandle
from yarddial.drivers.rig.key_handle import GuardedKey
from yarddial.drivers.rig.stand_in import StandIn


def test_no_sequence_leaves_a_transmitter_keyed() -> None:
    results = [campaign.sequence(seed) for seed in range(60)]
    assert max(over_s for over_s, _, _ in results) <= campaign.BOUND_S
    assert max(longest_s for _, longest_s, _ in results) <= MAX_KEYED_S + campaign.BOUND_S
    assert sum(times for *_, times in results) > 20, "a handle that never keys would pass too"


def receiving() -> DeadMansHandle:
    handle = DeadMansHandle()
    assert handle.order(0.0) is False, "the first order is to receive"
    handle.read_back(False, 0.0, 0.01)
    return handle


@given(st.floats(0.0, 2 * VALID_S), st.floats(0.0, 2.0))
def test_a_press_keys_only_while_it_is_renewed_and_never_comes_back(pause_s: float, later_s: float) -> None:
    handle = receiving()
    handle.hold(1, 1.0)
    assert handle.order(1.0) is True
    assert handle.order(1.0 + pause_s) is (None if pause_s < VALID_S else False)
    handle.let_go(1.0 + pause_s)
    handle.order(1.0 + pause_s)
    handle.read_back(False, 1.0 + pause_s, 1.01 + pause_s)
    handle.hold(1, 1.02 + pause_s + later_s)
    assert handle.order(1.02 + pause_s + later_s) is None, "that press is over"
    handle.hold(2, 1.03 + pause_s + later_s)
    assert handle.order(1.03 + pause_s + later_s) is True


def test_after_a_break_it_is_told_to_receive_until_it_says_so() -> None:
    handle = receiving()
    handle.hold(1, 1.0)
    handle.order(1.0)
    handle.lost(1.2)
    assert (handle.state, handle.may_transmit, handle.refusal) == ("unsure", True, "the link broke")
    # An answer to a question of before the break confirms nothing.
    handle.read_back(False, 1.1, 1.3)
    assert handle.may_transmit
    assert handle.order(2.0) is False
    handle.read_back(True, 2.0, 2.05)
    assert handle.order(2.2) is False, "it still transmits: told again"
    handle.hold(2, 2.25)
    assert handle.order(2.26) is None
    handle.read_back(False, 2.2, 2.3)
    assert (handle.state, handle.may_transmit) == ("receiving", False)


@pytest.mark.parametrize("round_trip_s", [0.01, 0.2])
def test_a_slow_link_is_not_keyed_over(round_trip_s: float) -> None:
    handle = receiving()
    handle.read_back(False, 1.0, 1.0 + round_trip_s)
    handle.hold(1, 1.5)
    assert (handle.order(1.5) is True) == (round_trip_s < 0.15)
    assert ("too slow" in handle.refusal) == (round_trip_s > 0.15)


def test_a_window_that_is_killed_takes_its_key_off_the_air() -> None:
    rig = StandIn()
    try:
        words = [sys.executable, "-c", campaign.WINDOW, str(rig.port), "30"]
        window = subprocess.Popen(words, stdout=subprocess.PIPE)
        campaign.until(lambda: rig.transmitting, 10.0)
        assert rig.transmitting
        window.kill()
        killed_s = time.monotonic()
        assert campaign.until(lambda: not rig.transmitting, 5.0) - killed_s < 5.0
        assert not rig.transmitting
        window.wait()
        assert window.stdout is not None
        window.stdout.close()
    finally:
        rig.close()


def test_a_guard_that_is_killed_is_replaced_and_its_first_order_is_to_receive() -> None:
    rig = StandIn()
    key = GuardedKey("127.0.0.1", rig.port)
    try:
        campaign.until(lambda: key.state == "receiving", 10.0)
        key.hold()
        campaign.until(lambda: rig.transmitting, 5.0)
        assert rig.transmitting
        key._process.kill()
        campaign.until(lambda: key.state == "receiving" and not rig.transmitting, 10.0)
        assert not rig.transmitting
    finally:
        key.close()
        rig.close()


def test_while_nobody_can_confirm_it_a_key_counts_as_held_though_its_guard_was_replaced() -> None:
    rig = StandIn()
    key = GuardedKey("127.0.0.1", rig.port)
    try:
        campaign.until(lambda: key.state == "receiving", 10.0)
        key.hold()
        campaign.until(lambda: rig.transmitting, 5.0)
        rig.close()
        dead = key._process
        dead.kill()
        campaign.until(lambda: key.state == "unsure" and key._process is not dead and key._reported, 10.0)
        assert key._reported, "the new guard has spoken"
        assert key.may_transmit
    finally:
        key.close()


def test_no_hostile_table_or_address_is_taken(capsys: pytest.CaptureFixture[str]) -> None:
    assert campaign.hostile(), capsys.readouterr().out
