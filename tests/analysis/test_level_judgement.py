"""Products, the 3:1 test, the setting of all stages, levels along the line, ghosts near: against formulas."""

from math import log10

import msgspec
import numpy as np
import pytest

from yarddial.analysis.ghosts.expected_in_span import USUAL_MIRROR_DB, expected_ghosts, standing_lines
from yarddial.analysis.levels.best_setting import best_setting
from yarddial.analysis.levels.level_line import ADC_NAME, MeasuredLevels, level_line, socket_offset_db
from yarddial.analysis.levels.measured_setting import GainPoint
from yarddial.analysis.levels.three_to_one import judge_lines
from yarddial.analysis.levels.unseen_products import with_unseen
from yarddial.dsp.products import clipping_in_channel, products_in_channel
from yarddial.engine.taps.gain_sweep import measure
from yarddial.yard.demo import VIA_LADDER, demo_station
from yarddial.yard.errors import BadSamples
from yarddial.yard.external_noise import Outside
from yarddial.yard.frequency_conversion import Stage

RATE_HZ, COUNT = 1e6, 1 << 17
BIN_HZ = RATE_HZ / 4096
# Two strong tones, and where their third-order products fall.
ONE_HZ, TWO_HZ = 400 * BIN_HZ, 460 * BIN_HZ
LOW_HZ, HIGH_HZ = 2 * ONE_HZ - TWO_HZ, 2 * TWO_HZ - ONE_HZ


def two_tones(amplitude: float, cubic: float, seed: int = 1, noise_dbfs: float = -85.0) -> np.ndarray:
    """y = x - k |x|^2 x of two equal tones and a weak one; each product has the amplitude k a^3."""
    chance = np.random.default_rng(seed)
    turns = 2j * np.pi * np.arange(COUNT) / RATE_HZ
    x = amplitude * (np.exp(ONE_HZ * turns) + np.exp(TWO_HZ * turns))
    x = x + amplitude * 10 ** (-50 / 20) * np.exp(-700 * BIN_HZ * turns)
    x = x + 10 ** (noise_dbfs / 20) * (chance.standard_normal(COUNT) + 1j * chance.standard_normal(COUNT)) / np.sqrt(2)
    return (x * (1 - cubic * np.abs(x) ** 2)).astype(np.complex64)


@pytest.mark.parametrize(("amplitude", "cubic"), [(0.3, 0.1), (0.2, 0.01), (0.1, 0.005)])
def test_products_in_a_channel_are_measured_by_their_cube_even_under_the_noise(amplitude: float, cubic: float) -> None:
    samples = two_tones(amplitude, cubic)
    made_db = 20 * log10(cubic * amplitude**3)
    found = products_in_channel(samples, RATE_HZ, HIGH_HZ, 3_000.0)
    # The last case: -106 dBFS, where the noise of the channel is at -110 and that of the span at -85.
    assert 10 * log10(found) == pytest.approx(made_db, abs=0.5)
    # Where no product falls, there is next to none; on a straight receiver none at all.
    assert products_in_channel(samples, RATE_HZ, -700 * BIN_HZ, 3_000.0) < found / 30
    assert products_in_channel(two_tones(amplitude, 0.0), RATE_HZ, HIGH_HZ, 3_000.0) == 0.0


def test_clipping_is_foreseen_from_clear_samples() -> None:
    clear = two_tones(0.3, 0.0, noise_dbfs=-95.0)
    raised = clear * np.float32(10 ** (8 / 20))
    clipped = np.clip(raised.view(np.float32), -1, 1).view(np.complex64)
    truth = measure(clipped.astype(np.complex64), RATE_HZ, HIGH_HZ, 3_000.0).channel_dbfs
    foreseen = clipping_in_channel(clear, 8.0, RATE_HZ, HIGH_HZ, 3_000.0)
    assert 10 * log10(foreseen) == pytest.approx(truth, abs=0.5)
    assert clipping_in_channel(clear, 0.0, RATE_HZ, HIGH_HZ, 3_000.0) < 1e-12


def test_with_less_in_front_products_fall_three_times_as_fast() -> None:
    spans: tuple[list, list] = ([], [])
    for pair in range(4):
        for kind, amplitude in enumerate((0.2, 0.2 * 10 ** (-6 / 20))):
            spans[kind].append(measure(two_tones(amplitude, 0.1, 10 * pair + kind), RATE_HZ, 0.0, 1e4).span)
    lines = {round(line.offset_hz / BIN_HZ): line for line in judge_lines(*spans, RATE_HZ, 6.0)}
    assert {lines[400].kind, lines[460].kind, lines[-700].kind} == {"signal"}
    for hertz in (LOW_HZ, HIGH_HZ):
        product = lines[round(hertz / BIN_HZ)]
        assert (product.kind, product.order) == ("product", 3)
        assert product.fall_db == pytest.approx(18.0, abs=1.0)
    with pytest.raises(BadSamples, match="twice"):
        judge_lines(spans[0][:1], spans[1], RATE_HZ, 6.0)
    with pytest.raises(BadSamples, match="3 dB or more"):
        judge_lines(*spans, RATE_HZ, 1.0)


