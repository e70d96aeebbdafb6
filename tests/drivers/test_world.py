"""The simulated world against formulas: floors, products, images, leaks, clocks, seams."""

from functools import partial
from math import cos, log10, radians

import msgspec
import numpy as np
import pytest

from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.simulated import air_time
from yarddial.drivers.simulated.clocks import Clock, combined_sigma
from yarddial.drivers.simulated.driver import SimulatedDriver
from yarddial.drivers.simulated.front_end import FrontEnd
from yarddial.drivers.simulated.noise import noise_density_dbm_hz
from yarddial.drivers.simulated.receiver import FINCH, HERON, SimulatedReceiver
from yarddial.drivers.simulated.synthesis import Synthesis, TransmittedLine
from yarddial.drivers.simulated.transmitters import KINDS, Transmitter, fading, modulation, needed_hz
from yarddial.drivers.simulated.world import Comb, Link, World, WorldPort
from yarddial.drivers.time_source import VirtualTime
from yarddial.yard.external_noise import external_noise_db
from yarddial.yard.frequency_conversion import Stage

RATE_HZ = 2.048e6
CLEAN = FrontEnd(16)


def heard(world: World, centre_hz: float, seconds_s: float = 0.25, **ask: object) -> np.ndarray:
    """Samples of a receiver that tunes anywhere."""
    able = msgspec.structs.replace(FINCH, ranges_hz=((0.0, 3e9),), ports=tuple(port.name for port in world.ports))
    receiver = SimulatedReceiver(world, VirtualTime(), able)
    receiver.apply(RequestedSettings(centre_hz, RATE_HZ, world.ports[0].name, **ask))  # type: ignore[arg-type]
    blocks = []
    while sum(block.size for block in blocks) < seconds_s * RATE_HZ:
        blocks.append(receiver.read().samples)
    return np.concatenate(blocks)


def world_of(
    *signals: tuple[float, float], front: FrontEnd = CLEAN, noise_dbm_hz: float = -190.0, **more: object
) -> World:
    """Steady carriers of (hertz, dBm) at one port whose converter is full at -30 dBm."""
    transmitters = tuple(Transmitter(f"T{i}", hz, dbm, "carrier", "a") for i, (hz, dbm) in enumerate(signals))
    port = WorldPort("p", "a", (), noise_dbm_hz, -30.0)
    return msgspec.structs.replace(World(transmitters, (port,), 0.0, 1, front, reference_gain_db=25.5), **more)


def level_dbm(samples: np.ndarray, offset_hz: float, full_dbm: float = -30.0) -> float:
    """Level of a carrier at a known place: a flat-topped window keeps its neighbours out."""
    window = np.kaiser(samples.size, 20.0)
    turning = np.exp(-2j * np.pi * ((offset_hz / RATE_HZ * np.arange(samples.size)) % 1.0))
    return 20 * log10(abs((samples * window * turning).sum() / window.sum())) + full_dbm


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("rate_hz", [1.024e6, 2.4e6, 10e6])
def test_segments_join_far_below_what_can_be_heard(kind: str, rate_hz: float) -> None:
    """The step in the error at each seam, against the signal made point by point; sidebands are cut where they end."""
    transmitter = Transmitter("X", 0, 0, kind, "a", text="CQ DE QX1LL")
    synthesis, turns = Synthesis(rate_hz), 0.1234567891
    times = np.arange(5) * synthesis.hop / rate_hz
    line = TransmittedLine(
        partial(modulation, transmitter), needed_hz(kind), turns * np.arange(5) * synthesis.hop, 1, 1.0
    )
    made = synthesis.run([line], times).reshape(-1)
    grid = np.arange(64) - 32
    for seam in synthesis.hop * np.arange(1, 4):
        index = seam + grid
        wanted = np.exp(2j * np.pi * ((turns * index) % 1.0)) * modulation(transmitter, (index / rate_hz)[None, :])[0]
        error = made[index] - wanted
        step = abs(error[32] - error[31])
        # Wide FM has weak sidebands beyond the width it is made with; cut off, they leave 95 dB.
        assert 20 * log10(step + 1e-9) < (-92.0 if kind == "wfm" else -100.0)


