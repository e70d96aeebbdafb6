"""Levels in and out of every unit, and chains against an independent computation."""

import json
from math import log10

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.cli.program import run
from yarddial.yard.cascade import ChainStage, cascade, parse_chain_stage
from yarddial.yard.errors import BadLevel
from yarddial.yard.external_noise import external_noise_db
from yarddial.yard.level import Level, parse_level


@pytest.mark.parametrize(
    ("text", "band", "dbm"),
    [
        ("-73 dBm", "hf", -73.0), ("−73dBm", "hf", -73.0), ("50 uV", "hf", -73.0103), ("5 µV", "hf", -93.0103),
        ("0 dBuV", "hf", -106.9897), ("20 dBuV", "hf", -86.9897), ("S9", "hf", -73.0), ("s7", "vhf", -105.0),
        ("S7+10", "hf", -75.0), ("S9+20 dB", "vhf", -73.0), ("1 pW", "hf", -90.0), ("0,5 mV", "hf", -53.0103),
    ],
)  # fmt: skip
def test_levels_are_read_as_people_write_them(text: str, band: str, dbm: float) -> None:
    assert parse_level(text, band).dbm == pytest.approx(dbm, abs=1e-4)  # type: ignore[arg-type]


@given(st.floats(-160, 30), st.sampled_from(["hf", "vhf"]), st.sampled_from([50.0, 75.0, 300.0]))
def test_every_unit_comes_back(dbm: float, band: str, ohms: float) -> None:
    level = Level(dbm, band, ohms)  # type: ignore[arg-type]
    for text in (f"{level.uv:.12g} uV", f"{level.dbuv:.12g} dBuV", f"{dbm:.12g} dBm"):
        assert parse_level(text, band, ohms).dbm == pytest.approx(dbm, abs=1e-6)  # type: ignore[arg-type]
    # A tenth of an S-unit is 0.6 dB, and decibels over S9 are whole.
    assert parse_level(level.s_meter, band).dbm == pytest.approx(dbm, abs=0.51)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    "text", ["", "loud", "5", "-5 uV", "0 V", "S12", "3 furlong", "500 dBm", "nan dBm", "1e999 dBm"]
)
def test_what_is_no_level_is_refused_in_a_sentence(text: str) -> None:
    with pytest.raises(BadLevel) as refused:
        parse_level(text)
    assert "\n" not in str(refused.value)


STAGES = st.builds(
    ChainStage, st.just("x"), st.floats(-30, 40), st.floats(0, 30), st.one_of(st.none(), st.floats(-50, 50))
)


@given(st.lists(STAGES, min_size=1, max_size=8), st.floats(1, 1e7))
def test_a_chain_is_worth_what_noise_and_products_through_it_are(stages: list[ChainStage], bandwidth_hz: float) -> None:
    """Judged by carrying noise power and product amplitude from stage to stage, not by Friis' formula."""
    noise_mw = source_mw = 10 ** (-173.98 / 10) * bandwidth_hz
    tone_mw, product = 1e-9, 0.0
    for stage in stages:
        gain = 10 ** (stage.gain_db / 10)
        noise_mw = (noise_mw + (10 ** (stage.nf_db / 10) - 1) * source_mw) * gain
        if stage.iip3_dbm is not None:
            # Amplitudes add in phase: that of a product of this stage is P^1.5 / IIP3.
            product += tone_mw**1.5 / 10 ** (stage.iip3_dbm / 10)
        product *= gain**0.5
        tone_mw *= gain
    found = cascade(stages, bandwidth_hz)
    assert found.gain_db == pytest.approx(10 * log10(tone_mw / 1e-9), abs=1e-9)
    assert found.floor_dbm + found.gain_db == pytest.approx(10 * log10(noise_mw), abs=1e-9)
    if product == 0.0:
        assert found.iip3_dbm is None
    else:
        iip3_mw = 1e-9 * (tone_mw**0.5 / product)
        assert found.iip3_dbm == pytest.approx(10 * log10(iip3_mw), abs=1e-9)
        assert sum(found.overload_shares) == pytest.approx(1.0)


def test_stages_are_read_and_bad_ones_refused() -> None:
    assert parse_chain_stage("LNA:gain=20dB,nf=1.5dB,iip3=-10dBm") == ChainStage("LNA", 20.0, 1.5, -10.0)
    assert parse_chain_stage("pad:gain=-6,nf=6") == ChainStage("pad", -6.0, 6.0)
    for text in ("gain=3,nf=2", "a:gain=3", "a:gain=3,nf=-1", "a:gain=x,nf=2", "a:gain=3,nf=1,nf=2", "a:gain=1e9,nf=1"):
        with pytest.raises(BadLevel):
            parse_chain_stage(text)


def test_noise_from_outside_is_the_recommendations() -> None:
    """Residential at 10 MHz: 72.5 - 27.7 = 44.8 dB over kT0; far up half ground and half cold sky is left."""
    assert external_noise_db(10e6, "residential") == pytest.approx(44.8, abs=1e-3)
    # 8.7 K of sky and 290 K of ground, half of each.
    assert external_noise_db(10e9, "quiet", None, 0.5) == pytest.approx(10 * log10((8.7 + 290) / 2 / 290), abs=0.01)
    assert external_noise_db(10e9, "quiet") == pytest.approx(0.0, abs=1e-3)


def test_the_commands_answer(capsys: pytest.CaptureFixture[str]) -> None:
    assert run(["level", "-73 dBm", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert (found["dbm"], found["s_meter"]) == (-73.0, "S9")
    assert found["uv"] == pytest.approx(50.06, abs=0.01)
    assert (
        run(
            [
                "levels",
                "--stage",
                "a:gain=20,nf=3,iip3=0",
                "--stage",
                "b:gain=10,nf=10",
                "--bandwidth",
                "2.5k",
                "--json",
            ]
        )
        == 0
    )
    found = json.loads(capsys.readouterr().out)
    # F = 2 + 9 / 100, with 3 dB as 1.9953.
    assert found["nf_db"] == pytest.approx(10 * log10(10**0.3 + 0.09), abs=1e-12)
    assert found["iip3_dbm"] == pytest.approx(0.0, abs=1e-12)
    assert run(["level", "loud"]) == 2
    assert run(["levels", "--stage", "a:gain=20", "--bandwidth", "1k"]) == 2
