"""What frees a channel of ghosts, by arithmetic done by hand beside it."""

from math import log10

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.ghosts.filters import filter_against
from yarddial.analysis.ghosts.inference import source_of
from yarddial.analysis.ghosts.prediction import predict
from yarddial.analysis.ghosts.remedies import Able, Remedy, SpanScene, WantedChannel, remedies
from yarddial.analysis.ghosts.scene import Ghost, ReceiverModel, Scene
from yarddial.yard.frequency_conversion import Stage
from yarddial.yard.strong import Strong

RATE_HZ, FLOOR_DBM, L_HZ = 2.048e6, -130.0, 120e6
LADDER = (Stage("sum", L_HZ, 0.0, "Ladder"),)
EVERYTHING = Able((1.024e6, 2.048e6, 2.56e6), tuple(float(n) for n in range(1, 25)), -140.0, own_lo=True)


def found(setting: SpanScene, dial_hz: float, kind: str, able: Able = EVERYTHING) -> dict[str, Remedy]:
    ghosts = predict(setting.scene, setting.centre_hz, setting.rate_hz, FLOOR_DBM)
    here = next(g for g in ghosts if g.kind == kind and abs(g.dial_hz - dial_hz) < 1.0)
    return {one.kind: one for one in remedies(setting, WantedChannel(dial_hz, 2_700.0), here, able)}


def setting_of(
    strong: tuple[Strong, ...], receiver: ReceiverModel, centre_hz: float, *, over: bool = False
) -> SpanScene:
    scene = Scene(strong, LADDER if over else (), receiver, None, 45.0 if over else None)
    return SpanScene(scene, centre_hz, RATE_HZ, FLOOR_DBM)


@given(
    st.floats(1e6, 1e9), st.floats(1e6, 1e9), st.floats(6.0, 70.0),
)  # fmt: skip
def test_a_filter_takes_what_is_needed_off_the_source_and_leaves_the_wanted_signal(
    wanted_hz: float, source_hz: float, needed_db: float
) -> None:
    part = filter_against(wanted_hz, source_hz, needed_db)
    if part is None:
        # Within half an octave nothing that hobbyists build is steep enough, or deep enough.
        assert 1 / 2.5 < source_hz / wanted_hz < 2.5 or needed_db > 40
        return
    loss_db = part.loss_db(np.array([wanted_hz, source_hz]))
    assert loss_db[1] >= needed_db
    assert loss_db[0] < 0.6


def test_a_low_pass_is_three_decibels_down_at_its_edge_and_falls_by_its_poles() -> None:
    part = filter_against(10e6, 124.35e6, 28.0)
    assert part is not None
    assert part.what == "low-pass"
    assert part.loss_db(np.array([part.high_hz]))[0] == pytest.approx(10 * log10(2))
    octaves = part.loss_db(np.array([8, 16]) * part.high_hz)
    assert octaves[1] - octaves[0] == pytest.approx(20 * part.poles * log10(2), abs=0.01)


def test_a_mirror_is_cured_by_the_centre_and_the_new_place_of_it_is_outside_the_channel() -> None:
    strong_hz, centre_hz = 14.25e6, 14.15e6
    setting = setting_of((Strong(strong_hz, -60.0, "S"),), ReceiverModel(mirror_db=35.0), centre_hz)
    mirror_hz = 2 * centre_hz - strong_hz
    able = found(setting, mirror_hz, "mirror")
    moved = able["centre"].setting
    assert abs(2 * moved.centre_hz - strong_hz - mirror_hz) > 1_350.0
    assert abs(mirror_hz - moved.centre_hz) < 0.4 * RATE_HZ
    # It falls as every true signal does: attenuation is no cure.
    assert "attenuator" not in able


def test_gain_is_taken_off_until_a_third_order_product_is_safely_under_the_floor_and_no_more() -> None:
    """2 P1 + P2 - 2 IIP3 = -50 - 25 - 2 (-15) ... falls by two for each decibel, and the floor rises a little."""
    iip3_dbm, p_dbm = -20.0, -53.0
    strong = (Strong(100.2e6, p_dbm, "A"), Strong(100.5e6, p_dbm, "B"))
    setting = setting_of(strong, ReceiverModel(iip3_dbm=iip3_dbm), 100.4e6)
    over_db = 3 * p_dbm - 2 * iip3_dbm - FLOOR_DBM
    able = found(setting, 99.9e6, "third order")
    outside_mw, inside_mw = 10 ** (FLOOR_DBM / 10) - 1e-14, 1e-14

    def ends_db(less_db: float) -> float:
        floor_dbm = 10 * log10(outside_mw + inside_mw * 10 ** (less_db / 10))
        return FLOOR_DBM + over_db - 2 * less_db - floor_dbm

    least_db = next(less for less in EVERYTHING.less_db if ends_db(less) <= -6.0)
    assert able["gain"].less_db == least_db
    assert able["gain"].over_db == pytest.approx(ends_db(least_db), abs=0.01) or able["gain"].over_db == -np.inf
    # In the span itself: neither centre nor rate moves it.
    assert not able.keys() & {"centre", "rate"}