def test_the_floor_is_what_antenna_and_receiver_bring() -> None:
    """P.372, residential at 10 MHz: 72.5 - 27.7 = 44.8 dB, and the galaxy's 52 - 23 = 29 dB hardly adds to it."""
    assert external_noise_db(10.0001e6, "residential") == pytest.approx(10 * log10(10**4.48 + 10**2.9), abs=0.01)
    density = noise_density_dbm_hz(145e6, "rural", -3.0, 5.0)
    outside = 10 ** ((external_noise_db(145e6, "rural") - 3.0) / 10)
    assert density == pytest.approx(-173.98 + 10 * log10(outside + 10**0.5), abs=1e-9)
    samples = heard(world_of(noise_dbm_hz=-110.0), 100e6)
    assert 10 * log10(np.var(samples)) - 30.0 == pytest.approx(-110.0 + 10 * log10(RATE_HZ), abs=0.05)


def test_third_order_products_of_samples_rise_three_for_one_to_the_level_of_the_intercept() -> None:
    """Two tones in the span: 3 P - 2 IIP3, here with the intercept 10 dB over full scale, at -20 dBm."""
    front = msgspec.structs.replace(CLEAN, iip3_over_full_db=10.0, bits=20)
    levels = []
    for power in (-52.0, -42.0):
        samples = heard(world_of((100.1e6, power), (100.2e6, power), front=front), 100e6)
        levels.append(level_dbm(samples, 300e3))
        assert levels[-1] == pytest.approx(3 * power - 2 * -20.0, abs=0.5)
    assert levels[1] - levels[0] == pytest.approx(30.0, abs=0.5)


def test_products_of_signals_outside_the_span_fall_into_it_at_their_level() -> None:
    """Carriers 8 and 16 MHz away make 2 f1 - f2 at the centre's side, and f2 - f1 at 8 MHz."""
    front = msgspec.structs.replace(CLEAN, iip3_over_full_db=10.0, iip2_over_full_db=40.0, bits=20)
    signals = ((108.0e6, -50.0), (115.7e6, -53.0))
    third = heard(world_of(*signals, front=front), 100e6)
    assert level_dbm(third, 0.3e6) == pytest.approx(2 * -50.0 - 53.0 + 40.0, abs=0.5)
    second = heard(world_of(*signals, front=front), 7.5e6)
    assert level_dbm(second, 0.2e6) == pytest.approx(-50.0 - 53.0 - 10.0, abs=0.5)


@pytest.mark.parametrize(("gain", "degrees"), [(1.03, 1.5), (0.9, 0.0), (1.0, 4.0), (1.002, 0.1)])
def test_the_mirror_stands_where_gain_and_phase_put_it(gain: float, degrees: float) -> None:
    front = msgspec.structs.replace(CLEAN, iq_gain=gain, iq_phase_deg=degrees, bits=20)
    samples = heard(world_of((100.3e6, -40.0), front=front), 100e6)
    cosine = cos(radians(degrees))
    rejection = 10 * log10((1 + 2 * gain * cosine + gain**2) / (1 - 2 * gain * cosine + gain**2))
    assert front.mirror_db == pytest.approx(rejection)
    assert level_dbm(samples, 0.3e6) - level_dbm(samples, -0.3e6) == pytest.approx(rejection, abs=0.5)


def test_what_passes_a_converter_and_its_own_leak_stand_in_their_places() -> None:
    """A sum converter at 120 MHz, truly 300 Hz high: 5 MHz comes at 125, 125.4 passes as it is."""
    port = WorldPort("p", "a", (Stage("sum", 120e6, 300.0, "L"),), -190.0, -30.0, lo_leak_dbm=-60.0, isolation_db=45.0)
    world = msgspec.structs.replace(world_of((5e6, -50.0), (125.4e6, -35.0)), ports=(port,))
    samples = heard(world, 125.1e6)
    assert level_dbm(samples, -0.1e6 + 300.0) == pytest.approx(-50.0, abs=0.1)
    assert level_dbm(samples, 0.3e6) == pytest.approx(-80.0, abs=0.1)
    assert level_dbm(heard(world, 119.7e6), 0.3e6 + 300.0) == pytest.approx(-60.0, abs=0.1)


def test_three_times_the_tuners_oscillator_mixes_as_well_and_the_crystal_never_moves() -> None:
    front = msgspec.structs.replace(CLEAN, harmonic_db=45.0, crystal_hz=26e6, crystal_dbm=-90.0, bits=20)
    world = world_of((300.5e6, -40.0), front=front, crystal_ppm=50.0)
    samples = heard(world, 100e6)
    # 300.5 MHz less three times a centre that is truly 50 ppm high, counted by a clock that is.
    assert level_dbm(samples, 300.5e6 / (1 + 50e-6) - 300e6) == pytest.approx(-85.0, abs=0.2)
    assert level_dbm(heard(world, 103.8e6), 0.2e6) == pytest.approx(-90.0, abs=0.2)


