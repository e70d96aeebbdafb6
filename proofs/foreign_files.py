"""What sox, soundfile and plain NumPy wrote, read as a recording and as a stream: every byte comes back."""

import os
import shutil
import subprocess
import tempfile
import threading
from pathlib import Path

import numpy as np
import soundfile

from yarddial import wiring
from yarddial.drivers.protocol import Device

RATE, COUNT = 48_000, 500_000
# Format here: sox's words for it, the type of one part, its zero and its full scale.
FORMATS = {
    "cu8": (["-e", "unsigned-integer", "-b", "8"], np.uint8, 127.5, 127.5),
    "cs8": (["-e", "signed-integer", "-b", "8"], np.int8, 0.0, 128.0),
    "cs16": (["-e", "signed-integer", "-b", "16"], np.int16, 0.0, 32768.0),
    "cf32": (["-e", "floating-point", "-b", "32"], np.float32, 0.0, 1.0),
}
# What a WAV holds: sox's words, and how its bytes are made again from values of full scale 1.
WAVS = {"PCM_16": (["-b", "16"], np.int16, 32768.0), "FLOAT": (["-e", "floating-point", "-b", "32"], np.float32, 1.0)}


def prove() -> bool:
    """Print what differs, and the count of files and bytes."""
    if shutil.which("sox") is None:
        print("sox is not installed: run apt-get install sox, then this again")
        return False
    folder = Path(tempfile.mkdtemp())
    parts = np.random.default_rng(11).integers(-32768, 32768, 2 * COUNT).astype("<i2")
    source = folder / "source.raw"
    parts.tofile(source)
    tries: list[tuple[str, bytes, bytes]] = []
    for name, (words, kind, zero, full) in FORMATS.items():
        path = folder / f"{name}.iq"
        _sox(source, [*words, "-t", "raw", str(path)])
        written = path.read_bytes()
        tail = f"format={name}&rate={RATE}"
        read = _all(wiring.open_device_flat_out(f"recording:{path}?{tail}&centre=10M"))
        tries.append((f"sox, raw {name}, recording", written, _bytes(read, kind, zero, full)))
        tries.append((f"sox, raw {name}, pipe", written, _bytes(_piped(source, words, folder, tail), kind, zero, full)))
        by_numpy = np.frombuffer(written, kind)[: 2 * 1_000]
        by_numpy.tofile(folder / "numpy.iq")
        read = _all(wiring.open_device_flat_out(f"recording:{folder / 'numpy.iq'}?{tail}&centre=10M"))
        tries.append((f"NumPy, raw {name}, recording", by_numpy.tobytes(), _bytes(read, kind, zero, full)))
    for name, (words, kind, full) in WAVS.items():
        by_sox, by_soundfile = folder / f"sox-{name}.wav", folder / f"soundfile-{name}.wav"
        _sox(source, [*words, "-t", "wav", str(by_sox)])
        values = parts.reshape(-1, 2) / 32768.0
        soundfile.write(by_soundfile, values, RATE, subtype=name)
        wanted = (parts if kind is np.int16 else (parts / 32768.0).astype(kind)).tobytes()
        for path in (by_sox, by_soundfile):
            tries.append((f"{path.name}, recording", wanted, _bytes(_all(_open_wav(path)), kind, 0.0, full)))
    wrong = [what for what, written, read in tries if written != read]
    for what in wrong:
        print(f"{what}: differs")
    total = sum(len(written) for _, written, _ in tries)
    print(f"{len(tries)} files and streams, {total} bytes: {len(wrong)} differ")
    return not wrong


def _sox(source: Path, out: list[str]) -> None:
    given = ["-t", "raw", "-e", "signed-integer", "-b", "16", "-L", "-r", str(RATE), "-c", "2", str(source)]
    subprocess.run(["sox", "-V1", "-D", *given, *out], check=True)


def _piped(source: Path, words: list[str], folder: Path, tail: str) -> np.ndarray:
    """What comes through a named pipe that sox writes into."""
    pipe = folder / "pipe"
    pipe.unlink(missing_ok=True)
    os.mkfifo(pipe)
    writer = threading.Thread(target=_sox, args=(source, [*words, "-t", "raw", str(pipe)]))
    writer.start()
    read = _all(wiring.open_device(f"stream:pipe:{pipe}?{tail}&centre=10M"))
    writer.join()
    return read


def _open_wav(path: Path) -> Device:
    return wiring.open_device_flat_out(f"recording:{path}")


def _all(device: Device) -> np.ndarray:
    blocks = []
    while (block := device.read()) is not None:
        blocks.append(block.samples)
    device.close()
    return np.concatenate(blocks)


def _bytes(samples: np.ndarray, kind: type, zero: float, full: float) -> bytes:
    parts = samples.view(np.float32).astype(float) * full + zero
    return (parts if kind is np.float32 else np.rint(parts)).astype(kind).tobytes()
