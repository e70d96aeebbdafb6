"""Receivers of the kernel, against a stand-in written from the header: formats, losses by number, faults."""

import contextlib
from pathlib import Path

import numpy as np
import pytest

from kernel_node import BYTES, KernelStandIn
from yarddial.drivers.contract import broken_promises
from yarddial.drivers.kernel.driver import KernelDriver
from yarddial.drivers.protocol import Device, RequestedSettings
from yarddial.drivers.time_source import RealTime
from yarddial.yard.errors import (
    CannotTune,
    DeviceBusy,
    DeviceDenied,
    DeviceLost,
    DeviceNotFound,
    DeviceStalled,
    RefusedValue,
    YardDialError,
)

ASK = RequestedSettings(100e6, 2.048e6)


def counting(first: int, count: int, centre: int, rate: int) -> bytes:
    """Samples of two bytes that tell their own number: low byte, high byte."""
    return (np.arange(first, first + count) & 0xFFFF).astype("<u2").tobytes()


def numbers(samples: np.ndarray) -> np.ndarray:
    """The numbers again, from samples of the format CU8."""
    parts = np.round(samples.view(np.float32) * 127.5 + 127.5).astype(int)
    return parts[::2] + 256 * parts[1::2]


@pytest.fixture
def root(tmp_path: Path) -> Path:
    """A system with one receiver on USB, and the node that belongs to it."""
    device = tmp_path / "sys/devices/usb1/1-1.4"
    interface = device / "1-1.4:1.0"
    node = tmp_path / "sys/class/video4linux/swradio0"
    for folder in (interface, node, tmp_path / "dev"):
        folder.mkdir(parents=True)
    (device / "speed").write_text("480\n")
    (node / "name").write_text("Made-up stick\n")
    (node / "device").symlink_to(interface)
    (tmp_path / "dev/swradio0").touch()
    return tmp_path


def opened(root: Path, standin: KernelStandIn, address: str = "swradio0") -> Device:
    return KernelDriver(root, standin).open(address, RealTime())


def test_it_is_found_with_its_bus_and_without_being_opened(root: Path) -> None:
    standin = KernelStandIn(counting)
    (found,) = KernelDriver(root, standin).discover()
    assert (found.address, found.name, found.bus, found.speed_mbps) == ("swradio0", "Made-up stick", "USB 1-1.4", 480)
    assert found.state == "ready"
    assert standin.opens == 0
    (root / "dev/swradio0").unlink()
    (found,) = KernelDriver(root, standin).discover()
    assert found.state == "denied"
    assert "swradio" in found.cure


@pytest.mark.parametrize("letters", list(BYTES))
def test_the_contract_holds_in_every_format(root: Path, letters: str) -> None:
    rng = np.random.default_rng(1)
    standin = KernelStandIn(lambda n, count, c, r: rng.bytes(count * BYTES[letters]), (letters,))
    assert list(broken_promises(KernelDriver(root, standin), "swradio0", RealTime())) == []
    assert standin.opens == standin.closes > 0