def stepped(front_db: float, back_db: float, signal_dbm: float, products_dbm: float) -> GainPoint:
    """By formula: converter noise at -100 dBFS in the channel, incoming at -120 dBm, products by the front's gain."""
    gain_db = front_db + back_db
    noise = 1e-10 + 10 ** ((-120 + gain_db) / 10)
    made = 10 ** ((products_dbm + gain_db + 2 * front_db) / 10)
    channel = 10 ** ((signal_dbm + gain_db) / 10) + noise + made
    width_hz = 3_000.0
    return GainPoint(
        gain_db, 10 * log10(noise / width_hz), 10 * log10(channel), width_hz, 0.0,
        (("front", front_db), ("back", back_db)), -60.0 + gain_db, 10 * log10(made),
    )  # fmt: skip


def test_of_all_settings_the_least_gain_near_the_best_is_advised_and_habits_are_priced() -> None:
    steps = [stepped(f, b, -95.0, -140.0) for f in (0.0, 10.0, 20.0) for b in (0.0, 15.0, 30.0, 45.0)]
    found = best_setting(steps)
    # Products are 20 dB under the noise at 0 dB in front, equal to it at 10, 20 over it at 20: gain belongs behind.
    assert dict(found.gains_db) == {"front": 0.0, "back": 45.0} or dict(found.gains_db) == {"front": 0.0, "back": 30.0}
    truth = {s.gains_db: s.sndr_db for s in steps}
    assert truth[found.gains_db] >= max(truth.values()) - 0.5
    midpoint = next(s for s in steps if s.gains_db == (("front", 10.0), ("back", 30.0)))
    assert found.midpoint_costs_db == pytest.approx(max(truth.values()) - midpoint.sndr_db, abs=0.1)
    # Automatic gain fills the converter to -9 dBFS: 51 dB together, so 20 and 30.
    automatic = next(s for s in steps if s.gains_db == (("front", 20.0), ("back", 30.0)))
    assert found.automatic_costs_db == pytest.approx(max(truth.values()) - automatic.sndr_db, abs=0.1)
    with pytest.raises(BadSamples, match="no wanted signal"):
        best_setting([stepped(f, 30.0, -150.0, -200.0) for f in (0.0, 10.0, 20.0)])


def test_where_no_gain_helps_an_attenuator_does_by_as_much_as_the_formula_says() -> None:
    found = best_setting([stepped(0.0, b, -90.0, -105.0) for b in (30.0, 38.0, 45.0)], outside_share=1.0)
    # Noise from outside at -120, the converter's at -100 less the gain behind; products at -105 fall twice as fast.
    over_db = 15 - 10 * log10(1 + 10 ** (2.0 - dict(found.gains_db)["back"] / 10))
    assert found.attenuator_db > 10
    gain = (1 + 10 ** (over_db / 10)) / (1 + 10 ** ((over_db - 2 * found.attenuator_db) / 10))
    assert found.attenuator_gains_db == pytest.approx(10 * log10(gain), abs=0.01)
    assert found.filter_db == pytest.approx(over_db + 6, abs=0.01)


def test_levels_along_the_line_are_carried_by_gains_and_the_bottleneck_is_named() -> None:
    line = demo_station().resolve(VIA_LADDER).at(10e6)
    seen = MeasuredLevels(-80.0, -40.0, -20.0, 1.0, "as calibrated")
    found = level_line(line, Outside("rural"), 9_000.0, seen)
    assert [plate.name for plate in found.plates] == ["Patch", "Ladder", "Finch", ADC_NAME]
    # At Finch's socket as measured; behind Patch 1.5 dB more, as Ladder loses them.
    assert [plate.wanted_dbm for plate in found.plates] == pytest.approx([-78.5, -80.0, -80.0, -80.0])
    # Ladder bears 18 - 9.6 at its input, 1.5 less behind it; Finch -22 - 9.6; the converter full scale.
    assert found.plates[1].limit_dbm == pytest.approx(18 - 9.6 - 1.5)
    assert found.plates[2].limit_dbm == pytest.approx(-31.6)
    assert found.plates[3].limit_dbm == -20.0
    assert found.bottleneck == "Finch: the strongest signal is only 8 dB under where it compresses"
    # Eight bits over 2.048 MHz into 9 kHz.
    assert found.converter_snr_db == pytest.approx(6.02 * 8 + 1.76)
    assert found.process_gain_db == pytest.approx(10 * log10(2.048e6 / 9e3))
    driven = level_line(line, Outside("rural"), 9_000.0, MeasuredLevels(None, -15.0, -20.0, 1.0, ""))
    assert driven.bottleneck.startswith("Finch is driven 17 dB over")
    calm = level_line(line, Outside("city"), 9_000.0, MeasuredLevels(-80.0, -75.0, -20.0, 1.0, ""))
    assert calm.bottleneck.startswith("nothing on the route")
    assert level_line(line, Outside("rural"), 9_000.0).plates[-1].name == "Finch"


