"""The best level is held for one place; a gain that was changed does not look like a better antenna."""

from hypothesis import given
from hypothesis import strategies as st

from yarddial.session.listening.peaking import SETTLING_S, Peaking

PIECE_S = 0.05


def heard(peaking: Peaking, levels_dbfs: list[float], place: object = "here", seconds_s: float = PIECE_S) -> None:
    """Pieces of sound at these levels."""
    for level_dbfs in levels_dbfs:
        peaking.take(level_dbfs, seconds_s, place)


def test_a_tuner_that_passes_its_peak_shows_how_far_it_is_past_it() -> None:
    peaking = Peaking()
    # Slowly up to -40 dBFS and down to -52, each held for two seconds: eight time constants.
    for level_dbfs in (-60.0, -50.0, -40.0, -46.0, -52.0):
        heard(peaking, [level_dbfs] * 40)
    assert peaking.best_dbfs is not None
    assert abs(peaking.best_dbfs + 40.0) < 0.05
    assert peaking.below_best_db is not None
    assert abs(peaking.below_best_db - 12.0) < 0.1


def test_nothing_counts_as_best_before_it_has_settled() -> None:
    peaking = Peaking()
    heard(peaking, [-10.0] * int(SETTLING_S / PIECE_S - 1))
    assert peaking.best_dbfs is None
    heard(peaking, [-10.0])
    assert peaking.best_dbfs is not None


def test_another_gain_or_dial_begins_anew() -> None:
    peaking = Peaking()
    heard(peaking, [-50.0] * 40, ("dial", 30.0))
    heard(peaking, [-60.0] * 40, ("dial", 20.0))
    assert peaking.below_best_db is not None
    assert peaking.below_best_db < 0.1
    peaking.restart()
    assert peaking.now_dbfs is None


@given(st.lists(st.floats(-120, 0), min_size=30, max_size=60))
def test_the_level_stays_within_what_was_heard_and_is_never_above_the_best(levels_dbfs: list[float]) -> None:
    peaking = Peaking()
    heard(peaking, levels_dbfs)
    now, below = peaking.now_dbfs, peaking.below_best_db
    assert now is not None
    assert min(levels_dbfs) - 1e-6 <= now <= max(levels_dbfs) + 1e-6
    assert below is not None
    assert below >= 0.0
