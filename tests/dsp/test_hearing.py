"""What is heard, against closed forms; and streams in pieces against streams in one."""

from itertools import pairwise

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yarddial.dsp.listening.channel_filter import ChannelFilter
from yarddial.dsp.listening.gain_and_squelch import AutomaticGain, Deemphasis, NoiseReduction, Squelch
from yarddial.dsp.listening.hearing import ContinuousHearing, Hearing
from yarddial.dsp.listening.resampling import Resampler
from yarddial.dsp.listening.shared_span import SharedSpan
from yarddial.dsp.windows import windows
from yarddial.yard.demodulation import DEMODULATIONS, Demodulation, DemodulationSettings
from yarddial.yard.errors import BadSamples

RATE_HZ, OFFSET_HZ, TONE_HZ = 480e3, 71_000.0, 1_000.0
TIME_S = np.arange(int(1.5 * RATE_HZ)) / RATE_HZ
SINE, LESS_COSINE = np.sin(2 * np.pi * TONE_HZ * TIME_S), -np.cos(2 * np.pi * TONE_HZ * TIME_S)
CHANCE = np.random.default_rng(4)
STREAM = CHANCE.standard_normal((2, 60_000)).astype(np.float32)


def signal(size: np.ndarray | float, phase: np.ndarray | float, cn0_dbhz: float = 200.0) -> np.ndarray:
    """A carrier of 0.1 at the dial, with noise of carrier to density as wanted."""
    sigma = 0.1 * np.sqrt(RATE_HZ / 2 / 10 ** (cn0_dbhz / 10))
    noise = CHANCE.standard_normal((2, TIME_S.size)) * sigma
    clean = 0.1 * size * np.exp(1j * (2 * np.pi * OFFSET_HZ * TIME_S + phase))
    return (clean + noise[0] + 1j * noise[1]).astype(np.complex64)


def plainly(way: Demodulation) -> DemodulationSettings:
    """Its usual edges, nothing evened out."""
    return msgspec.structs.replace(DEMODULATIONS[way].settings(), gain_control=False, deemphasis_us=0.0)


def sound_of(way: Demodulation, samples: np.ndarray) -> np.ndarray:
    """A second of it, after half a second."""
    hearing = Hearing(RATE_HZ, OFFSET_HZ, plainly(way))
    assert hearing.sound_hz == 48_000.0
    sound = np.concatenate([hearing.push(part).sound for part in np.array_split(samples, 30)])[-43_000:-1_000]
    return sound if sound.ndim == 1 else sound.mean(axis=1)


def sinad_db(sound: np.ndarray, low_hz: float, high_hz: float) -> float:
    power = np.abs(np.fft.rfft(sound * np.hanning(sound.size))) ** 2
    hertz = np.arange(power.size) * 48_000 / sound.size
    inside, tone = (hertz > low_hz) & (hertz < high_hz), np.abs(hertz - TONE_HZ) < 5.0
    return float(10 * np.log10(power[inside & tone].sum() / power[inside & ~tone].sum()))


@pytest.mark.parametrize(
    ("way", "size", "phase", "ratio"),
    [
        # m^2 C / (2 N0 B), C / (N0 B), and D^2 / 2 x 3 C / (N0 (t^3 - b^3)); tone and noise between 300 and 2,600 Hz.
        ("am", 1 + 0.8 * SINE, 0.0, 0.32 / 2_300),
        ("sam", 1 + 0.8 * SINE, 0.0, 0.32 / 2_300),
        ("usb", 1.0, 2 * np.pi * TONE_HZ * TIME_S, 1 / 2_300),
        ("lsb", 1.0, -2 * np.pi * TONE_HZ * TIME_S, 1 / 2_300),
        ("nfm", 1.0, 3.0 * LESS_COSINE, 1.5 * 3_000**2 / (2_600**3 - 300**3)),
        ("wfm", 1.0, 50.0 * LESS_COSINE, 1.5 * 50_000**2 / (2_600**3 - 300**3)),
    ],
)  # fmt: skip
def test_what_is_heard_stands_over_noise_as_the_closed_form_says(
    way: Demodulation, size: np.ndarray | float, phase: np.ndarray | float, ratio: float
) -> None:
    got_db = sinad_db(sound_of(way, signal(size, phase, 72.0)), 300.0, 2_600.0)
    # Noise in 2,000 bins of one second: 0.2 dB.
    assert got_db == pytest.approx(72.0 + 10 * np.log10(ratio), abs=0.8)


@pytest.mark.parametrize(
    ("way", "inside_hz", "beside_hz"), [("usb", 900.0, -300.0), ("lsb", -900.0, 300.0), ("cw", 0.0, 500.0)]
)
def test_what_stands_beside_the_channel_is_60_db_down(way: Demodulation, inside_hz: float, beside_hz: float) -> None:
    levels = [np.std(sound_of(way, signal(1.0, 2 * np.pi * hertz * TIME_S))) for hertz in (inside_hz, beside_hz)]
    assert 20 * np.log10(levels[0] / levels[1]) > 60