@pytest.mark.parametrize(
    ("letters", "kind", "values", "expected"),
    [
        ("CU8", "u1", [0, 255, 127, 128], [-1, 1, -0.5 / 127.5, 0.5 / 127.5]),
        ("CS8", "i1", [-128, 127, 0, -1], [-1, 127 / 128, 0, -1 / 128]),
        ("CU16LE", "<u2", [0, 65535, 32767, 32768], [-1, 1, -0.5 / 32767.5, 0.5 / 32767.5]),
        # 14 bits with sign; what stands over the sign is not said to be one.
        ("CS14LE", "<u2", [0x2000, 0x1FFF, 0xC001, 0x3FFF], [-1, 8191 / 8192, 1 / 8192, -1 / 8192]),
    ],
)
def test_formats_are_converted_exactly(
    root: Path, letters: str, kind: str, values: list[int], expected: list[float]
) -> None:
    data = np.array(values, kind).tobytes()
    standin = KernelStandIn(lambda n, count, c, r: data * (count * BYTES[letters] // len(data)), (letters,))
    device = opened(root, standin)
    device.apply(ASK)
    block = device.read()
    np.testing.assert_array_equal(block.samples.view(np.float32)[:4], np.array(expected, np.float32))


def test_a_real_tone_above_a_quarter_of_the_rate_stands_above_the_centre(root: Path) -> None:
    """f_s/4 + f_s/64 of real samples: f_s/64 above the centre, an eighth of a turn a sample at half the rate."""

    def tone(first: int, count: int, centre: int, rate: int) -> bytes:
        turns = (1 / 4 + 1 / 64) * np.arange(first, first + count)
        return np.round(2047.5 + 1000 * np.cos(2 * np.pi * (turns % 1))).astype("<u2").tobytes()

    device = opened(root, KernelStandIn(tone, ("RU12LE",)))
    got = device.apply(RequestedSettings(100e6, 1.024e6))
    samples = np.concatenate([device.read().samples for _ in range(4)])[100:]
    assert got.rate_hz == 1.024e6
    expected = np.exp(2j * np.pi / 32 * np.arange(samples.size))
    level = samples @ expected.conj() / samples.size
    assert abs(level) == pytest.approx(1000 / 2047.5, rel=1e-3)
    assert np.abs(samples - level * expected).max() < 2e-3


def test_lost_buffers_are_counted_by_their_numbers_and_over_retunes(root: Path) -> None:
    standin = KernelStandIn(counting, drop_every=7, broken_every=11)
    device = opened(root, standin)
    device.apply(ASK)
    shift = lost = 0
    for turn in range(60):
        device.apply(RequestedSettings(100e6 + 1e5 * turn, 2.048e6, gains_db=(("LNA", turn % 16),)))
        for _ in range(3):
            block = device.read()
            lost += block.lost
            # What is thrown away as stale was neither given nor lost, so the count may only fall behind.
            behind = (int(numbers(block.samples)[0]) - block.first_index) & 0xFFFF
            assert behind >= shift or behind < 8192
            assert np.array_equal(np.diff(numbers(block.samples)) & 0xFFFF, np.ones(block.samples.size - 1))
            shift = behind
    last = standin.dropped_buffers + standin.broken_buffers
    assert lost in (8192 * last, 8192 * (last - 1))
    assert lost > 8192 * 20


def test_blocks_after_a_new_setting_hold_nothing_older(root: Path) -> None:
    def centred(first: int, count: int, centre: int, rate: int) -> bytes:
        return bytes([centre // 1_000_000 % 256]) * (2 * count)

    standin = KernelStandIn(centred)
    device = opened(root, standin)
    for mhz in (100, 101, 130, 88):
        device.apply(RequestedSettings(mhz * 1e6, 2.048e6))
        standin.fill()
        block = device.read()
        assert np.unique(np.round(block.samples.real * 127.5 + 127.5)) == [mhz]


def test_what_is_really_set_is_told_and_every_control_is_used(root: Path) -> None:
    standin = KernelStandIn(counting)
    device = opened(root, standin)
    able = device.capabilities
    assert able.rates_hz[:2] == (250e3, 300e3)
    assert {gain.name: gain.steps_db for gain in able.gains}["IF"] == (0, 3, 6, 9, 12)
    ask = RequestedSettings(100.0001e6, 2.048e6, "", 1.536e6, (("LNA", 9), ("mixer", 3), ("IF", 7)))
    got = device.apply(ask)
    assert (got.centre_hz, got.bandwidth_hz, dict(got.gains_db)) == (100e6, 1.536e6, {"LNA": 9, "mixer": 3, "IF": 6})
    assert (standin.values[11], standin.values[41], standin.values[51], standin.values[61]) == (0, 0, 0, 0)
    got = device.apply(RequestedSettings(100e6, 2.048e6, automatic_gain=True))
    assert got.automatic_gain
    assert (standin.values[11], standin.values[41], standin.values[42]) == (1, 1, 9)


def test_a_tuner_that_does_not_lock_is_seen_and_stays_where_it_was(root: Path) -> None:
    standin = KernelStandIn(counting)
    device = opened(root, standin)
    device.apply(ASK)
    with pytest.raises(CannotTune, match="does not lock at 1"):
        device.apply(RequestedSettings(1.12e9, 2.048e6))
    assert standin.centre == 100_000_000
    assert device.read() is not None


@pytest.mark.parametrize(
    ("faults", "error", "words"),
    [
        ({"denied": 1}, DeviceDenied, "you may not open"),
        ({"gone": 1}, DeviceNotFound, "plug the receiver in"),
        ({"busy_open": 1}, DeviceBusy, "another program"),
        ({"busy_format": 1}, DeviceBusy, "another program"),
        ({"busy_buffers": 1}, DeviceBusy, "another program"),
        ({"busy_stream": 1}, DeviceBusy, "another program"),
        ({"unplug": 4}, DeviceLost, "plug it in again"),
        ({"eio_for_good": 1}, DeviceLost, "input/output error"),
        ({"silent": 1}, DeviceStalled, "no samples for 3 s"),
    ],
)
def test_what_goes_wrong_is_one_sentence(root: Path, faults: dict, error: type[YardDialError], words: str) -> None:
    standin = KernelStandIn(counting, **faults)

    def listen() -> None:
        with contextlib.closing(opened(root, standin)) as device:
            device.apply(ASK)
            for _ in range(9):
                device.read()

    with pytest.raises(error, match=words) as raised:
        listen()
    assert "\n" not in str(raised.value)
    assert standin.closes == standin.opens


def test_short_buffers_and_passing_read_errors_lose_nothing(root: Path) -> None:
    standin = KernelStandIn(counting, short_every=3, eio_every=5)
    device = opened(root, standin)
    device.apply(ASK)
    blocks = [device.read() for _ in range(12)]
    assert {block.samples.size for block in blocks} == {8192, 16384 // 3 // 2}
    assert sum(block.lost for block in blocks) == 0


def test_an_address_that_names_no_format_of_it_is_refused(root: Path) -> None:
    with pytest.raises(RefusedValue, match="no format 'CS14LE'"):
        opened(root, KernelStandIn(counting), "swradio0?format=CS14LE")
    with pytest.raises(DeviceNotFound, match="no 'rate='"):
        opened(root, KernelStandIn(counting), "swradio0?rate=2M")
