"""The command line that scripts rely on."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from yarddial import wiring
from yarddial.cli.program import run
from yarddial.records.recordings import write_sigmf
from yarddial.yard.frequency_conversion import SamplingClock, Stage, trace


@pytest.fixture
def call(capsys: pytest.CaptureFixture[str]) -> Any:
    """Run a command line; gives status, standard output and standard error."""

    def do(*arguments: str) -> tuple[int, str, str]:
        capsys.readouterr()
        status = run(list(arguments))
        said = capsys.readouterr()
        return status, said.out, said.err

    return do


def test_path_prints_one_json_object(call: Any) -> None:
    status, out, err = call("path", "14.305M", "--through", "sum:120M@3.4", "--receiver-ppm", "27", "--json")
    found = json.loads(out)
    expected = trace(14_305_000.0, [Stage("sum", 120e6, 408.0)], SamplingClock(27.0))
    assert (status, err) == (0, "")
    assert found["port_hz"] == expected.port_hz == 134_305_408.0
    assert found["dial_error_hz"] == pytest.approx(expected.dial_error_hz)
    assert found["stages"] == [{"kind": "sum", "lo_hz": 120e6, "out_hz": 134_305_408.0}]
    assert {"antenna_hz", "shown_hz", "dial_hz", "sense"} <= set(found)


def test_a_frequency_may_begin_with_a_minus_sign(call: Any) -> None:
    status, out, _ = call("frequency", "-100.000.000", "--json")
    assert status == 0
    assert json.loads(out) == {"hz": -100e6, "text": "−100.000 MHz"}
    assert call("path", "-5M", "--json")[0] == 0


@pytest.mark.parametrize(
    "arguments",
    [
        ("frequency", "14,305"),
        ("frequency",),
        ("frequency", "1", "2"),
        ("frequency", "5", "--field-unit", "bananas"),
        ("path", "14M", "--through", "up:5M"),
        ("path", "14M", "--receiver-ppm", "many"),
        ("path",),
        ("nothing", "--json"),
        ("measure", "/no/such/file.wav"),
        ("measure", __file__),
        ("measure", "x.raw", "--format", "cu8"),
        ("true", "/no/such.csv"),
        ("true", __file__),
        ("simulate", "/no/such/folder/x", "--centre", "10M", "--seconds", "0.01"),
        ("simulate", "x", "--centre", "5G"),
        ("simulate", "x", "--centre", "10M", "--rate", "7M"),
        ("simulate", "x", "--centre", "10M", "--route", "moon"),
        ("simulate", "x", "--centre", "10M", "--seconds", "-1"),
        ("simulate", "x", "--centre", "10M", "--receiver", "wren"),
        ("path", "14M", "--jsn"),
    ],
)
def test_bad_input_is_one_sentence_on_standard_error(call: Any, arguments: tuple[str, ...]) -> None:
    status, out, err = call(*arguments)
    assert (status, out) == (2, "")
    assert err.count("\n") == 1
    assert len(err) > 10


def test_simulate_measure_and_true_close_the_circle(call: Any, tmp_path: Path) -> None:
    """Two recordings, two measurements, a CSV file: the truth that `simulate` told comes back."""
    rows = ["reference_hz,reference_sigma_hz,measured_hz,sigma_hz,through"]
    for name, centre, reference, through in (("hf", "9.8M", "10M", "sum:120M"), ("vhf", "145M", "145.2M", "")):
        _, out, _ = call("simulate", str(tmp_path / name), "--centre", centre, "--seed", "8", "--json")
        truth = json.loads(out)["truth"]
        status, out, _ = call("measure", str(tmp_path / f"{name}.sigmf-meta"), "--reference", reference, "--json")
        assert status == 0
        found = json.loads(out)
        assert found["error_hz"] == pytest.approx(found["frequency_hz"] - float(reference[:-1]) * 1e6)
        rows.append(f"{reference},0.3,{found['frequency_hz']:.6f},{found['sigma_hz']:.6f},{through}")
        if through:
            oscillator_hz = truth["converters"][0]["lo_error_hz"]
    (tmp_path / "seen.csv").write_text("\n".join(rows))
    status, out, _ = call("true", str(tmp_path / "seen.csv"), "--json")
    fitted = json.loads(out)
    assert status == 0
    receiver, (converter,) = fitted["receiver_ppm"], fitted["converters"]
    assert abs(receiver["value"] - truth["receiver_ppm"]) < 4 * receiver["sigma"]
    assert converter["through"] == "sum:120M"
    assert abs(converter["lo_error_hz"] - oscillator_hz) < 4 * converter["sigma_hz"]
    assert fitted["outliers"] == fitted["inseparable"] == []


def test_what_cannot_be_separated_is_null_with_a_sentence(call: Any, tmp_path: Path) -> None:
    (tmp_path / "seen.csv").write_text(
        "reference_hz, reference_sigma_hz, measured_hz, sigma_hz, through\n10M, 0.3, 9996933.4, 0.01, sum:120M\n"
    )
    status, out, _ = call("true", str(tmp_path / "seen.csv"), "--json")
    found = json.loads(out)
    assert status == 0
    assert found["receiver_ppm"] is None
    assert found["converters"] == [{"through": "sum:120M", "lo_error_hz": None, "lo_error_ppm": None, "sigma_hz": None}]
    assert "cannot yet be separated" in found["inseparable"][0]


@pytest.mark.parametrize(
    ("row", "words"),
    [
        ("10M,0.3,9996933.4,0.01,up:5", "row 1, through"),
        ("10M,0.3,x,0.01,", "row 1, measured_hz"),
        ("10M,0,9996933.4,0,", "uncertainty"),
        ("10M,0.3", "measured_hz"),
    ],
)
def test_a_bad_row_is_named(call: Any, tmp_path: Path, row: str, words: str) -> None:
    (tmp_path / "seen.csv").write_text(f"reference_hz,reference_sigma_hz,measured_hz,sigma_hz,through\n{row}\n")
    status, out, err = call("true", str(tmp_path / "seen.csv"))
    assert (status, out) == (2, "")
    assert words in err


def test_nothing_found_is_status_one(call: Any, tmp_path: Path) -> None:
    assert call("simulate", str(tmp_path / "x"), "--centre", "3.3M", "--seconds", "0.2")[0] == 0
    status, out, err = call("measure", str(tmp_path / "x"), "--near", "3.4M", "--within", "500", "--json")
    assert (status, out) == (1, "")
    assert "no carrier stands out" in err


def test_every_command_explains_itself(call: Any) -> None:
    for name in ("path", "frequency", "measure", "true", "simulate", "card"):
        status, out, _ = call(name, "--help")
        assert status == 0
        assert "Usage" in out


def test_the_card_is_printed_and_saved(call: Any, tmp_path: Path) -> None:
    status, out, _ = call(
        "card", "--route", "Long wire over Ladder", "--at", "10M", "--json", "--save", str(tmp_path / "c.html")
    )
    found = json.loads(out)
    assert status == 0
    assert found["offset_added_to_dial_hz"] == 120e6
    assert found["offset_added_to_tuner_hz"] == -120e6
    assert found["whole_ppm"] == 0
    assert found["leftover_hz_at"]["leftover_hz"] == 0.0
    assert "<h1>" in (tmp_path / "c.html").read_text()
    assert call("card", "--route", "moon")[0] == 2
    assert call("card", "--at", "145M")[0] == 2


def test_the_oscillator_in_the_box_is_told(call: Any) -> None:
    arguments = ("--station", "10M", "--shown", "129.99689M", "--stated", "120M", "--stated", "125M")
    status, out, _ = call("which-lo", *arguments, "--json")
    found = json.loads(out)
    assert status == 0
    assert found["decided"] is True
    assert found["candidates"][0]["stated_hz"] == 120e6
    assert found["lo_hz"] == pytest.approx(119_996_890.0)
    assert call("which-lo", "--station", "10M", "--shown", "5M", "--stated", "120M")[0] == 2


def test_the_bench_is_checked_and_a_stop_is_status_one(call: Any, tmp_path: Path) -> None:
    status, out, _ = call("bench", "--json")
    assert status == 0
    assert {f["verdict"] for f in json.loads(out)["findings"] if not f["acknowledged"]} == {"good"}
    raw = json.loads(station_text())
    ladder = next(part for part in raw["parts"] if part["name"] == "Ladder")
    ladder["need"]["lead"]["volts"] = 12.0
    (tmp_path / "x.yard.json").write_text(json.dumps(raw))
    status, out, _ = call("bench", str(tmp_path / "x.yard.json"), "--json")
    assert status == 1
    assert any(f["key"] == "supply:Ladder:volts" for f in json.loads(out)["findings"])


def station_text() -> str:
    """The demo yard as a file holds it."""
    from tempfile import TemporaryDirectory

    from yarddial.records.station_file import StationFile
    from yarddial.yard.demo import demo_station

    with TemporaryDirectory() as name:
        path = Path(name) / "x.yard.json"
        StationFile(path, demo_station()).save(demo_station())
        return path.read_text()


def test_reach_prints_every_plate_and_is_status_one_out_of_reach(call: Any) -> None:
    status, out, _ = call("reach", "10.489G", "--json")
    first = json.loads(out)["routes"][0]
    assert (status, first["state"]) == (0, "reached")
    # 10.489 GHz less 9.75 GHz, and nothing behind the LNB moves it.
    assert [plate["hz"] for plate in first["plates"]] == [10.489e9, *[10.489e9 - 9.75e9] * 4]
    assert call("reach", "5G")[0] == 1


def test_shelf_and_lengths_answer(call: Any, tmp_path: Path) -> None:
    from yarddial.records.part_file import load_part

    assert "Up-converter 125" in call("shelf")[1]
    assert call("shelf", "ladder", "--save", str(tmp_path / "l.part.json"))[0] == 0
    assert load_part(tmp_path / "l.part.json").name == "Ladder"
    assert call("shelf", "kettle")[0] == 2
    found = json.loads(call("lengths", "14.2M", "--json")[1])
    assert found["whip_m"] == pytest.approx(299_792_458 / 14.2e6 / 4 * 0.95, rel=0.02)


def test_the_oscillator_is_found_in_a_recording_of_its_leak(call: Any, tmp_path: Path) -> None:
    where = ("--centre", "0.3M", "--route", "ladder", "--seconds", "0.3")
    assert call("simulate", str(tmp_path / "leak"), *where)[0] == 0
    arguments = ("--leak", str(tmp_path / "leak"), "--stated", "120M", "--stated", "120.6M", "--crystal-ppm", "27")
    status, out, _ = call("which-lo", *arguments, "--json")
    assert status == 0
    assert json.loads(out)["candidates"][0]["stated_hz"] == 120e6
    assert call("which-lo", "--stated", "120M")[0] == 2


def test_heron_is_simulated_as_well(call: Any, tmp_path: Path) -> None:
    where = ("--receiver", "Heron", "--centre", "10.4893G", "--seconds", "0.3")
    status, out, _ = call("simulate", str(tmp_path / "dish"), *where, "--json")
    assert (status, json.loads(out)["route"]) == (0, "Dish over Saucer")
    truth = json.loads(out)["truth"]
    found = json.loads(call("measure", str(tmp_path / "dish"), "--near", "10.4888G", "--within", "200k", "--json")[1])
    # The beacon reads low by what the LNB's oscillator runs high, but for Heron's own crystal at 0.7 GHz.
    lnb_hz = truth["converters"][0]["lo_error_hz"]
    port_hz = 10.489e9 - 9.75e9 - lnb_hz
    expected = port_hz / (1 + truth["receiver_ppm"] * 1e-6) + 9.75e9
    assert found["frequency_hz"] == pytest.approx(expected, abs=0.5)


def test_compare_finds_what_a_second_recording_hears_better(call: Any, tmp_path: Path) -> None:
    """The same noise in both; the second's tone is 3 dB stronger."""
    chance = np.random.default_rng(2)
    time_s = np.arange(480_000) / 48e3
    tone = 0.05 * np.exp(2j * np.pi * 5_000 * time_s)
    for name, factor in (("a", 1.0), ("b", 10 ** (3 / 20))):
        samples = factor * tone + 0.01 * (
            chance.standard_normal(time_s.size) + 1j * chance.standard_normal(time_s.size)
        )
        soundfile.write(tmp_path / f"{name}.wav", np.column_stack([samples.real, samples.imag]), 48_000, "FLOAT")
    args = ("compare", str(tmp_path / "a.wav"), str(tmp_path / "b.wav"), "--near", "5k", "--width", "1k")
    status, out, _ = call(*args, "--json")
    assert status == 0
    found = json.loads(out)
    assert found["signal"]["low_db"] <= 3.0 <= found["signal"]["high_db"]
    assert abs(found["signal_to_noise"]["db"] - 3.0) < 0.3
    assert found["pieces"] == 40
    status, _, err = call("compare", str(tmp_path / "a.wav"), str(tmp_path / "b.wav"), "--near", "5M")
    assert status == 2
    assert "is not in a.wav" in err