def test_a_cw_carrier_on_the_dial_sounds_at_its_pitch() -> None:
    sound = sound_of("cw", signal(1.0, 0.0))
    peak = np.argmax(np.abs(np.fft.rfft(sound * np.hanning(sound.size))))
    assert peak * 48_000 / sound.size == pytest.approx(600.0, abs=48_000 / sound.size)


def test_a_stereo_pilot_is_told_and_a_rate_too_low_refused() -> None:
    pilot = 7_500.0 / 19_000.0 * -np.cos(2 * np.pi * 19_000.0 * TIME_S)
    for phase, stands in ((pilot, True), (20.0 * LESS_COSINE, False)):
        hearing = Hearing(RATE_HZ, OFFSET_HZ, DEMODULATIONS["wfm"].settings())
        for part in np.array_split(signal(1.0, phase, 95.0), 50):
            heard = hearing.push(part)
        assert heard.pilot_db is not None
        assert (heard.pilot_db > 20) == stands
        assert heard.level_dbfs == pytest.approx(-20.0, abs=0.1)
    assert heard.sound.shape[1] == 2
    with pytest.raises(BadSamples, match="too slow to hear WFM"):
        Hearing(96e3, 0.0, DEMODULATIONS["wfm"].settings())


@given(st.lists(st.integers(1, 20_000), min_size=1, max_size=6), st.sampled_from([48_000, 60_000, 48_761.9, 300_000]))
def test_resampled_pieces_are_the_resampled_whole(cuts: list[int], rate_hz: float) -> None:
    pieces, whole = (Resampler(rate_hz, 48_000.0, 17_000.0) for _ in range(2))
    edges = np.cumsum([0, *cuts])
    got = np.concatenate([pieces.push(STREAM[0, a:b]) for a, b in pairwise(edges)])
    wanted = whole.push(STREAM[0, : edges[-1]])
    assert got.size == wanted.size
    np.testing.assert_allclose(got, wanted, atol=1e-5)
    assert whole.out_rate_hz == pytest.approx(48_000.0, rel=7e-6)


@given(st.floats(100, 13_000))
def test_a_tone_keeps_its_frequency_through_resampling(hertz: float) -> None:
    resampler = Resampler(60_000.0, 48_000.0, 17_000.0)
    out = resampler.push(np.cos(2 * np.pi * hertz * np.arange(30_000) / 60_000).astype(np.float32))[100:]
    expected = np.cos(2 * np.pi * hertz * (np.arange(out.size) + 100) / 48_000)
    np.testing.assert_allclose(out, expected, atol=2e-3)


@given(st.lists(st.integers(1, 9_000), min_size=1, max_size=6))
def test_filtered_pieces_are_the_filtered_whole_and_edges_move_while_it_runs(cuts: list[int]) -> None:
    stream = (STREAM[0] + 1j * STREAM[1]).astype(np.complex64)
    pieces, whole = (ChannelFilter(48_000.0, 200.0, 2_800.0) for _ in range(2))
    edges = np.cumsum([0, *cuts])
    got = np.concatenate([pieces.push(stream[a:b]) for a, b in pairwise(edges)])
    np.testing.assert_allclose(got, whole.push(stream[: edges[-1]])[: got.size], atol=1e-5)
    pieces.set_edges(-2_800.0, -200.0)
    tone = np.exp(2j * np.pi * 1_000.0 * np.arange(40_000) / 48_000).astype(np.complex64)
    assert np.abs(pieces.push(tone)[-4_000:]).max() < 1e-3


@settings(max_examples=20)
@given(st.floats(-1e6, 1e6), st.floats(-4_000, 4_000))
def test_a_shared_channel_gives_the_tone_where_it_is(offset_hz: float, beside_hz: float) -> None:
    rate_hz = 2.4e6
    turns = (offset_hz + beside_hz) / rate_hz * np.arange(6 * 57_344 + 8_192) % 1.0
    span = SharedSpan(rate_hz, [(offset_hz, 48_000.0)])
    (out,) = span.push(np.exp(2j * np.pi * turns).astype(np.complex64))
    here = out[2_000:] * np.exp(-2j * np.pi * beside_hz / span.out_rates_hz[0] * np.arange(out.size - 2_000))
    assert np.abs(here - here.mean()).max() < 1e-4
    assert abs(here.mean()) == pytest.approx(1.0, abs=1e-3)