@pytest.mark.parametrize(("true_hz", "zone"), [(5.2e6, 0), (20.1e6, 1), (31.4e6, 2)])
def test_direct_sampling_folds_every_zone_to_its_place(true_hz: float, zone: int) -> None:
    """With a clock of 26 MHz, 40 ppm fast: even zones show f - kC, odd ones kC - f, with f counted by that clock."""
    counted_hz = true_hz / (1 + 40e-6)
    shown_hz = (zone + 1) // 2 * 26e6 - counted_hz if zone % 2 else counted_hz - zone // 2 * 26e6
    world = world_of((true_hz, -50.0), crystal_ppm=40.0)
    port = msgspec.structs.replace(world.ports[0], direct_clock_hz=26e6)
    samples = heard(msgspec.structs.replace(world, ports=(port,)), 5.5e6)
    assert level_dbm(samples, shown_hz - 5.5e6) == pytest.approx(-50.0, abs=0.1)


def test_a_filter_before_the_socket_takes_what_it_says_from_signals_and_noise() -> None:
    """A slope of 60 dB an octave takes 15 dB a quarter of an octave above the edge."""
    world = world_of((101e6, -40.0), noise_dbm_hz=-190.0)
    port = msgspec.structs.replace(world.ports[0], pass_hz=(0.0, 101e6 / 2**0.25))
    samples = heard(msgspec.structs.replace(world, ports=(port,)), 100.7e6)
    assert level_dbm(samples, 0.3e6) == pytest.approx(-40.0 - 60.0 / 4, abs=0.1)


def test_supply_lines_stand_at_every_step_and_noise_follows_the_surroundings() -> None:
    world = msgspec.structs.replace(world_of(), combs=(Comb("a", 71.3e3, -50.0),))
    samples = heard(world, 10e6)
    for k in (138, 141, 150):
        power = np.abs(np.fft.fft(samples * np.hanning(samples.size))) ** 2
        place = np.fft.fftfreq(samples.size, 1 / RATE_HZ)
        near = power[np.abs(place - (k * 71.3e3 - 10e6)) < 2e3].sum()
        beside = power[np.abs(place - ((k + 0.5) * 71.3e3 - 10e6)) < 2e3].sum()
        assert near > 1e6 * beside
    port = WorldPort("p", "a", (Stage("sum", 120e6, 0.0, "L"),), -170.0, -30.0, surroundings="rural", antenna_db=-3.0)
    outside = -173.98 + external_noise_db(7e6, "rural") - 3.0
    assert port.floor_dbm_hz(127e6) == pytest.approx(10 * log10(10 ** (outside / 10) + 1e-17), abs=1e-6)


def test_what_lies_beyond_the_span_folds_in_through_the_filter() -> None:
    """At 0.55 of the rate the filter is ((0.55 - 0.41) / 0.18)^2 of 60 dB down: 36.3 dB, seen at -0.45 of the rate."""
    samples = heard(world_of((100e6 + 0.55 * RATE_HZ, -40.0)), 100e6)
    assert level_dbm(samples, -0.45 * RATE_HZ) == pytest.approx(-40.0 - 60 * (0.14 / 0.18) ** 2, abs=0.5)
    assert level_dbm(heard(world_of((100e6 + 0.3 * RATE_HZ, -40.0)), 100e6), 0.3 * RATE_HZ) == pytest.approx(
        -40, abs=0.1
    )


@pytest.mark.parametrize("crystal_ppm", [0.0, 27.4, -51.0])
def test_a_place_on_the_dial_is_right_to_a_hundredth_of_a_hertz(crystal_ppm: float) -> None:
    from yarddial.dsp.carrier import estimate_carrier

    samples = heard(world_of((145.2e6, -60.0), noise_dbm_hz=-160.0, crystal_ppm=crystal_ppm), 145e6, 2.0)
    expected = 145.2e6 / (1 + crystal_ppm * 1e-6) - 145e6
    assert estimate_carrier(samples, RATE_HZ, expected, 500.0).frequency_hz == pytest.approx(expected, abs=0.01)


def test_gain_moves_levels_by_real_steps_and_a_stuck_gain_does_not() -> None:
    world = world_of((100.1e6, -60.0))
    assert level_dbm(heard(world, 100e6), 0.1e6) == pytest.approx(-60.0, abs=0.1)
    louder = heard(world, 100e6, gains_db=(("gain", 33.0),))
    assert level_dbm(louder, 0.1e6) == pytest.approx(-60.0 + 33.4 - 25.5, abs=0.1)


