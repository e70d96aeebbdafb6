"""Few bits: how far what comes back may be from what went, by the bits' own arithmetic; nothing hostile is unpacked."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yarddial.distance import wire
from yarddial.distance.coding import (
    BITS,
    STEP_DB,
    CodedLevels,
    CodedSamples,
    code_levels,
    code_samples,
    levels_of,
    samples_of,
)
from yarddial.distance.sound_sender import SoundSender, needs_bits
from yarddial.dsp.listening.thin_channel import FilledChannel, ThinChannel
from yarddial.dsp.listening.thin_sound import FilledSound, ThinSound
from yarddial.engine.events import Sound
from yarddial.yard.errors import BadSamples


@given(st.sampled_from(BITS), st.integers(1, 400), st.integers(0, 99))
def test_a_sample_comes_back_within_half_a_step_of_its_block(bits: int, count: int, seed: int) -> None:
    chance = np.random.default_rng(seed)
    samples = (chance.standard_normal(count) + 1j * chance.standard_normal(count)).astype(np.complex64)
    back = samples_of(code_samples(samples, bits))
    step = np.abs(samples.view(np.float32)).max() / (2 ** (bits - 1) - 1)
    assert np.abs((back - samples).view(np.float32)).max() <= 0.5001 * step
    # A block of so many samples takes so many bits, and nothing besides.
    assert len(code_samples(samples, bits).data) == (2 * count * bits + 7) // 8


def test_eight_bits_keep_a_voice_50_db_over_what_they_add() -> None:
    """A voice's block has a crest of some 12 dB: 6.02 (b - 1) + 4.77 - 12 dB, at 10 bits over 45, at 12 over 55."""
    chance = np.random.default_rng(1)
    samples = (chance.standard_normal(4_000) + 1j * chance.standard_normal(4_000)).astype(np.complex64)
    over_db = {}
    for bits in BITS:
        error = samples_of(code_samples(samples, bits)) - samples
        over_db[bits] = float(10 * np.log10(np.vdot(samples, samples).real / np.vdot(error, error).real))
    for bits, db in over_db.items():
        crest_db = 20 * np.log10(np.abs(samples.view(np.float32)).max() / samples.view(np.float32).std())
        assert db == pytest.approx(6.02 * (bits - 1) + 10.79 - crest_db, abs=0.6)
    assert over_db[10] > 50


@given(st.integers(1, 5), st.integers(1, 300), st.integers(0, 99))
def test_levels_come_back_within_half_a_step(columns: int, rows: int, seed: int) -> None:
    level_db = np.random.default_rng(seed).uniform(-179, 10, (columns, rows)).astype(np.float32)
    back = levels_of(code_levels(level_db))
    assert back.shape == level_db.shape
    assert np.abs(back - level_db).max() <= STEP_DB / 2 + 1e-3


@settings(max_examples=300)
@given(st.lists(st.integers(-5, 10**9), max_size=3), st.binary(max_size=200))
def test_levels_that_are_none_are_refused(shape: list[int], data: bytes) -> None:
    try:
        levels_of(CodedLevels(tuple(shape), data))
    except BadSamples as error:
        assert "\n" not in str(error)


@settings(max_examples=300)
@given(st.floats(), st.integers(-2, 40), st.integers(-5, 10**9), st.binary(max_size=200))
def test_samples_that_are_none_are_refused(scale: float, bits: int, count: int, data: bytes) -> None:
    try:
        back = samples_of(CodedSamples(scale, bits, count, data))
    except BadSamples as error:
        assert "\n" not in str(error)
    else:
        assert back.size == count
        assert len(data) == (2 * count * bits + 7) // 8