def test_ghosts_are_listed_with_what_makes_them_and_how_they_move(call: Any, tmp_path: Path) -> None:
    (tmp_path / "strong.csv").write_text("frequency_hz,level_dbm,name\n124.3525M,-50,Harbour tower\n10M,-40,Standard\n")
    args = ("ghosts", str(tmp_path / "strong.csv"), "--centre", "4.2M", "--rate", "2.048M", "--through", "sum:120M")
    status, out, _ = call(*args, "--json")
    assert status == 0
    (leak,) = [one for one in json.loads(out)["ghosts"] if one["kind"] == "leak-through"]
    assert leak["dial_hz"] == pytest.approx(4.3525e6)
    assert leak["from"] == ["Harbour tower"]
    assert leak["moves"] == 0.0
    assert leak["level_dbm"] == pytest.approx(-95.0)
    status, out, _ = call(*args, "--wanted", "4.3525M", "--json")
    assert {one["kind"] for one in json.loads(out)["remedies"]} == {"filter", "oscillator"}
    status, _, err = call(*args, "--wanted", "4.9M")
    assert (status, "no ghost is predicted" in err) == (2, True)
    status, _, err = call("ghosts", str(tmp_path / "none.csv"), "--centre", "4M", "--rate", "2M")
    assert status == 2
    assert err.count("\n") == 1
    (tmp_path / "bad.csv").write_text("frequency_hz,level_dbm\n10M,loud\n")
    status, _, err = call("ghosts", str(tmp_path / "bad.csv"), "--centre", "4M", "--rate", "2M")
    assert (status, "row 1" in err) == (2, True)