def test_what_passes_a_converter_is_cured_before_it_or_by_another_oscillator() -> None:
    air_hz = 124.35e6
    setting = setting_of((Strong(air_hz, -30.0, "tower"),), ReceiverModel(), 4.1e6, over=True)
    able = found(setting, air_hz - L_HZ, "leak-through")
    assert set(able) == {"filter", "oscillator"}
    part = able["filter"].part
    assert part is not None
    over_db = -30.0 - 45.0 - FLOOR_DBM
    assert part.loss_db(np.array([air_hz]))[0] >= over_db + 3.0
    assert abs(air_hz - able["oscillator"].lo_hz - 4.35e6) > 1_350.0


def test_an_oscillator_that_the_receiver_cannot_follow_is_not_proposed() -> None:
    setting = setting_of((Strong(124.35e6, -30.0, "tower"),), ReceiverModel(), 4.1e6, over=True)
    only = Able(tunes=lambda hertz: hertz < 130e6, own_lo=True)
    # With 150 or 200 MHz the channel comes out above 130 MHz; 100 MHz lies among the stations of FM broadcasting.
    assert found(setting, 4.35e6, "leak-through", only)["oscillator"].lo_hz == 125e6


def test_the_channel_is_followed_where_another_oscillators_error_shows_it() -> None:
    """Forty ppm of 20 MHz less: the dial shows the same signal 800 Hz elsewhere."""
    setting = setting_of((Strong(124.35e6, -30.0, "tower"),), ReceiverModel(ppm=40.0), 4.1e6, over=True)
    ghosts = predict(setting.scene, 4.1e6, RATE_HZ, FLOOR_DBM)
    leak = next(g for g in ghosts if g.kind == "leak-through")
    able = remedies(setting, WantedChannel(leak.dial_hz, 2_700.0), leak, Able(own_lo=True))
    other = next(one for one in able if one.kind == "oscillator")
    expected_hz = 40e-6 * (L_HZ - other.lo_hz)
    assert other.dial_hz - leak.dial_hz == pytest.approx(expected_hz, rel=0.01)


def test_nothing_is_proposed_against_the_receivers_own_crystal() -> None:
    receiver = ReceiverModel(crystal_hz=26e6, crystal_dbm=-100.0)
    assert found(setting_of((), receiver, 78.3e6), 78e6, "crystal") == {}


@pytest.mark.parametrize(("moves", "moves_rate", "falls", "able"), [
    (2.0, 0.0, 1.0, {"centre"}), (0.0, -1.0, 1.0, {"rate"}), (0.0, 0.0, 3.0, {"gain", "attenuator"}),
    (0.0, 0.0, 1.0, set()),
])  # fmt: skip
def test_a_ghost_that_nobody_predicted_is_cured_by_how_it_was_seen_to_move_and_fall(
    moves: float, moves_rate: float, falls: float, able: set[str]
) -> None:
    ghost = Ghost(14.2e6, FLOOR_DBM + 10.0, "alias", (), "", moves, falls, moves_rate)
    setting = setting_of((), ReceiverModel(), 14.4e6)
    assert {one.kind for one in remedies(setting, WantedChannel(14.2e6, 2_700.0), ghost, EVERYTHING)} == able


def test_where_a_ghost_comes_from_is_told_by_its_kind_and_place() -> None:
    receiver = ReceiverModel(mirror_db=35.0, harmonic_db=45.0)
    setting = setting_of((), receiver, 10.3e6, over=True)
    leak = source_of(Ghost(10e6, -80.0, "leak-through", (), ""), setting)
    mirror = source_of(Ghost(10e6, -80.0, "mirror", (), ""), setting)
    mixed = source_of(Ghost(10e6, -80.0, "harmonic mixing", (), "", -2.0), setting)
    assert leak is not None
    assert (leak.frequency_hz, leak.level_dbm) == (130e6, -35.0)
    assert mirror is not None
    assert (mirror.frequency_hz, mirror.level_dbm) == (10.6e6, -45.0)
    # At the socket f + 2 (f_c + L) is where it comes in; that much less L on the air.
    assert mixed is not None
    assert mixed.frequency_hz == pytest.approx(130e6 + 2 * 130.3e6 - L_HZ)
    assert source_of(Ghost(10e6, -80.0, "third order", (), ""), setting) is None
