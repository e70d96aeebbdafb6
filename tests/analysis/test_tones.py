"""The dial's error by tones: arithmetic, and WAV files through the command line."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.tones.dial_error import dial_error
from yarddial.cli.program import run
from yarddial.yard.errors import BadObservations


@given(st.floats(-200, 200), st.floats(300, 2_000), st.floats(0.001, 0.5), st.floats(0.001, 0.5))
def test_any_two_or_three_give_error_and_tone_back(error_hz: float, tone_hz: float, s1: float, s2: float) -> None:
    every = {"am": (tone_hz, s1), "usb": (tone_hz + error_hz, s2), "lsb": (tone_hz - error_hz, s2)}
    for left_out in (None, "am", "usb", "lsb"):
        found = dial_error({way: value for way, value in every.items() if way != left_out})  # type: ignore[arg-type]
        assert found.dial_error_hz == pytest.approx(error_hz, abs=1e-6)
        assert found.tone_hz == pytest.approx(tone_hz, abs=1e-6)
    # By the two sidebands alone the error is known to a half of what their difference is.
    both = dial_error({"usb": every["usb"], "lsb": every["lsb"]})
    # A dial moves by 0.1 Hz from take to take besides.
    assert both.sigma_hz == pytest.approx((s2**2 + 0.1**2) ** 0.5 / 2**0.5)


def test_tones_that_are_not_of_one_dial_are_refused() -> None:
    with pytest.raises(BadObservations, match="miss one another"):
        dial_error({"am": (600.0, 0.01), "usb": (650.0, 0.01), "lsb": (500.0, 0.01)})
    with pytest.raises(BadObservations, match="two of"):
        dial_error({"am": (600.0, 0.01)})


def heard(path: Path, hertz: float, seed: int) -> None:
    """A tone in noise with mains hum four times as strong, and a station's carrier note below."""
    chance = np.random.default_rng(seed)
    time_s = np.arange(3 * 44_100) / 44_100
    sound = 0.05 * np.sin(2 * np.pi * hertz * time_s + chance.random())
    sound += sum(0.2 / k * np.sin(2 * np.pi * 50 * k * time_s + k) for k in (1, 2, 3)) + 0.02 * chance.standard_normal(
        time_s.size
    )
    soundfile.write(path, sound, 44_100, "PCM_16")


def test_the_command_reads_wav_files_through_hum_and_noise(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for way, hertz in (("am", 1_000.0), ("usb", 1_037.42), ("lsb", 962.58)):
        heard(tmp_path / f"{way}.wav", hertz, len(way) + int(hertz))
    files = [arg for way in ("am", "usb", "lsb") for arg in (f"--{way}", str(tmp_path / f"{way}.wav"))]
    assert run(["tones", *files, "--near", "1000", "--json"]) == 0
    found: dict[str, Any] = json.loads(capsys.readouterr().out)
    assert found["dial_error_hz"] == pytest.approx(37.42, abs=max(0.05, 3 * found["sigma_hz"]))
    assert found["tone_hz"] == pytest.approx(1_000.0, abs=0.05)
    # Two takes of 0.1 Hz each, halved.
    assert found["sigma_hz"] == pytest.approx(0.1 / 2**0.5, rel=0.1)
    for bad, said in (
        (["--am", str(tmp_path / "am.wav"), "--near", "1k"], "two of"),
        (["--am", str(tmp_path / "am.wav"), "--usb", str(tmp_path / "no.wav"), "--near", "1k"], "not there"),
        (["--am", str(tmp_path / "am.wav"), "--usb", __file__, "--near", "1k"], "no sound"),
        (["--am", str(tmp_path / "am.wav"), "--usb", str(tmp_path / "usb.wav"), "--near", "40k"], "another"),
    ):
        assert run(["tones", *bad]) == 2
        assert said in capsys.readouterr().err