def test_recordings_at_two_centres_tell_ghosts_and_bad_ones_are_refused(call: Any, tmp_path: Path) -> None:
    for name, centre in (("a", "9.98M"), ("b", "10.02M")):
        more = ("--receiver", "finch", "--route", "Long wire over Ladder", "--rate", "1.024M", "--seconds", "0.4")
        assert call("simulate", str(tmp_path / name), "--centre", centre, *more)[0] == 0
    files = [str(tmp_path / f"{name}.sigmf-meta") for name in "ab"]
    status, out, _ = call("ghost-test", *files, "--through", "sum:120M", "--json")
    assert status == 0
    peaks = json.loads(out)["peaks"]
    (spike,) = [one for one in peaks if abs(one["dial_hz"] - 9.98e6) < 300]
    assert (spike["verdict"], spike["kind"]) == ("ghost", "spike")
    # Untrued, the dial reads 130 MHz by 27 ppm low, 412 Hz high: the standard and its ticks' sidebands.
    standard = [one for one in peaks if abs(one["dial_hz"] - 9.9969e6) < 1_500]
    assert standard
    assert {one["kind"] for one in standard} == {"true"}
    status, _, err = call("ghost-test", files[0])
    assert (status, "second one" in err) == (2, True)
    assert call("ghost-test", *files, "--less", "99")[0] == 2


