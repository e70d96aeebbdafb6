"""Streams and recordings give exactly what was written; what goes wrong is said."""

import os
import socket
import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile

from yarddial import wiring
from yarddial.drivers.protocol import Block, Device, RequestedSettings
from yarddial.drivers.stream.address import parse_address
from yarddial.drivers.stream.stream import StreamReceiver
from yarddial.drivers.time_source import VirtualTime
from yarddial.dsp.decimation import Decimator
from yarddial.dsp.sample_formats import FORMATS
from yarddial.engine.broken_blocks import finite, narrowed
from yarddial.records.recordings import open_recording
from yarddial.yard.errors import CannotTune, DeviceLost, DeviceNotFound, DeviceStalled

RATE = "48000"
FULL = {"cu8": 127.5, "cs8": 128.0, "cs16": 32768.0, "cf32": 1.0}


def parts_of(sample_format: str, count: int = 12_000) -> np.ndarray:
    """Random parts in a format's own type."""
    chance = np.random.default_rng(7)
    kind = np.dtype(FORMATS[sample_format][0])
    if kind.kind == "f":
        return chance.uniform(-1, 1, 2 * count).astype(kind)
    limits = np.iinfo(kind)
    return chance.integers(limits.min, limits.max, 2 * count, endpoint=True).astype(kind)


def expected(parts: np.ndarray, sample_format: str) -> np.ndarray:
    """By plain float64 arithmetic."""
    zero = 127.5 if sample_format == "cu8" else 0.0
    values = (parts.astype(float) - zero) / FULL[sample_format]
    return values[0::2] + 1j * values[1::2]


def all_of(device: Device) -> np.ndarray:
    blocks = []
    while (block := device.read()) is not None:
        assert block.first_index == sum(b.size for b in blocks)
        blocks.append(block.samples)
    device.close()
    return np.concatenate(blocks)


def send(data: bytes, chunk: int = 3_001) -> tuple[str, threading.Thread]:
    """A program that sends at a loopback port, in pieces that cut samples apart."""
    server = socket.create_server(("127.0.0.1", 0))

    def run() -> None:
        end, _ = server.accept()
        with end, server:
            for first in range(0, len(data), chunk):
                end.sendall(data[first : first + chunk])

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    return f"127.0.0.1:{server.getsockname()[1]}", thread


@pytest.mark.parametrize("sample_format", list(FORMATS))
def test_what_is_sent_over_tcp_arrives_sample_for_sample(sample_format: str) -> None:
    parts = parts_of(sample_format)
    place, _ = send(parts.tobytes())
    device = wiring.open_device_flat_out(f"stream:tcp://{place}?format={sample_format}&rate={RATE}&centre=10M")
    assert device.capabilities.ranges_hz == ((10e6 - 24e3, 10e6 + 24e3),)
    with pytest.raises(CannotTune, match="the stream covers"):
        device.apply(RequestedSettings(11e6, 48e3))
    np.testing.assert_allclose(all_of(device), expected(parts, sample_format), atol=1e-6)


def test_a_listener_takes_what_a_program_brings_and_only_from_this_computer() -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    assert parse_address(f"listen://:{port}?format=cs16&rate=1M").host_port == ("127.0.0.1", port)
    device = wiring.open_device_flat_out(f"stream:listen://:{port}?format=cs16&rate={RATE}")
    parts = parts_of("cs16")
    with socket.create_connection(("127.0.0.1", port)) as sender:
        sender.sendall(parts.tobytes())
    np.testing.assert_allclose(all_of(device), expected(parts, "cs16"), atol=1e-6)


def test_a_named_pipe_waits_for_its_writer(tmp_path: Path) -> None:
    pipe = tmp_path / "iq"
    os.mkfifo(pipe)
    device = wiring.open_device_flat_out(f"stream:pipe:{pipe}?format=cu8&rate={RATE}")
    parts = parts_of("cu8")
    writer = threading.Timer(0.4, lambda: pipe.write_bytes(parts.tobytes()))
    writer.start()
    np.testing.assert_allclose(all_of(device), expected(parts, "cu8"), atol=1e-6)


