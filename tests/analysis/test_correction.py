"""The fit against truth made by path arithmetic, and its judgement of what it cannot know."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.correction.design import DAILY_SHARE, LASTING_SHARE, equations, unknowns_of, whiten
from yarddial.analysis.correction.fit import fit
from yarddial.analysis.correction.posterior import merge, priors_of
from yarddial.yard.demo import VIA_LADDER, demo_station
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency_conversion import KINDS, SamplingClock, Stage, trace
from yarddial.yard.observation import CrystalAndClock, Observation, SamplingOnly, SeenStage, lasting_error_of
from yarddial.yard.oscillators import dial_state, stated_oscillators

PPM, LO_ERROR_HZ = 27.138, 461.3


def observed(
    reference_hz: float, stages: list[Stage], noise_hz: float = 0.0, entered_ppm: float = 0.0, name: str = ""
) -> Observation:
    """What the dial shows with the crystal off by PPM; the stages carry their own true errors."""
    dial_hz = trace(reference_hz, stages, SamplingClock(PPM, entered_ppm)).dial_hz + noise_hz
    seen = tuple(SeenStage(f"c{i}", s.kind, s.lo_hz, s.lo_hz) for i, s in enumerate(stages))
    shares = lasting_error_of(name, reference_hz)
    return Observation("Finch", reference_hz, 0.3, dial_hz, 0.05, seen, entered_ppm, name, shares=shares)


LADDER = [Stage("sum", 120e6, LO_ERROR_HZ)]


@given(
    st.lists(st.builds(Stage, st.sampled_from(KINDS), st.floats(1e6, 10e9), st.floats(-1e5, 1e5)), max_size=2),
    st.floats(-60, 60),
    st.floats(1e6, 1e9),
)
def test_the_equations_hold_exactly_for_the_truth(stages: list[Stage], entered_ppm: float, reference_hz: float) -> None:
    seen = [observed(reference_hz, stages, entered_ppm=entered_ppm)]
    names = unknowns_of(seen)
    rows, right, _ = equations(seen, names)
    truth = np.array([PPM, *(stage.lo_error_hz for stage in stages)])
    largest = max([reference_hz, abs(rows[0, 0]) * 1e6, *(stage.lo_hz for stage in stages)])
    assert abs(float(rows[0] @ truth - right[0])) < 1e-6 + 16 * largest * 2**-53


def test_one_direct_and_one_through_the_converter_give_both() -> None:
    found = fit([observed(145.2e6, []), observed(10e6, LADDER)])
    crystal, oscillator = found.estimates
    assert crystal.value == pytest.approx(PPM, abs=1e-6)
    assert oscillator.value == pytest.approx(LO_ERROR_HZ, abs=1e-3)
    assert crystal.separate
    assert oscillator.separate
    assert not found.inseparable
    # 0.304 Hz of 145.2 MHz, and the same sigmas carried to 130 MHz in quadrature. No other look checks either: one in
    # fifty is at another line, 0.3 ppm or 20 Hz away.
    direct_hz = (0.3**2 + 0.05**2 + 0.02 * (0.3 * 145.2) ** 2) ** 0.5
    through_hz = (0.3**2 + 0.05**2 + 0.02 * 20.0**2) ** 0.5
    assert crystal.sigma == pytest.approx(direct_hz / 145.196, rel=1e-3)
    assert oscillator.sigma == pytest.approx(np.hypot(through_hz, direct_hz * 130 / 145.2), rel=1e-3)
    assert "unchecked" in found.remarks[0].sentence


@pytest.mark.parametrize("references_hz", [(10e6,), (5e6, 10e6, 15e6, 20e6), (0.6e6, 0.9e6, 1.2e6, 1.5e6)])
def test_carriers_through_the_converter_alone_cannot_separate(references_hz: tuple[float, ...]) -> None:
    found = fit([observed(hertz, LADDER) for hertz in references_hz])
    assert not any(estimate.separate for estimate in found.estimates)
    assert len(found.inseparable) == 1
    assert "cannot yet be separated" in found.inseparable[0]
    assert "without the converter" in found.inseparable[0]


def test_two_converters_always_used_together_are_one_unknown() -> None:
    both = [Stage("sum", 120e6, 300.0), Stage("low", 50e6, 70.0)]
    found = fit([observed(145e6, []), observed(10e6, both), observed(20e6, both)])
    assert [estimate.separate for estimate in found.estimates] == [True, False, False]
    assert "only one of them" in found.inseparable[0]


def test_what_is_entered_does_not_change_the_answer() -> None:
    plain = fit([observed(145.2e6, []), observed(10e6, LADDER)])
    corrected = fit([observed(145.2e6, [], entered_ppm=20.0), observed(10e6, LADDER, entered_ppm=-13.0)])
    for one, other in zip(plain.estimates, corrected.estimates, strict=True):
        assert one.value == pytest.approx(other.value, abs=1e-3)


@pytest.mark.parametrize("bad_row", range(6))
def test_one_bad_reference_of_six_is_named(bad_row: int) -> None:
    chance = np.random.default_rng(bad_row)
    places = [(145.2e6, []), (300e6, []), (600e6, []), (5e6, LADDER), (10e6, LADDER), (20e6, LADDER)]
    seen = [observed(hertz, stages, chance.normal(0, 0.3)) for hertz, stages in places]
    hertz, stages = places[bad_row]
    seen[bad_row] = observed(hertz, stages, 20.0)
    found = fit(seen)
    assert found.outliers == (bad_row,)
    assert found.estimates[0].value == pytest.approx(PPM, abs=6 * found.estimates[0].sigma)


def test_two_that_contradict_are_not_judged_between() -> None:
    found = fit([observed(145.2e6, []), observed(300e6, [], 50.0)])
    assert found.outliers == ()
    assert any(remark.kind == "contradiction" for remark in found.remarks)


def test_a_lone_measurement_is_called_unchecked() -> None:
    assert "cannot be checked" in fit([observed(145.2e6, [])]).remarks[0].sentence


def test_values_that_rest_on_a_lone_direct_station_say_so() -> None:
    """A direct station that is off by 20 Hz moves the crystal, and rows at one frequency cannot tell."""
    through = [observed(hertz, LADDER) for hertz in (9.9e6, 10e6, 10.1e6)]
    sentence = fit([observed(145.2e6, [], 20.0, name="Lone Beacon"), *through]).remarks[0].sentence
    assert "Lone Beacon" in sentence
    assert "one measurement alone" in sentence
    checked = fit([observed(145.2e6, []), observed(300e6, []), *through])
    assert not [remark for remark in checked.remarks if remark.kind == "unchecked"]


def test_measuring_a_named_reference_again_does_not_wear_its_lasting_error_away() -> None:
    once = fit([observed(145.2e6, [], name="pilot")])
    often = fit([observed(145.2e6, [], name="pilot") for _ in range(25)])
    unnamed = fit([observed(145.2e6, []) for _ in range(25)])
    # Half of the reference's variance stays, the other half wears away with the number of looks.
    # So does what it may be off by: the same carrier does not check itself.
    lie = 0.02 * (0.3 * 145.2) ** 2
    left = (0.3**2 * (0.5 + 0.5 / 25) + 0.05**2 / 25 + lie) / (0.3**2 + 0.05**2 + lie)
    assert often.estimates[0].sigma == pytest.approx(once.estimates[0].sigma * left**0.5, rel=1e-3)
    assert unnamed.estimates[0].sigma == pytest.approx((0.3**2 + 0.05**2) ** 0.5 / 145.196 / 5, rel=1e-3)


def test_a_wandering_reference_does_not_contradict_itself() -> None:
    """Two looks 0.2 Hz apart, each sharp to 0.1 mHz, at a sky-wave known to 0.3 Hz."""
    looks = [observed(10e6, LADDER, noise, name="Northmark Time") for noise in (0.1, -0.1)]
    found = fit([observed(145.2e6, [], name="pilot"), *looks])
    assert found.outliers == ()
    assert not any(remark.kind == "contradiction" for remark in found.remarks)


def test_pulls_have_width_one() -> None:
    """Errors over stated sigmas across many noisy yards: mean 0 and width 1, each to about three of their sigmas."""
    chance = np.random.default_rng(11)
    sigma_hz = (0.3**2 + 0.05**2) ** 0.5
    pulls = []
    for _ in range(300):
        seen = [observed(f, [], chance.normal(0, sigma_hz)) for f in (145.2e6, 430e6)]
        seen += [observed(f, LADDER, chance.normal(0, sigma_hz)) for f in (5e6, 10e6)]
        found = fit(seen)
        truth = (PPM, LO_ERROR_HZ)
        pulls.append([(e.value - t) / e.sigma for e, t in zip(found.estimates, truth, strict=True)])
    assert np.mean(pulls, axis=0) == pytest.approx([0, 0], abs=0.18)
    assert np.std(pulls, axis=0) == pytest.approx([1, 1], abs=0.13)


def test_priors_keep_the_sum_sharp_and_the_parts_honest() -> None:
    station = demo_station()
    seen = observed(10e6, LADDER)
    stage = SeenStage("Ladder", "sum", 120e6, 120e6)
    named = Observation("Finch", 10e6, 0.3, seen.dial_hz, 0.05, (stage,))
    found = fit([named], priors_of(station))
    known = merge(stated_oscillators(station), found)
    at_the_place = dial_state(station.resolve(VIA_LADDER), 10e6, known)
    elsewhere = dial_state(station.resolve(VIA_LADDER), 5e6, known)
    # The look's own uncertainties, and the chance that it was at another line.
    assert at_the_place.sigma_hz == pytest.approx((0.304**2 + 0.02 * 20.0**2) ** 0.5, rel=0.01)
    assert at_the_place.error_hz == pytest.approx(seen.error_hz, abs=0.5)
    # The crystal alone is known to some ppm, and that times 5 MHz is what another place costs.
    assert elsewhere.sigma_hz == pytest.approx(known.sigma("crystal:Finch") * 5, rel=0.05)
    assert 1.0 < known.sigma("crystal:Finch") < 25.0


def test_shared_doubts_are_whitened_as_their_covariance_says() -> None:
    seen = [observed(10e6, LADDER, name="a"), observed(10e6, LADDER, name="a"), observed(5e6, LADDER, name="b")]
    _, _, noise = equations(seen, unknowns_of(seen))
    same = noise.group[:, None] == noise.group[None, :]
    covariance = np.diag(noise.sigma**2) + np.outer(noise.shared, noise.shared) * same
    white, _ = whiten(np.eye(3), np.zeros(3), noise)
    np.testing.assert_allclose(white @ covariance @ white.T, np.eye(3), atol=1e-9)


def test_thirty_thousand_observations_are_no_burden() -> None:
    chance = np.random.default_rng(0)
    direct = [observed(145.2e6 + i, [], chance.normal(0, 0.3), name=f"r{i % 50}") for i in range(20_000)]
    found = fit([*direct, *(observed(10e6, LADDER, chance.normal(0, 0.3)) for _ in range(10_000))])
    assert found.estimates[0].value == pytest.approx(PPM, abs=1e-3)
    assert len(found.outliers) < 30


def test_nothing_and_nonsense_are_refused() -> None:
    with pytest.raises(BadObservations, match="nothing to fit"):
        fit([])
    with pytest.raises(BadObservations, match="uncertainty"):
        fit([Observation("Finch", 10e6, 0.0, 10e6, 0.0)])


def test_a_sample_clock_of_its_own_is_told_from_the_crystal() -> None:
    crystal, clock = 27.138e-6, -3.4e-6
    seen = []
    for reference_hz, centre_hz in ((145.2e6, 144.3e6), (96.2e6, 97.1e6), (145.65e6, 145.0e6)):
        # The tuner's crystal brings it down, the clock counts what is left.
        shown_hz = (reference_hz - centre_hz * (1 + crystal)) / (1 + clock) + centre_hz
        seen.append(Observation("Finch", reference_hz, 0.3, shown_hz, 0.01, tells_of=CrystalAndClock(centre_hz)))
    # A stereo pilot is counted by the clock alone.
    seen.append(Observation("Finch", 19e3, 1e-3, 19e3 / (1 + clock), 1e-4, tells_of=SamplingOnly()))
    found = fit(seen, {"crystal:Finch": (0.0, 25.0), "clock:Finch": (0.0, 25.0)})
    by_name = {estimate.name: estimate for estimate in found.estimates}
    assert by_name["crystal:Finch"].value == pytest.approx(27.138, abs=1e-3)
    assert by_name["clock:Finch"].value == pytest.approx(-3.4, abs=1e-3)
    assert not found.inseparable
    assert not found.outliers


def test_a_transceivers_reference_is_one_number_wherever_it_is_tuned() -> None:
    rig, crystal = 1.3e-6, 27.138e-6
    seen = []
    for reference_hz in (5e6, 10e6, 28e6):
        lo_hz = reference_hz + 8.83e6
        shown_hz = (lo_hz * (1 + rig) - reference_hz) / (1 + crystal)
        stage = SeenStage("Hearth IF", "high", lo_hz, lo_hz, follows_dial=True)
        seen.append(Observation("Finch", reference_hz, 0.3, lo_hz - shown_hz, 0.01, (stage,)))
    assert fit(seen).estimate("rig:Hearth IF") is not None
    direct = Observation("Finch", 145.2e6, 0.3, 145.2e6 / (1 + crystal), 0.01)
    found = fit([*seen, direct])
    estimate = found.estimate("rig:Hearth IF")
    assert estimate is not None
    assert estimate.value == pytest.approx(1.3, abs=1e-3)
    assert estimate.separate
    # 0.3 Hz each at oscillators of 13.83, 18.83 and 36.83 MHz, and 0.3 Hz of 145.2 MHz for the crystal at 8.83 MHz.
    alone = 0.3 / (13.83**2 + 18.83**2 + 36.83**2) ** 0.5
    assert alone < estimate.sigma < 1.2 * alone


@given(st.lists(st.tuples(st.sampled_from("ab"), st.sampled_from("123")), min_size=1, max_size=9))
def test_looks_share_what_a_day_and_a_transmitter_do(looks: list[tuple[str, str]]) -> None:
    seen = [
        Observation("Finch", {"a": 5e6, "b": 10e6}[who], 0.5, 5e6, 0.1, at_utc=day, wander_hz=0.3, shares=who)
        for who, day in looks
    ]
    _, _, noise = equations(seen, unknowns_of(seen))
    size = len(seen)
    whitener = whiten(np.eye(size), np.zeros(size), noise)[0]
    own, wander = 0.5**2 - 0.3**2, 0.3**2
    wanted = np.eye(size) * 0.1**2
    for i, (one, its_day) in enumerate(looks):
        for j, (other, other_day) in enumerate(looks):
            same_day = one == other and its_day == other_day
            wanted[i, j] += own * ((1 - LASTING_SHARE) * (i == j) + LASTING_SHARE * (one == other))
            wanted[i, j] += wander * ((1 - DAILY_SHARE) * (i == j) + DAILY_SHARE * same_day)
    assert whitener @ wanted @ whitener.T == pytest.approx(np.eye(size), abs=1e-9)
