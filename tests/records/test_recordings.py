"""Recordings: what was written is read, and what lies is refused in one sentence."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from yarddial.records.recordings import open_recording, write_sigmf
from yarddial.yard.errors import BadRecording, NotWritten, YardDialError

CHANCE = np.random.default_rng(0)
# Exactly the steps that 8 bits can hold: (k + 1/2) / 127.5.
STEPS = ((CHANCE.integers(-128, 128, 2 * 5000) + 0.5) / 127.5).astype(np.float32).view(np.complex64)


@pytest.fixture
def sigmf(tmp_path: Path) -> Path:
    return write_sigmf(tmp_path / "r", [STEPS[:2000], STEPS[2000:]], 48_000.0, 10e6, {"hardware": "Finch"}).path


def test_eight_bit_samples_come_back_as_they_were(sigmf: Path) -> None:
    found = open_recording(sigmf)
    assert (found.count, found.rate_hz, found.centre_hz) == (5000, 48_000.0, 10e6)
    np.testing.assert_allclose(found.read(), STEPS, atol=1e-7)
    np.testing.assert_allclose(found.read(100, 50), STEPS[100:150], atol=1e-7)


@pytest.mark.parametrize("name", ["r.sigmf-data", "r", "r.sigmf-meta"])
def test_either_file_or_the_bare_name_opens_the_pair(sigmf: Path, name: str) -> None:
    assert open_recording(sigmf.with_name(name)).count == 5000


@pytest.mark.parametrize(
    ("sample_format", "raw", "expected"),
    [
        ("cu8", np.array([0, 255], np.uint8), -1 + 1j),
        ("cs8", np.array([-128, 64], np.int8), -1 + 0.5j),
        ("cs16", np.array([-32768, 16384], "<i2"), -1 + 0.5j),
        ("cf32", np.array([-1.0, 0.25], "<f4"), -1 + 0.25j),
    ],
)
def test_raw_formats_are_read_at_full_scale_one(
    tmp_path: Path, sample_format: str, raw: Any, expected: complex
) -> None:
    path = tmp_path / "x.raw"
    raw.tofile(path)
    assert open_recording(path, sample_format, 1e6, 5e6).read()[0] == pytest.approx(expected)
    with pytest.raises(BadRecording, match="--rate"):
        open_recording(path, sample_format)


def test_a_stereo_wav_is_i_and_q(tmp_path: Path) -> None:
    path = tmp_path / "iq.wav"
    soundfile.write(path, np.stack([STEPS.real, STEPS.imag], axis=1), 96_000, subtype="FLOAT")
    found = open_recording(path, centre_hz=7e6)
    assert (found.rate_hz, found.centre_hz, found.count) == (96_000.0, 7e6, 5000)
    np.testing.assert_allclose(found.read(10, 20), STEPS[10:30], atol=1e-7)


def change_meta(path: Path, change: dict[str, Any], part: str = "global") -> None:
    meta = json.loads(path.read_text())
    target = meta["captures"][0] if part == "captures" else meta[part]
    target.update(change)
    path.write_text(json.dumps(meta))


def break_nothing_there(path: Path) -> None:
    path.with_suffix(".sigmf-data").unlink()


def break_truncated_data(path: Path) -> None:
    data = path.with_suffix(".sigmf-data")
    data.write_bytes(data.read_bytes()[:4999])


def break_empty_data(path: Path) -> None:
    path.with_suffix(".sigmf-data").write_bytes(b"")


def break_json(path: Path) -> None:
    path.write_text(path.read_text()[:100])


def break_not_sigmf(path: Path) -> None:
    path.write_text('{"hello": 1}')


def break_binary_meta(path: Path) -> None:
    path.write_bytes(bytes(range(256)))


@pytest.mark.parametrize(
    ("breaking", "words"),
    [
        (break_nothing_there, "missing"),
        (break_truncated_data, "middle of a sample"),
        (break_empty_data, "no samples"),
        (break_json, "no readable JSON"),
        (break_not_sigmf, "breaks the SigMF rules"),
        (break_binary_meta, "no readable JSON"),
        (lambda p: change_meta(p, {"core:datatype": "cf64_le"}), "cf64_le"),
        (lambda p: change_meta(p, {"core:datatype": "ri16_le"}), "ri16_le"),
        (lambda p: change_meta(p, {"core:sample_rate": -5}), "core:sample_rate"),
        (lambda p: change_meta(p, {"core:sample_rate": 1e-3}), "cannot be"),
        (lambda p: change_meta(p, {"core:sha512": "0" * 128}), "check sum"),
        (lambda p: change_meta(p, {"core:num_channels": 2}), "2 channel"),
        (lambda p: change_meta(p, {"core:sample_start": 900_000}, "captures"), "speaks of 900000"),
        (lambda p: change_meta(p, {"core:frequency": "ten"}, "captures"), "breaks the SigMF rules"),
    ],
)
def test_a_lying_or_broken_sigmf_is_refused_in_one_sentence(sigmf: Path, breaking: Any, words: str) -> None:
    breaking(sigmf)
    with pytest.raises(BadRecording, match=words) as refused:
        open_recording(sigmf).read()
    assert "\n" not in str(refused.value)


@pytest.mark.parametrize("kind", ["cut", "mono", "text", "empty", "nothing", "odd", "folder"])
def test_a_bad_wav_is_refused_in_one_sentence(tmp_path: Path, kind: str) -> None:
    path = tmp_path / ("x.dat" if kind == "odd" else "x.wav")
    channels = np.zeros((4000, 1 if kind == "mono" else 2), np.float32)
    if kind == "folder":
        path.mkdir()
    elif kind != "nothing":
        soundfile.write(path, channels, 48_000, format="WAV")
    if kind == "cut":
        path.write_bytes(path.read_bytes()[:9000])
    elif kind == "text":
        path.write_text("this is no sound")
    elif kind == "empty":
        path.write_bytes(b"")
    with pytest.raises(BadRecording) as refused:
        open_recording(path).read()
    assert "\n" not in str(refused.value)
    assert path.name in str(refused.value)


@given(st.binary(max_size=400))
def test_any_bytes_as_description_give_a_sentence(tmp_path_factory: pytest.TempPathFactory, content: bytes) -> None:
    folder = tmp_path_factory.mktemp("fuzz")
    (folder / "r.sigmf-data").write_bytes(b"\x80\x80")
    (folder / "r.sigmf-meta").write_bytes(content)
    with pytest.raises(YardDialError):
        open_recording(folder / "r.sigmf-meta")


def test_an_unwritable_folder_leaves_nothing(tmp_path: Path) -> None:
    with pytest.raises(NotWritten, match="no such file or directory"):
        write_sigmf(tmp_path / "missing" / "r", [STEPS], 48_000.0, 10e6, {})


def test_a_full_disk_leaves_no_half_recording(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def no_room(self: Path, target: Path) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "replace", no_room)
    with pytest.raises(NotWritten, match="no space left"):
        write_sigmf(tmp_path / "r", [STEPS], 48_000.0, 10e6, {})
    assert list(tmp_path.glob("*r.sigmf*")) == []


RECORDER = """
import resource, signal, sys
from pathlib import Path
import numpy as np
from yarddial.records.sample_file import SampleFile
from yarddial.records.sound_file import SoundFile
from yarddial.yard.errors import NotWritten
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
resource.setrlimit(resource.RLIMIT_FSIZE, (300_000, 300_000))
folder = Path(sys.argv[1])
samples, sound = SampleFile(folder / "x", 48_000.0, 10e6, {}, new=True), SoundFile(folder / "y", 8_000)
for file, block in ((samples, np.full(4_800, 0.1, np.complex64)), (sound, np.full(8_000, 0.1, np.float32))):
    try:
        for _ in range(100):
            file.write(block)
    except NotWritten as error:
        print(error)
"""


def test_of_a_recording_that_fills_the_disk_what_there_is_by_then_is_kept(tmp_path: Path) -> None:
    """A limit on the size of files refuses as a full disk does: 300,000 bytes are 3.1 s of I/Q and 18.7 s of sound.

    Of the I/Q 64 KiB are given up for its description: (300,000 - 65,536) / 96,000 = 2.44 s.
    """
    done = subprocess.run([sys.executable, "-c", RECORDER, str(tmp_path)], capture_output=True, text=True, check=True)
    first, second = done.stdout.splitlines()
    assert "its first 2.4 s are there" in first or "its first 2.5 s are there" in first
    assert "are there" in second
    assert 2.3 < open_recording(tmp_path / "x.sigmf-meta").duration_s < 2.6
    assert 17 < soundfile.info(tmp_path / "y.wav").duration < 19
