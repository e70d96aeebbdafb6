"""Recordings of I/Q samples: reads SigMF, stereo WAV and raw files, writes SigMF."""

import os
import warnings
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.sample_formats import FORMATS, as_complex, sample_bytes
from yarddial.records.reading import RECORDING_META, cut, json_value_of, read_bytes, why_no_file
from yarddial.records.sample_file import SampleFile
from yarddial.records.told_by_name import centre_in, moment_in, moment_in_wav
from yarddial.records.whole_file import reason
from yarddial.yard.errors import BadRecording
from yarddial.yard.frequency import LIMIT_HZ
from yarddial.yard.plain_text import shown

Complex = NDArray[np.complex64]

_SIGMF_TYPES = {"cu8": "cu8", "ci8": "cs8", "ci16_le": "cs16", "cf32_le": "cf32"}


# Checksums of longer data would take many seconds.
MAX_MARKS = 20_000
# Maximum number of samples held at once: 128 MB, 7 s at 2.4 MS/s.
MAX_AT_ONCE = 1 << 24
MAX_DIGESTED_BYTES = 256 << 20


class Recording(msgspec.Struct, frozen=True):
    """An opened recording; samples are read when asked for.

    centre_hz : what the dial showed at the centre of the span; 0 when the file does not tell.
    tuner_hz : where the receiver itself was tuned, if the file tells.
    inverted : the receiver saw it the other way round. route : over which it came, if the file tells.
    at_utc : when it was begun, as its description, header or name tells; empty where none does.
    """

    path: Path
    data_path: Path
    sample_format: str
    rate_hz: float
    centre_hz: float
    count: int
    tuner_hz: float | None = None
    is_wav: bool = False
    inverted: bool = False
    route: str = ""
    at_utc: str = ""

    @property
    def duration_s(self) -> float:
        """Duration in seconds."""
        return self.count / self.rate_hz

    def read(self, first: int = 0, count: int | None = None) -> Complex:
        """Samples from `first` on, complex64, full scale 1.0; raises BadRecording if the file shrank meanwhile.

        At most `MAX_AT_ONCE` per call.
        """
        wanted = max(min(self.count - first, MAX_AT_ONCE if count is None else count, MAX_AT_ONCE), 0)
        if self.is_wav:
            return _read_wav(self.data_path, first, wanted)
        kind, size = FORMATS[self.sample_format][0], sample_bytes(self.sample_format)
        try:
            parts = np.fromfile(self.data_path, kind, 2 * wanted, offset=size * first)
        except OSError as error:
            raise BadRecording(f"cannot read {self.data_path}: {reason(error)}", str(self.path)) from error
        if parts.size < 2 * wanted:
            raise BadRecording(f"{self.data_path.name} ends before its stated length: copy it again", str(self.path))
        return as_complex(parts, self.sample_format)


def open_recording(
    path: Path, sample_format: str = "", rate_hz: float | None = None, centre_hz: float | None = None
) -> Recording:
    """Open a SigMF recording (either file of the pair), a stereo WAV as I/Q, or a raw file with stated format and rate.

    Parameters
    ----------
    path : Path
    sample_format : {"cu8", "cs8", "cs16", "cf32"}
        Only for raw files.
    rate_hz, centre_hz : float, optional
        For raw files, and to override what a file states.

    Raises
    ------
    BadRecording
        One sentence: which file, what is wrong, what to do.
    """
    if not os.path.exists(path) and path.with_suffix(".sigmf-meta").exists():
        path = path.with_suffix(".sigmf-meta")
    if why_not := why_no_file(path):
        name = shown(str(path))
        gone = why_not == "not there"
        message = (
            f"there is no file {name}: check the name" if gone else f"{name} is {why_not}, no recording: choose another"
        )
        raise BadRecording(cut(message), str(path))
    try:
        if sample_format:
            recording = _open_raw(path, sample_format, rate_hz)
        elif path.suffix in (".sigmf-meta", ".sigmf-data"):
            recording = _open_sigmf(path.with_suffix(".sigmf-meta"))
        elif path.suffix.lower() in (".wav", ".rf64", ".w64"):
            recording = _open_wav(path)
        else:
            raise BadRecording(
                f"cannot tell what {path.name} is: name it *.sigmf-meta or *.wav, or state --format and --rate",
                str(path),
            )
    except OSError as error:
        raise BadRecording(f"cannot read {path}: {reason(error)}", str(path)) from error
    recording = _with_told(recording)
    recording = msgspec.structs.replace(
        recording,
        rate_hz=recording.rate_hz if rate_hz is None else rate_hz,
        centre_hz=recording.centre_hz if centre_hz is None else centre_hz,
    )
    return _plausible(recording)