class Script:
    """A source that plays a script: bytes, silence (None for `patience`), the end, or a broken line."""

    def __init__(self, steps: Iterator[bytes | str]) -> None:
        self._steps = steps

    def read(self, limit: int, patience_s: float) -> bytes | None:
        step = next(self._steps, "end")
        if step == "silence":
            return b""
        if step == "broken":
            raise DeviceLost("the connection to x broke: reset by peer")
        return None if step == "end" else step  # type: ignore[return-value]

    def close(self) -> None:
        pass


def scripted(*steps: bytes | str) -> StreamReceiver:
    return StreamReceiver(parse_address("tcp://x:1?format=cs16&rate=48000"), Script(iter(steps)), VirtualTime())


def test_a_stream_that_stalls_breaks_or_ends_oddly_says_so() -> None:
    with pytest.raises(DeviceStalled, match="nothing came from x:1 for 3 s"):
        scripted(*["silence"] * 20).read()
    with pytest.raises(DeviceLost, match="broke"):
        scripted(b"\0" * 400, "broken").read()
    odd = scripted(b"\1\0\2\0" * 100 + b"\3\0\4")
    last = odd.read()
    assert last is not None
    assert last.samples.size == 100
    assert "3 bytes were left out" in last.remark
    assert odd.read() is None
    # A pause shorter than the patience is waited out.
    slow = scripted(*["silence"] * 8, b"\0" * 9600)
    assert slow.read() is not None


class Dripping:
    """One byte a second."""

    def __init__(self, clock: VirtualTime) -> None:
        self._clock, self._reads = clock, 0

    def read(self, limit: int, patience_s: float) -> bytes | None:
        self._clock.sleep_s(patience_s)
        self._reads += 1
        return b"\x01" if self._reads % 4 == 0 else b""

    def close(self) -> None:
        pass


def test_a_sender_that_drips_keeps_nobody_waiting() -> None:
    """Of four bytes a sample: what has come whole within three seconds or so is given, or the stall is said."""
    clock = VirtualTime()
    device = StreamReceiver(parse_address("tcp://x:1?format=cs16&rate=48000"), Dripping(clock), clock)
    for _ in range(5):
        begun_s, count = clock.now_s(), 0
        try:
            block = device.read()
            count = block.samples.size if block is not None else -1
        except DeviceStalled as error:
            assert "less than a sample" in str(error)
        assert clock.now_s() - begun_s < 5
        assert count <= 1


def test_samples_that_are_no_numbers_are_silence_counted_as_lost() -> None:
    good = np.full(1_000, 0.5, np.complex64)
    assert finite(Block(good, 0)) is not None
    bad = good.copy()
    bad[10], bad[20], bad[30] = np.nan, np.inf, 3e38
    block = finite(Block(bad, 5_000, lost=7))
    assert np.isfinite(block.samples).all()
    assert (block.lost, np.count_nonzero(block.samples)) == (10, 997)
    assert "3 samples of a block were no numbers" in block.remark


def test_a_sender_a_hundred_times_too_fast_is_slowed_and_that_is_said_once() -> None:
    clock = VirtualTime()

    class Flood:
        def read(self, limit: int, patience_s: float) -> bytes:
            return bytes(limit)

        def close(self) -> None:
            pass

    device = StreamReceiver(parse_address("tcp://x:1?format=cu8&rate=1M"), Flood(), clock)
    blocks = [device.read() for _ in range(200)]
    count = sum(block.samples.size for block in blocks if block is not None)
    assert clock.now_s() == pytest.approx(count / 1e6, rel=0.02)
    remarks = [block.remark for block in blocks if block is not None and block.remark]
    assert len(remarks) == 1
    assert "stated 1 MS/s" in remarks[0]