def test_loudness_is_evened_squelch_closes_and_emphasis_has_its_corner() -> None:
    tone = np.sin(2 * np.pi * 700.0 * np.arange(96_000) / 48_000).astype(np.float32)
    for level in (1e-4, 0.9):
        even = AutomaticGain(48_000.0).push(level * tone)
        assert np.abs(even[24_000:]).max() == pytest.approx(0.5, rel=0.02)
    squelch = Squelch(-60.0)
    assert not squelch.push(tone, -70.0).any()
    assert squelch.push(tone, -59.0)[-1_000:].any()
    assert squelch.push(tone, -62.0).any()
    assert not squelch.push(tone, -64.0)[-1:].any()
    corner_hz = 1 / (2 * np.pi * 75e-6)
    at_corner = np.sin(2 * np.pi * corner_hz * np.arange(96_000) / 480_000).astype(np.float32)
    soft = Deemphasis(480_000.0, 75.0).push(at_corner)
    assert np.std(soft[9_600:]) / np.std(at_corner) == pytest.approx(2**-0.5, rel=0.01)


def test_noise_reduction_weakens_noise_and_leaves_a_tone() -> None:
    noise = 0.05 * STREAM.reshape(-1)
    tone = np.where(
        np.arange(noise.size) % 24_000 > 12_000, np.sin(2 * np.pi * 1_000.0 * np.arange(noise.size) / 48_000), 0
    )
    quiet = NoiseReduction(15.0).push((noise + 0.3 * tone).astype(np.float32))
    late = 512
    pauses = (np.arange(quiet.size) - late) % 24_000 < 11_000
    pauses[:48_000] = False
    sounding = ((np.arange(quiet.size) - late) % 24_000 > 16_000) & (np.arange(quiet.size) > 48_000)
    assert 20 * np.log10(np.std(noise) / np.std(quiet[pauses])) > 6
    assert np.std(quiet[sounding]) == pytest.approx(0.3 / 2**0.5, rel=0.1)


def test_windows_that_do_not_fit_are_refused() -> None:
    np.testing.assert_array_equal(windows(np.arange(6), 3, 2, 2), [[0, 1, 2], [2, 3, 4]])
    with pytest.raises(ValueError, match="do not fit"):
        windows(np.arange(6), 3, 2, 3)


def test_retuning_in_blocks_of_any_length_never_cracks() -> None:
    chance = np.random.default_rng(8)
    stream = signal(1 + 0.6 * SINE, 0.0, 90.0) + signal(1 + 0.6 * SINE, 2 * np.pi * -60_000.0 * TIME_S, 90.0)
    hearing, at, loudest = ContinuousHearing(RATE_HZ, OFFSET_HZ, DEMODULATIONS["am"].settings()), 0, 0.0
    for number in range(6):
        for block in (1, 300, 7_000, 90_000):
            heard = hearing.push(stream[at : at + block])
            at = (at + block) % (stream.size - 100_000)
            if number and heard.sound.size:
                loudest = max(loudest, float(np.abs(heard.sound).max()))
        way: Demodulation = "am" if chance.random() < 0.5 else "usb"
        hearing.change(OFFSET_HZ - 60_000.0 * (number % 2 == 0), DEMODULATIONS[way].settings())
    # Gain control brings every peak to a half of full scale; 3 dB more would be a crack.
    assert 0.3 < loudest < 0.5 * 2**0.5


def test_synchronous_am_finds_a_carrier_100_hz_off_the_dial_and_leaves_no_beat() -> None:
    sound = sound_of("sam", signal(1 + 0.6 * SINE, 2 * np.pi * 100.0 * TIME_S, 80.0))
    assert sinad_db(sound, 300.0, 2_600.0) > 35
    assert np.std(sound) == pytest.approx(0.6 / 2**0.5, rel=0.03)


@pytest.mark.parametrize(("cn0_dbhz", "least_db", "most_db"), [(105.0, 40.0, 120.0), (55.0, 0.0, 0.1)])
def test_left_stays_left_with_a_clear_pilot_and_is_on_both_sides_with_a_weak_one(
    cn0_dbhz: float, least_db: float, most_db: float
) -> None:
    # By ITU-R BS.450 from integrals in closed form: sin sum, sin(2 pilot) sin as the difference of two cosines.
    def integral(hertz: float) -> np.ndarray:
        return np.asarray(-np.cos(2 * np.pi * hertz * TIME_S) / hertz)

    def sine_integral(hertz: float) -> np.ndarray:
        return np.asarray(np.sin(2 * np.pi * hertz * TIME_S) / hertz)

    difference = (sine_integral(38_000 - TONE_HZ) - sine_integral(38_000 + TONE_HZ)) / 2
    phase = 75e3 * (0.45 * (integral(TONE_HZ) + difference) + 0.09 * integral(19_000.0))
    hearing = Hearing(RATE_HZ, OFFSET_HZ, plainly("wfm"))
    samples = signal(1.0, phase, cn0_dbhz)
    sound = np.concatenate([hearing.push(part).sound for part in np.array_split(samples, 60)])[-28_000:-4_000]
    left, right = (np.abs(np.fft.rfft(side * np.blackman(24_000)))[round(TONE_HZ / 2)] for side in sound.T)
    assert least_db <= 20 * np.log10(left / right) <= most_db
