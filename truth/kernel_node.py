"""A receiver of the kernel at the level of its requests, written from `linux/videodev2.h`; not from our driver.

Structs are packed by hand at the header's offsets on 64-bit machines; request numbers as in `asm-generic/ioctl.h`.
Samples are numbers that tell their own place, so that any loss, shift or mix-up shows.
"""

import errno
import os
import struct
from collections.abc import Callable, Sequence
from typing import Any

READ, WRITE = 2, 1


def request(direction: int, number: int, size: int) -> int:
    """_IOC of the header for the letter V."""
    return direction << 30 | size << 16 | ord("V") << 8 | number


QUERYCAP = request(READ, 0, 104)
ENUM_FMT = request(READ | WRITE, 2, 64)
S_FMT = request(READ | WRITE, 5, 208)
REQBUFS = request(READ | WRITE, 8, 20)
QUERYBUF = request(READ | WRITE, 9, 88)
QBUF = request(READ | WRITE, 15, 88)
DQBUF = request(READ | WRITE, 17, 88)
STREAMON = request(WRITE, 18, 4)
STREAMOFF = request(WRITE, 19, 4)
G_CTRL = request(READ | WRITE, 27, 8)
S_CTRL = request(READ | WRITE, 28, 8)
G_TUNER = request(READ | WRITE, 29, 84)
QUERYCTRL = request(READ | WRITE, 36, 68)
G_FREQUENCY = request(READ | WRITE, 56, 44)
S_FREQUENCY = request(WRITE, 57, 44)
ENUM_FREQ_BANDS = request(READ | WRITE, 101, 64)
# V4L2_CTRL_CLASS_RF_TUNER | 0x900, and what stands at which place in it.
RF_TUNER = 0x00A2_0900
CONTROLS = {
    11: ("bandwidth auto", 0, 1, 1, 1), 12: ("bandwidth", 200_000, 8_000_000, 1, 600_000),
    41: ("LNA auto", 0, 1, 1, 1), 42: ("LNA", 0, 15, 1, 6), 51: ("mixer auto", 0, 1, 1, 1),
    52: ("mixer", 0, 15, 1, 8), 61: ("IF auto", 0, 1, 1, 1), 62: ("IF", 0, 12, 3, 6), 91: ("lock", 0, 1, 1, 1),
}  # fmt: skip
LETTERS = {"CU8": b"CU08", "CS8": b"CS08", "CU16LE": b"CU16", "CS14LE": b"CS14", "RU12LE": b"RU12"}
BYTES = {"CU8": 2, "CS8": 2, "CU16LE": 4, "CS14LE": 4, "RU12LE": 2}