def test_true_writes_the_rows_with_what_the_fit_leaves(call: Any, tmp_path: Path) -> None:
    rows = ["reference_hz,reference_sigma_hz,measured_hz,sigma_hz,through"]
    for hertz, through, lo_hz in ((145.2e6, "", 0.0), (96e6, "", 0.0), (10e6, "sum:120M", 120e6 + 400.0)):
        shown = (hertz + lo_hz) / (1 + 27e-6) - (120e6 if through else 0.0)
        rows.append(f"{hertz!r},0.3,{shown!r},0.05,{through}")
    (tmp_path / "in.csv").write_text("\n".join(rows) + "\n")
    status, out, _ = call("true", str(tmp_path / "in.csv"), "--write", str(tmp_path / "out.csv"), "--json")
    assert status == 0
    assert json.loads(out)["receiver_ppm"]["value"] == pytest.approx(27.0, abs=1e-4)
    again = json.loads(call("true", str(tmp_path / "out.csv"), "--json")[1])
    assert again["receiver_ppm"]["value"] == pytest.approx(27.0, abs=1e-4)
    assert "residual_hz" in (tmp_path / "out.csv").read_text().splitlines()[0]


def test_bands_are_told_for_any_region(call: Any) -> None:
    status, out, _ = call("bands", "--region", "2", "--json")
    assert status == 0
    rows = {row["name"]: row for row in json.loads(out)["bands"]}
    assert rows["80 m"]["high_hz"] == 4.0e6
    assert rows["2 m"]["route"] == "Discone direct"
    assert rows["20 m"]["todo"] == "measure"
    assert call("bands")[1].count("\n") >= 30