@pytest.mark.parametrize(
    ("low_hz", "high_hz"), [(-4_500.0, 4_500.0), (200.0, 2_800.0), (-2_800.0, -200.0), (-250.0, 250.0)]
)
@pytest.mark.parametrize("span_hz", [250e3, 1.024e6])
def test_a_thin_channel_brings_its_tones_back_where_they_were(low_hz: float, high_hz: float, span_hz: float) -> None:
    thin = ThinChannel(span_hz, 10e3, low_hz, high_hz)
    filled = FilledChannel(thin.rate_hz, thin.middle_hz, thin.factor)
    assert thin.rate_hz <= 1.6 * (high_hz - low_hz) + 400
    tone_hz = low_hz + 0.7 * (high_hz - low_hz)
    time_s = np.arange(int(2 * span_hz)) / span_hz
    # One tone in the channel, one beside it, twice as strong.
    span = np.exp(2j * np.pi * (10e3 + tone_hz) * time_s) + 2 * np.exp(2j * np.pi * (10e3 + high_hz + 3_000) * time_s)
    came = np.concatenate([filled.push(thin.push(part.astype(np.complex64))) for part in np.array_split(span, 37)])
    steady = came[came.size // 3 : 2 * came.size // 3]
    at = np.exp(-2j * np.pi * tone_hz * np.arange(steady.size) / filled.rate_hz) * np.hanning(steady.size)
    assert abs((steady * at).sum()) / np.hanning(steady.size).sum() == pytest.approx(1.0, abs=0.02)
    # What is left beside the tone, by its power in all.
    assert np.vdot(steady, steady).real / steady.size == pytest.approx(1.0, abs=0.02)


@pytest.mark.parametrize(("rate_hz", "is_stereo"), [(32_000.0, True), (32_000.0, False), (16_000.0, False)])
def test_thin_sound_plays_the_same_tones_on_their_own_sides(rate_hz: float, *, is_stereo: bool) -> None:
    """Through 10 bits each: a tone of half of full scale stands 10 log10(3/2 4^9) - 6 = 50 dB over what is added."""
    n = np.arange(48_000)
    left, right = 0.5 * np.sin(2 * np.pi * 1_000 / 48e3 * n), 0.5 * np.sin(2 * np.pi * 3_000 / 48e3 * n)
    sound = np.stack([left, right], axis=1).astype(np.float32)
    thin = ThinSound(48e3, rate_hz, is_stereo=is_stereo)
    filled = FilledSound(thin.rate_hz, 48e3, is_stereo=is_stereo)
    blocks = [filled.push(samples_of(code_samples(thin.push(part), 10))) for part in np.array_split(sound, 37)]
    played = np.concatenate(blocks).reshape(-1, 2 if is_stereo else 1)
    assert filled.rate_hz == 48e3
    for side, tones_hz in zip(played.T, ((1_000,), (3_000,)) if is_stereo else ((1_000, 3_000),), strict=True):
        kept = side[4_800:43_200]
        basis = np.exp(2j * np.pi * np.outer(np.array(tones_hz) / 48e3, np.arange(kept.size)))
        heard = np.array([2 * np.mean(kept * wave.conj()) for wave in basis])
        assert np.abs(heard) == pytest.approx(0.5 if is_stereo else 0.25, rel=0.01)
        rest = kept - np.real(heard @ basis)
        assert 10 * np.log10(np.mean(kept**2) / np.mean(rest**2)) > 45


def test_sound_climbs_where_there_is_room_and_falls_where_there_is_none(monkeypatch: pytest.MonkeyPatch) -> None:
    at = [100.0]
    monkeypatch.setattr("yarddial.yard.clock.monotonic_s", lambda: at[0])
    sender = SoundSender()
    block = Sound(48e3, np.zeros((4_800, 2), np.float32), -40.0, True)

    def sends(able_bits: float, free_s: float, for_s: float) -> float:
        """Bits a second of what it sends then."""
        for _ in range(int(for_s / 0.1)):
            at[0] += 0.1
            message = sender.code(block, able_bits, free_s, 0)
            assert message is not None
        return 2 * message.rate_hz * message.samples.bits / (1 if message.is_stereo else 2)

    # Known to carry 100 kbit/s, and nothing waits: up to the best; then it is crowded: down to what fits, at once.
    assert sends(100e3, 60.0, 30.0) == pytest.approx(needs_bits(0), rel=0.01)
    assert sends(300e3, 0.0, 0.1) <= 300e3
    # Still crowded, it never takes more than it is known to carry.
    assert max(sends(300e3, 0.0, 1.0) for _ in range(20)) <= 300e3


@pytest.mark.parametrize("half_hz", [25.0, 250.0, 3_000.0, 8_000.0])
@pytest.mark.parametrize("rate_hz", [48e3, 1.024e6, 2.4e6, 10e6])
def test_every_channel_that_is_sent_is_within_the_bounds_that_the_near_side_holds_it_to(
    half_hz: float, rate_hz: float
) -> None:
    """The narrowest Morse filter to the widest AM one, at any receiver's rate."""
    channel = ThinChannel(rate_hz, 0.0, -half_hz, half_hz)
    samples = code_samples(np.zeros(8, np.complex64), 8)
    message = wire.ChannelMessage(1, 1, channel.rate_hz, channel.middle_hz, channel.factor, 0, samples, 1)
    assert wire.read_far(wire.frame(message)[4:]) == message