@pytest.mark.parametrize(("white", "flicker"), [(1e-8, 0.0), (0.0, 2e-9), (5e-9, 3e-9)])
def test_each_oscillators_noise_has_the_allan_deviation_stated(white: float, flicker: float) -> None:
    """IEEE Std 1139: sigma_w / sqrt(tau) and a flat floor, within five standard errors of each estimate."""
    # It takes two seconds to import, in every worker that collects this file.
    import allantools

    clock = Clock(white=white, flicker=flicker, seed=11)
    error_s = np.array([clock.time_error_s(t) for t in np.arange(0, 4096.0, 0.5)])
    taus, deviations, errors, _ = allantools.oadev(error_s, rate=2.0, data_type="phase", taus=[1.0, 4.0, 16.0, 64.0])
    for tau, deviation, error in zip(taus, deviations, errors, strict=True):
        assert deviation == pytest.approx(
            combined_sigma(white, flicker, float(tau)), abs=5 * float(error) + 0.04 * float(deviation)
        )


def test_a_clock_warms_up_ages_and_follows_the_temperature() -> None:
    clock = Clock(1e-6, 4e-6, 300.0, per_kelvin=1e-7, degrees=35.0, per_year=1e-6)
    assert clock.fraction(0.0) == pytest.approx(1e-6 + 4e-6 + 1e-6)
    assert clock.fraction(300.0) == pytest.approx(2e-6 + 4e-6 / np.e, rel=1e-4)
    for t in (1.0, 500.0, 1e5):
        slope = (clock.time_error_s(t + 0.01) - clock.time_error_s(t - 0.01)) / 0.02
        assert slope == pytest.approx(clock.fraction(t), rel=1e-4)


def test_a_sky_wave_fades_to_the_mean_power_of_one_and_stations_keep_their_hours() -> None:
    wave = Transmitter("Far", 6e6, -60.0, "am", "a", fading_hz=0.5, hours=(18.0, 7.0))
    power = np.abs(fading(wave, np.arange(0, 4000.0, 0.5))) ** 2
    assert power.mean() == pytest.approx(1.0, abs=0.15)
    assert power.min() < 0.05
    assert [wave.is_heard(hour) for hour in (17.9, 18.0, 2.0, 7.0)] == [False, True, True, False]


def test_beyond_the_clean_rate_samples_are_lost_and_counted_and_below_none_is() -> None:
    world = msgspec.structs.replace(world_of(), link=Link(clean_hz=2.1e6))
    able = msgspec.structs.replace(FINCH, ports=("p",))
    for rate_hz, clean in ((2.048e6, True), (3.0e6, False)):
        receiver = SimulatedReceiver(world, VirtualTime(), able)
        receiver.apply(RequestedSettings(100e6, rate_hz, "p"))
        blocks = [receiver.read() for _ in range(200)]
        lost = sum(block.lost for block in blocks)
        assert (lost == 0) == clean
        assert blocks[-1].first_index + blocks[-1].samples.size == sum(b.samples.size for b in blocks) + lost


def test_heron_has_more_bits_and_three_stages() -> None:
    able = msgspec.structs.replace(HERON, ports=("p",))
    receiver = SimulatedReceiver(world_of((10.1e6, -40.0), front=FrontEnd(14)), VirtualTime(), able)
    got = receiver.apply(RequestedSettings(10e6, 2e6, "p", gains_db=(("IF", 40.0),)))
    assert dict(got.gains_db) == {"input": 0.0, "mixer": 10.0, "IF": 38.0}
    steps = np.unique(receiver.read().samples.real * (2**13 - 0.5))
    np.testing.assert_allclose(steps - np.floor(steps), 0.5, atol=1e-2)


def test_time_on_the_air_goes_on_when_a_receiver_is_opened_again_with_fresh_noise() -> None:
    """Two looks at the same station are two looks: the same noise twice would be one, counted twice."""
    openings = []
    for _ in range(2):
        receiver = SimulatedDriver().open("finch", VirtualTime())
        receiver.apply(RequestedSettings(100.3e6, 1.024e6, "discone"))
        openings.append([receiver.read() for _ in range(4)])
        receiver.close()
    first, second = (np.concatenate([block.samples for block in blocks]) for blocks in openings)
    assert not np.array_equal(first, second)
    air_time.begin_anew()
    again = SimulatedDriver().open("finch", VirtualTime())
    again.apply(RequestedSettings(100.3e6, 1.024e6, "discone"))
    assert np.array_equal(np.concatenate([again.read().samples for _ in range(4)]), first)