@pytest.mark.parametrize("ending", ["csv", "md", "html"])
def test_a_report_of_the_bands_is_written_in_the_form_its_ending_asks_for(
    call: Any, tmp_path: Path, ending: str
) -> None:
    told = tmp_path / f"bands.{ending}"
    assert call("bands", "--report", str(told))[0] == 0
    assert told.read_text().count("Discone direct") >= 5
    status, out, err = call("bands", "--report", str(tmp_path / "bands.doc"))
    assert (status, out, "ending" in err) == (2, "", True)
    assert not (tmp_path / "bands.doc").exists()


@pytest.mark.parametrize("ending", ["csv", "json"])
def test_own_bands_come_in_and_go_out(call: Any, tmp_path: Path, ending: str) -> None:
    (tmp_path / "own.csv").write_text("name,low_hz,high_hz,kind,mode\nharbour,156.3 MHz,157.5M,marine,nfm\n")
    out = tmp_path / f"all.{ending}"
    status, told, _ = call("bands", "--own", str(tmp_path / "own.csv"), "--write", str(out), "--json")
    assert status == 0
    (harbour,) = [row for row in json.loads(told)["bands"] if row["name"] == "harbour"]
    assert (harbour["low_hz"], harbour["mode"]) == (156.3e6, "nfm")
    again = json.loads(call("bands", "--own", str(out), "--json")[1])["bands"]
    # What was written is read as it was: nothing stands twice.
    assert again == json.loads(told)["bands"]
    for text, word in (("name,low_hz,high_hz\nx,2M,1M\n", "row 1"), ("name\nx\n", "low_hz"), ("", "low_hz")):
        (tmp_path / "bad.csv").write_text(text)
        status, told, err = call("bands", "--own", str(tmp_path / "bad.csv"))
        assert (status, told, word in err) == (2, "", True)


def test_an_installed_driver_is_held_to_its_contract_from_the_command_line(capsys: pytest.CaptureFixture[str]) -> None:
    assert run(["check-driver", "simulated", "--json"], wiring) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["driver"], told["opened"], told["broken"]) == ("simulated", True, [])
    assert run(["check-driver", "process"], wiring) == 0
    assert "Nothing was opened" in capsys.readouterr().out
    assert run(["check-driver", "loft"], wiring) == 2
    assert run(["devices", "--json"], wiring) == 0
    first = json.loads(capsys.readouterr().out)["devices"][0]
    assert {"address", "driver", "name", "state", "cure"} <= set(first)


def test_a_program_is_allowed_from_the_command_line(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    program = str(Path(__file__).parents[2] / "docs" / "example-program" / "tone.py")
    assert run(["check-driver", "process", program], wiring) == 2
    assert "has not been allowed" in capsys.readouterr().err
    assert run(["allow-program", program], wiring) == 0
    assert run(["check-driver", "process", program], wiring) == 0
    assert run(["allow-program", "tone.py"], wiring) == 2


def test_a_centre_that_can_only_be_the_receivers_is_suggested(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    write_sigmf(tmp_path / "r", [np.zeros(50_000, np.complex64)], 1e6, 134e6, {})
    call = ["measure", str(tmp_path / "r.sigmf-meta"), "--near", "14.2M", "--through", "sum:120M"]
    assert run([*call, "--centre-at", "dial"], wiring) == 2
    assert "add --centre-at receiver" in capsys.readouterr().err