@pytest.mark.parametrize("offset_db", [-60.0, -35.0, -25.0])
def test_without_a_calibration_the_noise_that_should_be_there_tells_dbm(offset_db: float) -> None:
    line = demo_station().resolve(VIA_LADDER).at(10e6)
    # Eight bits over 2.048 MHz, and at the socket what comes in with what the parts before add.
    converter = 10 ** (-(6.02 * 8 + 1.76) / 10) / 2.048e6
    incoming_dbm_hz = level_line(line, Outside("rural"), 1.0).plates[-1].floor_dbm
    floor = converter + 10 ** ((incoming_dbm_hz - offset_db) / 10)
    assert socket_offset_db(line, Outside("rural"), 10 * log10(floor)) == pytest.approx(offset_db, abs=1e-6)
    assert socket_offset_db(line, Outside("rural"), 10 * log10(converter) + 1.0) is None
    hidden = level_line(line, Outside("rural"), 9_000.0, is_hidden=True)
    assert hidden.bottleneck == "Finch's ADC: its own noise hides what comes in; raise the gain"


def test_ghosts_are_expected_where_the_formulas_put_them() -> None:
    ladder = Stage("sum", 120e6)
    found = expected_ghosts(130e6, 2e6, ((130.4e6, -30.0), (129.5e6, -80.0)), -90.0, None, 26e6, [("Ladder", ladder)])
    # The weaker line's mirror drowns; 5 x 26 MHz is the centre itself.
    assert [(one.counted_hz, one.name) for one in found] == [
        (129.6e6, "mirror"), (130e6, "centre's spike"), (130e6, "5 × crystal"),
    ]  # fmt: skip
    assert found[0].level_dbfs == pytest.approx(-30.0 - USUAL_MIRROR_DB)
    assert found[0].made_of_hz == 130.4e6
    near_lo = expected_ghosts(240.3e6, 2e6, (), -90.0, None, 0.0, [("Ladder", ladder)])
    assert [(one.counted_hz, one.formula) for one in near_lo] == [(240e6, "f = 2 L"), (240.3e6, "f = f_c")]
    quiet = expected_ghosts(130e6, 2e6, ((130.4e6, -30.0),), -90.0, 80.0)
    assert [one.name for one in quiet] == ["centre's spike"]


def test_standing_lines_are_the_strongest_away_from_centre_and_edges() -> None:
    mean_db = np.full(1024, -90.0, np.float32)
    for at, level_db in ((512, -10.0), (700, -40.0), (300, -55.0), (1_020, -30.0), (640, -75.0)):
        mean_db[at] = level_db
    lines, floor_db = standing_lines(mean_db, 100e6, 1.024e6)
    assert floor_db == -90.0
    assert [(round(hertz), level_db) for hertz, level_db in lines] == [(100_188_500, -40.0), (99_788_500, -55.0)]


def test_what_signals_beyond_the_span_make_is_seen_at_settings_of_equal_gain() -> None:
    """Products that nobody sees in the span: at -98 dBm for 0 dB in front, growing by 2 dB for each."""
    steps = []
    for front_db in (0.0, 6.0, 12.0, 18.0):
        for back_db in (30.0, 36.0, 42.0, 48.0):
            steps.append(msgspec.structs.replace(stepped(front_db, back_db, -95.0, -118.0), products_dbfs=-200.0))
    found = best_setting(steps)
    # At 0 dB in front they lie 23 dB under the signal, at 18 dB 13 dB over it.
    assert dict(found.gains_db)["front"] == 0.0
    assert found.unseen_db is not None
    assert "beyond the span" in found.reason
    made = [step.products_dbfs for step in with_unseen(steps) if step.gains_db == (("front", 18.0), ("back", 30.0))]
    assert made[0] == pytest.approx(-118.0 + 48.0 + 36.0, abs=0.5)
    even = [msgspec.structs.replace(stepped(f, b, -95.0, -300.0)) for f in (0.0, 10.0) for b in (30.0, 40.0, 45.0)]
    assert with_unseen(even) == even


@pytest.mark.parametrize("width_hz", [1_000.0, 1_800.0, 2_500.0, 2_700.0, 9_000.0])
@pytest.mark.parametrize("offset_hz", [-30_000.0, 41_130.0])
def test_noise_in_a_channel_is_its_floor_times_its_width(width_hz: float, offset_hz: float) -> None:
    chance = np.random.default_rng(8)
    noise = (0.01 * chance.standard_normal(2 * 4_000_000)).astype(np.float32).view(np.complex64)
    found = measure(noise, RATE_HZ, offset_hz, width_hz)
    # Relative sigma 1 / sqrt(B T) of the channel; T is 4,000,000 samples.
    sigma_db = 10 / np.log(10) / np.sqrt(width_hz * 4_000_000 / RATE_HZ)
    assert found.channel_dbfs - found.floor_dbfs_hz - 10 * log10(found.width_hz) == pytest.approx(0, abs=4 * sigma_db)
