"""Requests to a kernel receiver, one method each; struct layouts and numbers come from the package linuxpy."""

import errno
from typing import Any

import msgspec
from linuxpy.video import raw

from yarddial.drivers.kernel.system import System

# Flags named in `linux/videodev2.h` and `v4l2-controls.h`.
CAN_SDR, CAN_STREAM = 0x0010_0000, 0x0400_0000
SDR_CAPTURE_TYPE, MEMORY_MAPPED, SDR_TUNER, RF_TUNER = 11, 1, 4, 5
IN_HERTZ, IN_62_5_HERTZ = 0x1000, 0x0001
BUFFER_ERROR_FLAG, MONOTONIC_STAMP_FLAG = 0x0040, 0x2000
CONTROL_DISABLED_FLAG, FORMAT_EMULATED_FLAG = 0x0001, 0x0002


class TunerBand(msgspec.Struct, frozen=True):
    """A tuner band, hertz; `unit_hz` is the tuner's counting unit."""

    low_hz: float
    high_hz: float
    unit_hz: float


class Control(msgspec.Struct, frozen=True):
    """A control: its number and range."""

    id: int
    low: int
    high: int
    step: int


class FullBuffer(msgspec.Struct, frozen=True):
    """A buffer with samples. time_s : on the system's monotonic clock, NaN where the driver does not state it."""

    index: int
    size: int
    sequence: int
    is_broken: bool
    time_s: float


class Requests:
    """System requests to one open radio node."""

    def __init__(self, system: System, path: str) -> None:
        self._system = system
        self.handle = system.open(path)

    def ask(self, name: str, data: Any) -> None:
        """Send one request by the header's name without VIDIOC_; raises OSError."""
        self._system.ioctl(self.handle, raw.IOC[name].value & 0xFFFF_FFFF, data)

    def card(self) -> tuple[str, int]:
        """Name and capability flags."""
        capability = raw.v4l2_capability()
        self.ask("QUERYCAP", capability)
        able = capability.device_caps if capability.capabilities & 0x8000_0000 else capability.capabilities
        return capability.card.decode(errors="replace"), int(able)

    def formats(self) -> list[tuple[int, bool]]:
        """Code of each format, and whether the kernel emulates it."""
        offered_formats: list[tuple[int, bool]] = []
        while True:
            request = raw.v4l2_fmtdesc(index=len(offered_formats), type=SDR_CAPTURE_TYPE)
            if not self._has("ENUM_FMT", request):
                return offered_formats
            offered_formats.append((int(request.pixelformat), bool(request.flags & FORMAT_EMULATED_FLAG)))

    def set_format(self, letters: int) -> int:
        """Choose a format; return the one in force."""
        asked = raw.v4l2_format(type=SDR_CAPTURE_TYPE)
        asked.fmt.sdr.pixelformat = letters
        self.ask("S_FMT", asked)
        return int(asked.fmt.sdr.pixelformat)

    def tuners(self) -> dict[int, int]:
        """Number of each tuner by its type."""
        tuner_types: dict[int, int] = {}
        for index in range(8):
            request = raw.v4l2_tuner(index=index)
            if not self._has("G_TUNER", request):
                break
            tuner_types.setdefault(int(request.type), index)
        return tuner_types

    def bands(self, tuner: int, kind: int) -> list[TunerBand]:
        """Bands of a tuner, rising."""
        tuner_bands: list[TunerBand] = []
        while True:
            request = raw.v4l2_frequency_band(tuner=tuner, type=kind, index=len(tuner_bands))
            if not self._has("ENUM_FREQ_BANDS", request):
                return sorted(tuner_bands, key=lambda band: band.low_hz)
            unit_hz = 1.0 if request.capability & IN_HERTZ else 62.5 if request.capability & IN_62_5_HERTZ else 62_500.0
            tuner_bands.append(TunerBand(request.rangelow * unit_hz, request.rangehigh * unit_hz, unit_hz))

    def set_frequency(self, tuner: int, kind: int, hertz: float, unit_hz: float) -> None:
        """Tune; `frequency` reports the result."""
        request = raw.v4l2_frequency(tuner=tuner, type=kind, frequency=round(hertz / unit_hz))
        self.ask("S_FREQUENCY", request)

    def frequency(self, tuner: int, kind: int, unit_hz: float) -> float:
        """Present frequency of a tuner, hertz."""
        request = raw.v4l2_frequency(tuner=tuner, type=kind)
        self.ask("G_FREQUENCY", request)
        return float(request.frequency * unit_hz)

    def control(self, name: str) -> Control | None:
        """Control of the class RF_TUNER; None where the tuner lacks it."""
        number = raw.ControlID[f"RF_TUNER_{name}"].value
        request = raw.v4l2_queryctrl(id=number)
        if not self._has("QUERYCTRL", request) or request.flags & CONTROL_DISABLED_FLAG:
            return None
        return Control(number, int(request.minimum), int(request.maximum), max(int(request.step), 1))

    def set_control(self, control: Control, value: int) -> None:
        """Set a control's value."""
        self.ask("S_CTRL", raw.v4l2_control(id=control.id, value=value))

    def get_control(self, control: Control) -> int:
        """Present value of a control."""
        request = raw.v4l2_control(id=control.id)
        self.ask("G_CTRL", request)
        return int(request.value)

    def map_buffers(self, count: int) -> list[Any]:
        """Request a number of buffers and map those granted."""
        asked = raw.v4l2_requestbuffers(count=count, type=SDR_CAPTURE_TYPE, memory=MEMORY_MAPPED)
        self.ask("REQBUFS", asked)
        maps = []
        for index in range(asked.count):
            request = raw.v4l2_buffer(index=index, type=SDR_CAPTURE_TYPE, memory=MEMORY_MAPPED)
            self.ask("QUERYBUF", request)
            maps.append(self._system.map(self.handle, int(request.length), int(request.m.offset)))
        return maps

    def free_buffers(self) -> None:
        """Return the buffers to the kernel."""
        self.ask("REQBUFS", raw.v4l2_requestbuffers(count=0, type=SDR_CAPTURE_TYPE, memory=MEMORY_MAPPED))

    def queue(self, index: int) -> None:
        """Return a buffer for refilling."""
        self.ask("QBUF", raw.v4l2_buffer(index=index, type=SDR_CAPTURE_TYPE, memory=MEMORY_MAPPED))

    def take(self) -> FullBuffer | None:
        """Take the next full buffer; None without one."""
        request = raw.v4l2_buffer(type=SDR_CAPTURE_TYPE, memory=MEMORY_MAPPED)
        try:
            self.ask("DQBUF", request)
        except BlockingIOError:
            return None
        when_s = (
            request.timestamp.secs + request.timestamp.usecs * 1e-6
            if request.flags & MONOTONIC_STAMP_FLAG
            else float("nan")
        )
        return FullBuffer(
            int(request.index),
            int(request.bytesused),
            int(request.sequence),
            bool(request.flags & BUFFER_ERROR_FLAG),
            when_s,
        )

    def stream(self, on: bool) -> None:
        """Start or stop streaming."""
        from ctypes import c_int

        self.ask("STREAMON" if on else "STREAMOFF", c_int(SDR_CAPTURE_TYPE))

    def _has(self, name: str, data: Any) -> bool:
        """Return False at the end of a list, or where the driver does not know the list."""
        try:
            self.ask(name, data)
        except OSError as error:
            if error.errno in (errno.EINVAL, errno.ENOTTY, errno.ENODATA):
                return False
            raise
        return True