class KernelStandIn:
    """Answers `open`, `ioctl`, `map`, `wait` and `close`. Each wait fills one buffer, as time going by would.

    make : (first sample, count, centre, rate) to bytes. faults : what goes wrong, by name, with a number.
    """

    def __init__(
        self, make: Callable[[int, int, int, int], bytes], formats: Sequence[str] = ("CU8",), **faults: float
    ) -> None:
        self.make, self.formats, self.faults = make, tuple(formats), faults
        self.format = formats[0]
        self.rate, self.centre = 2_048_000, 100_000_000
        self.values = {place: default for place, (*_, default) in CONTROLS.items()}
        self.buffers: list[bytearray] = []
        self.queued: list[int] = []
        self.full: list[tuple[int, int, int, int]] = []
        self.streaming = False
        self.sequence = self.sample = self.filled = self.opens = self.closes = 0
        self.dropped_buffers = self.broken_buffers = 0
        self.buffer_bytes = 16_384
        self.log: list[str] = []

    # The system's calls

    def open(self, path: str) -> int:
        if "denied" in self.faults:
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), path)
        if "gone" in self.faults:
            raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), path)
        if "busy_open" in self.faults:
            raise OSError(errno.EBUSY, os.strerror(errno.EBUSY), path)
        self.opens += 1
        return 77

    def close(self, handle: int, maps: Sequence[Any]) -> None:
        self.closes += 1
        self.streaming = False

    def map(self, handle: int, length: int, offset: int) -> bytearray:
        return self.buffers[offset >> 16]

    def wait(self, handle: int, seconds_s: float) -> bool:
        if self.faults.get("silent") or not self.streaming:
            return False
        self.fill()
        return True

    def fill(self) -> None:
        """A buffer's time goes by: it is filled, or lost where none is queued or the fault says so."""
        size = self.buffer_bytes
        count = size // BYTES[self.format]
        number, self.filled = self.filled, self.filled + 1
        first, self.sample = self.sample, self.sample + count
        drop = self.faults.get("drop_every")
        if not self.queued or (drop and number % int(drop) == int(drop) - 1):
            self.sequence += 1
            self.dropped_buffers += 1
            return
        index = self.queued.pop(0)
        data = self.make(first, count, self.centre, self.rate)
        flags = 0x2000
        short = self.faults.get("short_every")
        if short and number % int(short) == 1:
            data = data[: size // 3]
        broken = self.faults.get("broken_every")
        if broken and number % int(broken) == 2:
            flags |= 0x40
            self.broken_buffers += 1
        self.buffers[index][: len(data)] = data
        self.full.append((index, len(data), flags, self.sequence))
        self.sequence = (self.sequence + 1) & 0xFFFF_FFFF

    def ioctl(self, handle: int, number: int, data: Any) -> None:
        view = memoryview(data).cast("B")
        size = number >> 16 & 0x3FFF
        assert len(view) == size, f"request {number:#x} is of {size} bytes, its struct of {len(view)}"
        if "unplug" in self.faults and self.filled >= self.faults["unplug"]:
            raise OSError(errno.ENODEV, os.strerror(errno.ENODEV))
        answer = self._answers().get(number)
        if answer is None:
            raise OSError(errno.ENOTTY, os.strerror(errno.ENOTTY))
        answer(view)

    def _answers(self) -> dict[int, Callable[[memoryview], None]]:
        return {
            QUERYCAP: self._card, ENUM_FMT: self._enum_format, S_FMT: self._set_format, REQBUFS: self._request,
            QUERYBUF: self._query_buffer, QBUF: self._queue, DQBUF: self._take, STREAMON: self._on,
            STREAMOFF: self._off, G_CTRL: self._get_control, S_CTRL: self._set_control, G_TUNER: self._tuner,
            QUERYCTRL: self._query_control, G_FREQUENCY: self._get_frequency, S_FREQUENCY: self._set_frequency,
            ENUM_FREQ_BANDS: self._band,
        }  # fmt: skip

    # What is asked

    def _card(self, view: memoryview) -> None:
        titles = (b"stand-in", b"Made-up stick", b"usb-0")
        struct.pack_into("16s32s32s3I", view, 0, *titles, 0x060100, 0x8530_0000, 0x0530_0000)

    def _enum_format(self, view: memoryview) -> None:
        index, kind = struct.unpack_from("2I", view)
        self._need(kind == 11 and index < len(self.formats))
        struct.pack_into("I", view, 44, int.from_bytes(LETTERS[self.formats[index]], "little"))

    def _set_format(self, view: memoryview) -> None:
        if "busy_format" in self.faults:
            raise OSError(errno.EBUSY, os.strerror(errno.EBUSY))
        wanted = struct.unpack_from("I", view, 8)[0].to_bytes(4, "little")
        self.format = next((name for name in self.formats if LETTERS[name] == wanted), self.formats[0])
        struct.pack_into("2I", view, 8, int.from_bytes(LETTERS[self.format], "little"), self.buffer_bytes)

    def _request(self, view: memoryview) -> None:
        count = struct.unpack_from("I", view)[0]
        if self.streaming or "busy_buffers" in self.faults:
            raise OSError(errno.EBUSY, os.strerror(errno.EBUSY))
        # The kernel gives as many as it likes.
        self.buffers = [bytearray(self.buffer_bytes) for _ in range(min(count, 8))]
        self.queued, self.full = [], []
        struct.pack_into("I", view, 0, len(self.buffers))

    def _query_buffer(self, view: memoryview) -> None:
        index = struct.unpack_from("I", view)[0]
        self._need(index < len(self.buffers))
        struct.pack_into("Q", view, 64, index << 16)
        struct.pack_into("I", view, 72, self.buffer_bytes)

    def _queue(self, view: memoryview) -> None:
        index = struct.unpack_from("I", view)[0]
        self._need(index < len(self.buffers) and index not in self.queued)
        self.queued.append(index)

    def _take(self, view: memoryview) -> None:
        eio = self.faults.get("eio_every")
        if eio and self.filled % int(eio) == 3 and self.full and not self.faults.pop("_eio_said", 0):
            self.faults["_eio_said"] = 1
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        if self.faults.get("eio_for_good"):
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        if not self.full:
            raise BlockingIOError(errno.EAGAIN, os.strerror(errno.EAGAIN))
        index, used, flags, sequence = self.full.pop(0)
        struct.pack_into("4I", view, 0, index, 11, used, flags)
        struct.pack_into("qq", view, 24, self.filled, 0)
        struct.pack_into("I", view, 56, sequence)

    def _on(self, view: memoryview) -> None:
        if "busy_stream" in self.faults:
            raise OSError(errno.EBUSY, os.strerror(errno.EBUSY))
        self._need(struct.unpack_from("I", view)[0] == 11)
        self.streaming = True

    def _off(self, view: memoryview) -> None:
        self.streaming = False
        self.queued, self.full = [], []

    def _query_control(self, view: memoryview) -> None:
        place = self._place(view)
        name, low, high, step, default = CONTROLS[place]
        struct.pack_into("2I32s4iI", view, 0, RF_TUNER + place, 1, name.encode(), low, high, step, default, 0)

    def _get_control(self, view: memoryview) -> None:
        place = self._place(view)
        locked = not 1_105_000_000 < self.centre < 1_140_000_000
        struct.pack_into("i", view, 4, int(locked) if place == 91 else self.values[place])

    def _set_control(self, view: memoryview) -> None:
        place, value = self._place(view), struct.unpack_from("i", view, 4)[0]
        _, low, high, step, _ = CONTROLS[place]
        self._need(low <= value <= high and (value - low) % step == 0 and place != 91, errno.ERANGE)
        self.values[place] = value
        self.log.append(f"{CONTROLS[place][0]}={value}")

    def _tuner(self, view: memoryview) -> None:
        index = struct.unpack_from("I", view)[0]
        self._need(index < 2)
        struct.pack_into("I", view, 36, (4, 5)[index])

    def _band(self, view: memoryview) -> None:
        tuner, kind, index = struct.unpack_from("3I", view)
        bands = {(0, 4): [(225_001, 300_000), (900_001, 3_200_000)], (1, 5): [(24_000_000, 1_766_000_000)]}
        self._need((tuner, kind) in bands and index < len(bands[tuner, kind]))
        struct.pack_into("3I", view, 12, 0x1000, *bands[tuner, kind][index])

    def _get_frequency(self, view: memoryview) -> None:
        tuner = struct.unpack_from("I", view)[0]
        struct.pack_into("I", view, 8, (self.rate, self.centre)[tuner])

    def _set_frequency(self, view: memoryview) -> None:
        tuner, kind, frequency = struct.unpack_from("3I", view)
        self._need(kind == (4, 5)[tuner])
        if tuner == 0:
            self._need(not self.streaming, errno.EBUSY)
            # A divider: rates come in steps of 28.8 MHz / 2^22, near enough.
            self.rate = frequency + (1 if frequency % 2 else 0)
        else:
            # A synthesizer's step of 250 Hz.
            self.centre = round(frequency / 250) * 250

    def _place(self, view: memoryview) -> int:
        place = struct.unpack_from("I", view)[0] - RF_TUNER
        self._need(place in CONTROLS)
        return int(place)

    def _need(self, good: bool, code: int = errno.EINVAL) -> None:
        if not good:
            raise OSError(code, os.strerror(code))
