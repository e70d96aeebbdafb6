"""Who moved last wins: sentences of the rules, each by itself; the long run is `proofs/rig_follow.py`."""

from yarddial.session.rig.following import MAX_TRIES, Following


def test_a_move_here_is_set_once_and_its_echo_moves_nothing() -> None:
    following = Following()
    assert following.rig_said(7e6, 0.0) == 7e6
    following.person_moved(7.05e6)
    assert following.to_set(0.0) == 7.05e6
    assert following.to_set(0.0) is None
    assert following.rig_said(7e6, 0.1) is None, "said before it was answered"
    following.was_answered(0.3)
    assert following.rig_said(7e6, 0.2) is None, "asked before it was answered"
    assert following.rig_said(7.05e6, 0.4) is None
    assert following.is_settled
    assert following.to_set(0.0) is None


def test_a_move_there_moves_the_dial_once_and_is_not_sent_back() -> None:
    following = Following()
    following.rig_said(7e6, 0.0)
    assert following.rig_said(7.1e6, 1.0) == 7.1e6
    assert following.rig_said(7.1e6, 2.0) is None
    assert following.to_set(0.0) is None


def test_of_two_moves_here_the_last_is_sent_when_the_first_is_answered_or_a_while_ago() -> None:
    following = Following()
    following.person_moved(7.01e6)
    assert following.to_set(0.0) == 7.01e6
    following.person_moved(7.02e6)
    assert following.to_set(0.0) is None
    following.was_answered(0.5)
    assert following.rig_said(7.01e6, 0.6) is None
    assert following.to_set(0.0) == 7.02e6
    following.person_moved(7.03e6)
    assert following.to_set(0.01) is None
    assert following.to_set(0.2) == 7.03e6


def test_a_setting_that_is_not_taken_is_tried_a_few_times_and_then_the_transceiver_is_believed() -> None:
    following = Following()
    following.rig_said(7e6, 0.0)
    following.person_moved(14e6)
    now_s, told = 1.0, None
    for _ in range(MAX_TRIES + 1):
        assert told is None
        assert following.to_set(0.0) == 14e6
        following.was_answered(now_s)
        told = following.rig_said(7e6, now_s + 0.7)
        now_s += 1.0
    assert told == 7e6
    assert following.is_settled


def test_its_step_is_learned_and_rounding_is_no_move() -> None:
    following = Following()
    for number, hertz in enumerate((7_000_010.0, 7_000_130.0, 7_001_170.0, 7_002_190.0)):
        following.rig_said(hertz, float(number))
    assert following.step_hz == 10.0
    following.person_moved(7_003_003.0)
    assert following.to_set(0.0) == 7_003_003.0
    following.was_answered(10.0)
    assert following.rig_said(7_003_000.0, 11.0) is None
    assert following.is_settled