@pytest.mark.parametrize(
    "address",
    ["tcp://127.0.0.1:1?format=cu8&rate=1M", "tcp://x?format=cu8&rate=1M", "tcp://h:5?rate=1M",
     "pipe:/no/such?format=cu8&rate=1M",
     "tcp://h:5?format=cu8&rate=lots", "tcp://h:5?format=cu8&rate=1M&gain=3", "sea", "tcp://h:5?format=cu8&rate=0.1"],
)  # fmt: skip
def test_an_address_that_tells_too_little_is_refused_with_an_example(address: str) -> None:
    with pytest.raises(DeviceNotFound) as refused:
        wiring.open_device(f"stream:{address}")
    assert "\n" not in str(refused.value)


def test_recordings_are_exact_whoever_wrote_them(tmp_path: Path) -> None:
    parts = parts_of("cs16")
    parts.tofile(tmp_path / "plain.iq")
    soundfile.write(tmp_path / "sf.wav", parts.reshape(-1, 2), 48_000, subtype="PCM_16")
    for address in ("plain.iq?format=cs16&rate=48000&centre=10M", "sf.wav"):
        device = wiring.open_device_flat_out(f"recording:{tmp_path / address}")
        np.testing.assert_allclose(all_of(device), expected(parts, "cs16"), atol=1e-6)


def test_a_recording_loops_without_a_gap_and_begins_where_it_is_told(tmp_path: Path) -> None:
    parts = parts_of("cs16", 4_800)
    parts.tofile(tmp_path / "x.iq")
    whole = expected(parts, "cs16")
    address = f"recording:{tmp_path / 'x.iq'}?format=cs16&rate=48000&loop=yes&start=0.05"
    device = wiring.open_device_flat_out(address)
    blocks = [device.read() for _ in range(3)]
    samples = np.concatenate([block.samples for block in blocks if block is not None])
    np.testing.assert_allclose(samples, np.concatenate([whole[2400:], whole, whole]), atol=1e-6)
    assert [block.first_index for block in blocks if block is not None] == [0, 2400, 7200]
    device.seek(0.1 - 1 / 48_000)  # type: ignore[attr-defined]
    last = device.read()
    assert last is not None
    np.testing.assert_allclose(last.samples, whole[-1:], atol=1e-6)
    for wrong in ("?speed=2", "?format=cs16&rate=fast"):
        with pytest.raises(DeviceNotFound):
            wiring.open_device(f"recording:{tmp_path / 'x.iq'}{wrong}")


def test_a_sparse_file_of_four_gibibytes_opens_at_once(tmp_path: Path) -> None:
    path = tmp_path / "long.rf64"
    with soundfile.SoundFile(path, "w", 48_000, 2, subtype="PCM_16", format="RF64") as file:
        file.write(np.zeros((1000, 2)))
    head = path.read_bytes()[:-4000]
    size = (1 << 32) + 4096
    with path.open("r+b") as file:
        file.truncate(len(head) + size)
        # RF64: riff, data and sample counts are 64-bit fields of its ds64 piece.
        place = head.index(b"ds64") + 8
        file.seek(place)
        file.write((len(head) + size - 8).to_bytes(8, "little") + size.to_bytes(8, "little"))
        file.write((size // 4).to_bytes(8, "little"))
    recording = open_recording(path)
    assert recording.count == size // 4
    assert recording.read(recording.count - 10, 10).size == 10


def test_counted_losses_keep_phase_and_time_of_the_slice() -> None:
    """A tone over a gap of 700 samples: before and after it the slice is that of the whole stream."""
    rate_hz, factor, count, gap = 1.024e6, 16, 40_000, slice(16_000, 16_700)
    tone = np.exp(2j * np.pi * 51_234.5 * np.arange(count) / rate_hz).astype(np.complex64)
    whole = Decimator(rate_hz, 50_000.0, factor).push(tone)
    decimator = Decimator(rate_hz, 50_000.0, factor)
    before = narrowed(decimator, tone[: gap.start], 0)
    after = narrowed(decimator, tone[gap.stop :], gap.stop - gap.start)
    seen = np.concatenate([before, after])
    assert seen.size == whole.size
    # A filter's length is mixed up on both sides of the gap.
    clear = np.ones(whole.size, bool)
    clear[gap.start // factor - 40 : gap.stop // factor + 40] = False
    np.testing.assert_allclose(seen[clear], whole[clear], atol=1e-4)
