"""Ghosts predicted and judged: by independent arithmetic, and by the simulator's samples. Campaigns are in proofs/."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.ghosts.cure import cures
from yarddial.analysis.ghosts.desensing import desensing
from yarddial.analysis.ghosts.from_yard import scene_of
from yarddial.analysis.ghosts.judging import PeakCause, SpanRecord, causes, judge
from yarddial.analysis.ghosts.prediction import predict
from yarddial.analysis.ghosts.products import MAX_TRIPLES, products
from yarddial.analysis.ghosts.scene import Ghost, ReceiverModel, Scene
from yarddial.analysis.ghosts.span import Peak, Span
from yarddial.yard.demo import VIA_LADDER, demo_station
from yarddial.yard.frequency_conversion import Stage
from yarddial.yard.strong import Strong

MODEL = ReceiverModel(
    iip2_dbm=20.0, iip3_dbm=-10.0, iip4_dbm=0.0, iip5_dbm=5.0, mirror_db=40.0, harmonic_db=45.0, crystal_hz=26e6,
    crystal_dbm=-100.0, spike_dbm=-70.0,
)  # fmt: skip


@given(st.lists(st.tuples(st.floats(1e6, 5e8), st.floats(-60, -20)), min_size=2, max_size=6, unique_by=lambda s: s[0]))
def test_all_products_of_pairs_are_those_of_plain_loops(signals: list[tuple[float, float]]) -> None:
    hertz, level = (np.array(part) for part in zip(*signals, strict=True))
    found = products(hertz, level, MODEL, 5)
    intercept = {2: 20.0, 3: -10.0, 4: 0.0, 5: 5.0}
    wanted = []
    for i, j in itertools.combinations(range(len(signals)), 2):
        for a, b in itertools.product(range(1, 5), repeat=2):
            for sign in (1, -1):
                if a + b <= 5:
                    dbm = a * level[i] + b * level[j] - (a + b - 1) * intercept[a + b]
                    wanted.append((abs(a * hertz[i] + sign * b * hertz[j]), dbm))
    # A power n of one tone, 1 / 2^(n-1), against the two tones of its intercept: 2, 3, 4 and 10 of the same.
    for n, of_pair in ((2, 2), (3, 3), (4, 4), (5, 10)):
        wanted += [(n * f, n * p - (n - 1) * intercept[n] - 20 * np.log10(of_pair)) for f, p in signals]
    assert np.sort(found.hertz) == pytest.approx(np.sort([f for f, _ in wanted]))
    assert np.sort(found.level_dbm) == pytest.approx(np.sort([dbm for _, dbm in wanted]), abs=0.01)
    # What each is said to be made of gives its frequency.
    parents = np.where(found.parents >= 0, hertz[found.parents], 0.0)
    assert (parents * found.shape).sum(axis=1) == pytest.approx(found.hertz)


@given(st.integers(0, 1_000))
def test_a_window_holds_what_a_loop_over_all_pairs_and_triples_finds_in_it(seed: int) -> None:
    chance = np.random.default_rng(seed)
    hertz, level = chance.uniform(1e6, 3e8, 9), chance.uniform(-60, -30, 9)
    low, high = 100e6, 120e6
    found = products(hertz, level, MODEL, 3, -np.inf, ((low, high),))
    wanted = [n * f for f in hertz for n in (2, 3)]
    for i, j in itertools.combinations(range(9), 2):
        for a, b in ((1, 1), (2, 1), (1, 2)):
            wanted += [abs(a * hertz[i] + sign * b * hertz[j]) for sign in (1, -1)]
        wanted += [abs(hertz[i] + hertz[j] - hertz[k]) for k in range(9) if k not in (i, j)]
    wanted += [sum(hertz[list(three)]) for three in itertools.combinations(range(9), 3)]
    assert np.sort(found.hertz) == pytest.approx(np.sort([f for f in wanted if low <= f <= high]))


def test_three_signals_make_every_product_up_to_the_fifth_order_and_no_other() -> None:
    hertz, level = np.array([7.1e6, 11.37e6, 19.93e6]), np.array([-30.0, -31.0, -32.0])
    plain = ReceiverModel(iip2_dbm=20.0, iip3_dbm=-10.0)
    found = products(hertz, level, plain, 5, -np.inf, ((1e3, 120e6),))
    times = np.array([t for t in itertools.product(range(-5, 6), repeat=3) if 2 <= sum(map(abs, t)) <= 5])
    wanted = np.unique(np.round(np.abs(times @ hertz), 1))
    assert np.unique(np.round(found.hertz, 1)) == pytest.approx(wanted[(wanted > 1e3) & (wanted < 120e6)])


def by_kind(ghosts: tuple[Ghost, ...], kind: str) -> list[Ghost]:
    return [ghost for ghost in ghosts if ghost.kind == kind]


def test_every_kind_stands_where_the_formulas_of_the_field_have_it_and_moves_as_they_say() -> None:
    stages = (Stage("sum", 120e6, 400.0, "Ladder"),)
    strong = (
        Strong(10e6, -40.0, "A"), Strong(10.2e6, -42.0, "B"), Strong(130.3e6, -30.0, "tower"),
        Strong(11.4e6, -35.0, "beyond"),
    )  # fmt: skip
    scene = Scene(strong, stages, MODEL, None, 45.0, -60.0)
    ghosts = predict(scene, 10.1e6, 2.4e6, -150.0)
    mirror = min(by_kind(ghosts, "mirror"), key=lambda g: abs(g.dial_hz - 10.1996e6))
    # A shows 400 Hz high, 99,600 Hz below the centre; its mirror as far above, 40 dB down.
    assert mirror.dial_hz == pytest.approx(10.1996e6, abs=1.0)
    assert mirror.level_dbm == pytest.approx(-80.0, abs=0.1)
    assert mirror.moves == 2.0
    (leak,) = [g for g in by_kind(ghosts, "leak-through") if g.sources == ("tower",)]
    assert leak.dial_hz == pytest.approx(10.3e6)
    assert leak.level_dbm == pytest.approx(-75.0)
    assert (leak.moves, leak.falls) == (0.0, 1.0)
    third = [g for g in by_kind(ghosts, "third order") if g.sources == ("A", "B") or g.sources == ("B", "A")]
    places = sorted(round(g.dial_hz) for g in third if abs(g.dial_hz - 10.1e6) < 0.6e6)
    # 2 x 10 - 10.2 and 2 x 10.2 - 10 MHz, each 400 Hz high.
    assert 9_800_400 in places
    assert 10_400_400 in places
    assert all(g.falls == 3.0 for g in third)
    (alias,) = [g for g in by_kind(ghosts, "alias") if g.sources == ("beyond",)]
    assert alias.dial_hz == pytest.approx(11.4004e6 - 2.4e6)
    assert alias.moves_rate == -1.0
    # 26 MHz times 5; and times 15, by three times the oscillator, much weaker: 390 - 3 (130.1) + 10.1 MHz.
    crystal, mixed = sorted(by_kind(ghosts, "crystal"), key=lambda g: -g.level_dbm)
    assert (mixed.dial_hz, mixed.moves) == (pytest.approx(9.8e6), -2.0)
    assert crystal.dial_hz == pytest.approx(10e6)
    assert crystal.falls == 0.0
    assert by_kind(ghosts, "spike")[0].dial_hz == 10.1e6


def test_the_yards_own_data_say_how_strong_a_ghost_will_be() -> None:
    line = demo_station().resolve(VIA_LADDER).at(4.3525e6)
    scene = scene_of(line, (Strong(124.3525e6, -30.0, "Harbour tower"),))
    ghosts = predict(scene, 4.2e6, 2.048e6, -150.0)
    (leak,) = [g for g in ghosts if g.kind == "leak-through"]
    # Ladder's sheet: 45 dB; nothing stands behind it.
    assert leak.level_dbm == pytest.approx(-75.0)
    assert leak.dial_hz == pytest.approx(4.3525e6)


def span(peaks: dict[float, float], centre_hz: float = 10e6, rate_hz: float = 2.048e6) -> Span:
    """A floor at -120 dBm with lines at places on the dial."""
    step_hz = 500.0
    level = np.full(int(rate_hz / step_hz), -120.0)
    for dial_hz, dbm in peaks.items():
        level[round((dial_hz - centre_hz + rate_hz / 2) / step_hz)] = dbm
    return Span(centre_hz - rate_hz / 2, step_hz, level, centre_hz, rate_hz, 1_000.0)


def looks(place_hz: float, dbm: float, moves: float, falls: float) -> list[SpanRecord]:
    """What a cause would make a peak do when the centre is moved by 100 kHz and 8 dB are put in."""
    return [
        SpanRecord("centre", 100e3, span({place_hz + moves * 100e3: dbm}, 10.1e6)),
        SpanRecord("attenuation", 8.0, span({place_hz: dbm - 8.0 * falls})),
        SpanRecord("rate", 352e3, span({place_hz: dbm}, rate_hz=2.4e6)),
        SpanRecord("antenna", 0.0, span({})),
    ]


@pytest.mark.parametrize(
    ("moves", "falls", "verdict", "kind"),
    [(0.0, 1.0, "true", "true"), (2.0, 1.0, "ghost", "mirror"), (-2.0, 1.0, "ghost", "harmonic mixing"),
     (0.0, 3.0, "ghost", "third order"), (0.0, 2.0, "ghost", "second order")],
)  # fmt: skip
def test_what_a_peak_does_under_change_tells_what_it_is(moves: float, falls: float, verdict: str, kind: str) -> None:
    place_hz, dbm = 10.2e6, -90.0
    told = judge(causes(place_hz, dbm, (), 500.0), Peak(place_hz, dbm), looks(place_hz, dbm, moves, falls))
    assert told.verdict == verdict
    assert told.best.kind == kind
    assert sum(share for _, share in told.odds) == pytest.approx(1.0)


def test_without_tests_it_is_unsure_and_the_test_that_tells_most_is_named() -> None:
    mirror = Ghost(10.2e6, -90.0, "mirror", ("S",), "2 f_c - f", 2.0, 1.0)
    able = causes(10.2e6, -90.0, (mirror,), 500.0)
    told = judge(able, Peak(10.2e6, -90.0), [])
    assert told.verdict == "unsure"
    assert told.missing == "centre"
    assert any("mirror of S" in cause.words for cause, _ in told.odds)


def test_cures_name_their_figures() -> None:
    seen = span({10.2e6: -90.0})
    peak = Peak(10.2e6, -90.0)
    third = PeakCause("third order", "x", 0.0, 3.0, 0.0, False, False, 0.5)
    # 30 dB over the floor and 3 below it: 33 dB at 3 for each is 11, at 2 for each of a single source's is 17.
    first, second = cures(third, peak, seen)
    assert "11 dB" in first
    assert "17 dB" in second
    spike = PeakCause("spike", "x", 1.0, 0.0, 0.0, True, False, 0.5)
    assert "10.000 MHz" in cures(spike, peak, seen)[0]
    leak = PeakCause("leak-through", "x", 0.0, 1.0, 0.0, False, False, 0.5)
    assert "33 dB at 130.200 MHz" in cures(leak, peak, seen, 120e6)[0]


def test_three_thousand_strong_signals_are_combined_within_bounds_and_the_strongest_threes_are_there() -> None:
    """All of them in threes would be three thousand million; the strongest three must be among those that are made."""
    hertz = 1e6 + 31_234.5 * np.arange(3_000.0)
    level = np.full(3_000, -60.0)
    three = [100, 300, 900]
    level[three] = -10.0
    place = float(hertz[100] + hertz[300] - hertz[900])
    made = products(hertz, level, ReceiverModel(iip3_dbm=0.0), 3, -150.0, ((abs(place) - 2e6, abs(place) + 2e6),))
    assert made.hertz.size <= 4 * MAX_TRIPLES
    of_three = made.level_dbm[np.isclose(made.hertz, abs(place), atol=1.0)]
    # P1 + P2 + P3 - 2 IIP3 + 6 dB.
    assert of_three.max() == pytest.approx(-30 + 6.02, abs=0.01)


@pytest.mark.parametrize("zone", [0, 1, 2])
def test_in_direct_sampling_what_stands_in_the_span_s_own_zone_is_true_and_all_else_is_folded_in(zone: int) -> None:
    clock_hz, away_hz = 28.8e6, 3.1e6
    # One signal in each of three zones, all of which the converter shows at one place.
    places = [away_hz, clock_hz - away_hz, clock_hz + away_hz]
    strong = tuple(Strong(hertz, -40.0, f"in zone {n}") for n, hertz in enumerate(places))
    scene = Scene(strong, (), ReceiverModel(direct_clock_hz=clock_hz), None, None, None)
    told = predict(scene, places[zone] + 20e3, 200e3, -120.0, with_true=True)
    assert {g.sources[0] for g in told if g.kind == "true"} == {f"in zone {zone}"}
    assert {g.sources[0] for g in told if g.kind == "zone"} == {f"in zone {n}" for n in range(3) if n != zone}
    assert {round(g.dial_hz) for g in told} == {round(places[zone])}


def test_two_recordings_suffice_for_what_is_strong_and_far_from_the_edges_and_a_blind_look_is_told() -> None:
    moved = SpanRecord("centre", 100e3, span({10.2e6: -75.0}, 10.1e6))
    seen = span({10.2e6: -75.0, 10.75e6: -75.0})
    told = judge(causes(10.2e6, -75.0, (), 500.0, seen=seen), Peak(10.2e6, -75.0), [moved])
    # 45 dB over the floor: products of unknowns 10^(-33/20) as often, the receiver's own 10^(-33/40), an alias 1/5.
    others = 0.05 / 8 * (2 * 10 ** (-33 / 20) + 10 ** (-33 / 40) + 0.2)
    assert told.verdict == "true"
    assert told.odds[0][1] == pytest.approx(0.6 / (0.6 + others), abs=2e-3)
    # Near the edge an alias is as likely as any; a rate at which neither place is in the clean part tells nothing.
    at_edge = [
        SpanRecord("centre", 100e3, span({10.75e6: -75.0}, 10.1e6)),
        SpanRecord("rate", -0.6e6, span({}, rate_hz=1.448e6)),
    ]
    told = judge(causes(10.75e6, -75.0, (), 500.0, seen=seen), Peak(10.75e6, -75.0), at_edge)
    assert (told.verdict, told.missing, told.blind) == ("unsure", "rate", ("rate",))


def test_sidebands_of_a_broadcaster_are_no_peaks_and_a_weak_neighbour_is() -> None:
    lines = {10.2e6: -60.0, 10.197e6: -75.0, 10.203e6: -74.0, 10.206e6: -80.0}
    assert {round(peak.dial_hz, -3) for peak in span(lines).peaks()} == {10.2e6, 10.206e6}


RICH = ReceiverModel(
    even_db=50.0, fifth_db=55.0, if_hz=3.57e6, image_db=40.0, half_if_dbm=10.0, reference_hz=250e3, reference_db=60.0,
    third_dbm=10.0, quarter_dbm=-70.0,
)  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "air_hz", "place_hz", "level_dbm", "moves", "falls"),
    [
        # Tuned to 100 MHz. Twice its oscillator: 200.1 - 200 + 0; four times, 6 dB weaker; five times.
        ("harmonic mixing", 200.1e6, 100.1e6, -80.0, -1.0, 1.0),
        ("harmonic mixing", 400.2e6, 100.2e6, -86.0, -3.0, 1.0),
        ("harmonic mixing", 499.9e6, 99.9e6, -85.0, -4.0, 1.0),
        # Oscillator at 103.57: 107.24 lies 3.67 above it, and 0.1 lower than 3.57 it comes out 0.1 below the centre.
        ("tuner image", 107.24e6, 99.9e6, -70.0, 2.0, 1.0),
        # 2 (103.57 - 101.885) = 3.37: 0.2 less than the IF, 0.2 above the centre; 2 P - 10 dBm.
        ("half-IF", 101.885e6, 100.2e6, -70.0, -1.0, 2.0),
        ("sideband", 100.4e6, 100.15e6, -90.0, 0.0, 1.0),
        # Three times the 0.15 MHz below the centre, above it; 3 P - 2 IP.
        ("converter", 99.85e6, 100.45e6, -110.0, 4.0, 3.0),
    ],
)  # fmt: skip
def test_a_tuner_s_and_a_converter_s_own_answers_stand_where_their_formulas_say(
    kind: str, air_hz: float, place_hz: float, level_dbm: float, moves: float, falls: float
) -> None:
    ghosts = predict(Scene((Strong(air_hz, -30.0, "S"),), (), RICH), 100e6, 2.4e6, -150.0)
    (found,) = [g for g in by_kind(ghosts, kind) if abs(g.dial_hz - place_hz) < 10.0]
    assert found.level_dbm == pytest.approx(level_dbm, abs=0.1)
    assert (found.moves, found.falls) == (moves, falls)
    quarter = [g.dial_hz for g in by_kind(ghosts, "converter") if g.falls == 0.0]
    assert sorted(quarter) == [pytest.approx(99.4e6), pytest.approx(100.6e6)]


def test_what_a_strong_signal_costs_without_a_ghost() -> None:
    receiver = ReceiverModel(iip3_dbm=-10.0, phase_noise_dbc_hz=-110.0)
    scene = Scene((Strong(100.3e6, -20.0, "near"),), (), receiver)
    noise, blocked = sorted(desensing(scene, 100e6, 3e3, -110.0), key=lambda one: -one.costs_db)
    # -20 - 110 - 9.54 (300 kHz against 100) + 34.77 (3 kHz) = -104.8 dBm beside -110.
    assert (noise.kind, noise.costs_db) == ("reciprocal mixing", pytest.approx(6.37, abs=0.05))
    # 20 log(1 - 2 / 10).
    assert (blocked.kind, blocked.costs_db) == ("blocking", pytest.approx(1.94, abs=0.01))
    assert not desensing(Scene((Strong(100.3e6, -60.0, "near"),), (), receiver), 100e6, 3e3, -110.0)