def _with_told(recording: Recording) -> Recording:
    """Add facts from the header or the file name that nothing better states."""
    at_utc = (
        recording.at_utc
        or (moment_in_wav(recording.path) if recording.is_wav else "")
        or moment_in(recording.path.name)
    )
    centre_hz = recording.centre_hz or centre_in(recording.path.name) or 0.0
    return msgspec.structs.replace(recording, at_utc=at_utc, centre_hz=centre_hz)


def _plausible(recording: Recording) -> Recording:
    name = recording.path.name
    if recording.count < 1:
        raise BadRecording(f"{name} holds no samples: record again", str(recording.path))
    if not 1.0 <= recording.rate_hz <= 1e10:
        raise BadRecording(
            f"{name} states a sample rate of {recording.rate_hz:g} Hz, which cannot be: give --rate", name
        )
    if not abs(recording.centre_hz) <= LIMIT_HZ:
        raise BadRecording(
            f"{name} states a centre of {recording.centre_hz:g} Hz, which cannot be: give --centre", name
        )
    return recording


def _open_raw(path: Path, sample_format: str, rate_hz: float | None) -> Recording:
    if sample_format not in FORMATS:
        raise BadRecording(f"'{sample_format}' is no sample format: use {', '.join(FORMATS)}", str(path))
    if rate_hz is None:
        raise BadRecording(f"a raw file does not tell its sample rate: give --rate for {path.name}", str(path))
    size = sample_bytes(sample_format)
    return Recording(path, path, sample_format, rate_hz, 0.0, path.stat().st_size // size)


def _open_sigmf(meta_path: Path) -> Recording:
    data_path = meta_path.with_suffix(".sigmf-data")
    name = meta_path.name
    if not meta_path.is_file() or not data_path.is_file():
        missing = (data_path if meta_path.is_file() else meta_path).name
        raise BadRecording(f"{missing} is missing: a SigMF recording is two files side by side", str(meta_path))
    meta = _valid_meta(meta_path)
    about: dict[str, Any] = meta["global"]
    stated, channels = about["core:datatype"], int(about.get("core:num_channels", 1))
    if "core:sample_rate" not in about:
        raise BadRecording(f"{name} does not tell its sample rate: add core:sample_rate", str(meta_path))
    capture = meta["captures"][0] if meta["captures"] else {}
    tuner = capture.get("yarddial:tuner_hz")
    tuner_hz = float(tuner) if isinstance(tuner, int | float) else None
    if stated not in _SIGMF_TYPES or channels != 1:
        raise BadRecording(
            f"{name} holds samples of type '{stated}' on {channels} channel(s): only one channel of "
            f"{', '.join(_SIGMF_TYPES)} can be read",
            str(meta_path),
        )
    sample_format = _SIGMF_TYPES[stated]
    size = sample_bytes(sample_format)
    length = data_path.stat().st_size
    if length % size:
        raise BadRecording(
            f"{data_path.name} ends in the middle of a sample: it is cut off or not of type {stated}; copy it again",
            str(meta_path),
        )
    _check_extent(meta, length // size, data_path)
    if "core:sha512" in about and length <= MAX_DIGESTED_BYTES:
        _check_digest(data_path, about["core:sha512"])
    rate_hz, centre_hz = float(about["core:sample_rate"]), float(capture.get("core:frequency", 0.0))
    inverted, route = capture.get("yarddial:inverted") is True, str(capture.get("yarddial:route", ""))
    return Recording(
        meta_path,
        data_path,
        sample_format,
        rate_hz,
        centre_hz,
        length // size,
        tuner_hz,
        inverted=inverted,
        route=route,
        at_utc=str(capture.get("core:datetime", "")),
    )


def _valid_meta(meta_path: Path) -> dict[str, Any]:
    """Read a description and validate it against the standard's own schema."""
    import jsonschema
    from sigmf.validate import validate

    try:
        meta: dict[str, Any] = json_value_of(
            read_bytes(meta_path, RECORDING_META, BadRecording), meta_path, BadRecording
        )
        _not_too_many(meta, meta_path)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            validate(meta)
    except RecursionError as error:
        raise BadRecording(f"{meta_path.name} is no readable description: write it again", str(meta_path)) from error
    except jsonschema.ValidationError as error:
        where = "/".join(str(step) for step in error.absolute_path) or "the top"
        raise BadRecording(
            f"{meta_path.name} breaks the SigMF rules at {where}: {error.message[:120]}; mend it", str(meta_path)
        ) from error
    return meta


def _not_too_many(meta: Any, meta_path: Path) -> None:
    """Validation takes time for each one."""
    for key in ("captures", "annotations"):
        marks = meta.get(key) if isinstance(meta, dict) else None
        if isinstance(marks, list) and len(marks) > MAX_MARKS:
            raise BadRecording(f"{meta_path.name} has {len(marks):,} {key}, more than {MAX_MARKS:,}: leave some out")


def _check_extent(meta: dict[str, Any], count: int, data_path: Path) -> None:
    """Refuse a description of samples that the data do not have."""
    marks = [*meta.get("captures", []), *(meta.get("annotations") or [])]
    ends = [m.get("core:sample_start", 0) + m.get("core:sample_count", 0) for m in marks if isinstance(m, dict)]
    if any(isinstance(end, int) and end > count for end in ends):
        raise BadRecording(
            f"{data_path.name} has {count} samples, but its description speaks of {max(ends)}: it is cut off; "
            "copy it again",
            str(data_path),
        )


def _check_digest(data_path: Path, digest: str) -> None:
    import hashlib

    with data_path.open("rb") as file:
        if hashlib.file_digest(file, "sha512").hexdigest() != digest.lower():
            raise BadRecording(
                f"{data_path.name} is not what its description was written for (check sum differs): copy it again",
                str(data_path),
            )


def _open_wav(path: Path) -> Recording:
    import soundfile

    try:
        info = soundfile.info(str(path))
    except (soundfile.SoundFileError, RuntimeError, TypeError) as error:
        raise BadRecording(f"{path.name} is no readable WAV file: record or copy it again", str(path)) from error
    if info.channels != 2:
        raise BadRecording(f"{path.name} has {info.channels} channel(s): I/Q needs two, left I and right Q", str(path))
    _check_wav_length(path, info.frames)
    return Recording(path, path, "wav", float(info.samplerate), 0.0, int(info.frames), is_wav=True)


def _check_wav_length(path: Path, frames: int) -> None:
    """Compare the header's length with the file, because the library corrects it silently."""
    with path.open("rb") as file:
        head = file.read(12)
        if head[:4] != b"RIFF":
            return
        stated = int.from_bytes(head[4:8], "little") + 8
    there = path.stat().st_size
    # Programs that stream and never return write 0 or all ones.
    if stated - 8 not in (0, 0xFFFFFFFF) and stated > there + 1:
        raise BadRecording(
            f"{path.name} should have {stated} bytes and has {there}: it is cut off; copy or record it again", str(path)
        )


def _read_wav(path: Path, first: int, count: int) -> Complex:
    import soundfile

    try:
        parts, _ = soundfile.read(str(path), frames=count, start=first, dtype="float32", always_2d=True)
    except (soundfile.SoundFileError, RuntimeError) as error:
        raise BadRecording(f"{path.name} cannot be read to its end: copy it again", str(path)) from error
    if parts.shape[0] < count:
        raise BadRecording(f"{path.name} ends before its stated length: copy it again", str(path))
    samples: Complex = np.ascontiguousarray(parts).view(np.complex64).reshape(-1)
    return samples


def write_sigmf(
    path: Path, blocks: Iterable[Complex], rate_hz: float, centre_hz: float, about: dict[str, Any]
) -> Recording:
    """Write a SigMF recording of 8-bit samples.

    Parameters
    ----------
    path : Path
        With or without a SigMF suffix; two files are made.
    blocks : iterable of complex64 arrays
        Full scale 1.0.
    rate_hz, centre_hz : float
        Sample rate, and what the dial showed at the centre.
    about : dict
        `description`, `hardware`, `annotations`, and further keys for the `capture` with their name space.

    Raises
    ------
    NotWritten
        No half recording is left behind.
    """
    file = SampleFile(path, rate_hz, centre_hz, about)
    for block in blocks:
        file.write(block)
    file.close()
    return open_recording(file.meta_path)
