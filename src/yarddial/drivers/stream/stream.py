"""Samples from another program as a receiver: one rate, one centre, at the pace of the clock."""

import numpy as np

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, FoundReceiver, RequestedSettings, TimeSource
from yarddial.drivers.stream.address import StreamAddress, parse_address
from yarddial.drivers.stream.source import ByteSource, open_source
from yarddial.dsp.sample_formats import BITS, FORMATS, as_complex, sample_bytes
from yarddial.yard.errors import CannotTune, DeviceStalled
from yarddial.yard.frequency import format_frequency

BLOCK_S = 0.05
STALL_S = 3.0
# A sender ahead of the clock for this long is faster than its stated rate.
AHEAD_S = 2.0


class StreamReceiver:
    """Reads at the stated rate. A faster sender is slowed by its own full pipe, which is reported once."""

    def __init__(self, address: StreamAddress, source: ByteSource, time: TimeSource) -> None:
        self._address, self._source, self._time = address, source, time
        self._size = sample_bytes(address.sample_format)
        self._count = max(int(address.rate_hz * BLOCK_S), 64)
        self._index = 0
        self._started_s: float | None = None
        self._ahead_since_s: float | None = None
        self._said_fast = self._ended = False
        # Bytes of an incomplete sample.
        self._rest = bytearray()

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities: the stream's centre and rate only."""
        half = self._address.rate_hz / 2
        span = (self._address.centre_hz - half, self._address.centre_hz + half)
        name = self._address.place or "standard input"
        return Capabilities(
            name, (span,), (self._address.rate_hz,), ("",), BITS[self._address.sample_format],
            fixed_centre_hz=self._address.centre_hz,
        )  # fmt: skip

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Accept any centre inside the span; the stream stays unchanged."""
        low, high = self.capabilities.ranges_hz[0]
        if not low <= ask.centre_hz <= high:
            raise CannotTune(
                f"cannot tune to {format_frequency(ask.centre_hz)}: the stream covers {format_frequency(low)} to "
                f"{format_frequency(high)}; tune the sender, or dial a frequency inside it",
                ask.centre_hz,
            )
        return ActualSettings(self._address.centre_hz, self._address.rate_hz, ask.port)

    def read(self) -> Block | None:
        """Next samples; fewer than a block before the end, None at the end.

        Raises
        ------
        DeviceStalled
            Nothing came for three seconds.
        DeviceLost
            The connection broke.
        """
        if self._ended:
            return None
        wanted = self._count * self._size
        data, self._rest = self._rest, bytearray()
        waited_s, at_once = 0.0, True
        # A slow sender must not block the reader: return what is complete in time, keep the rest.
        until_s = self._time.now_s() + BLOCK_S + STALL_S
        while len(data) < wanted:
            data_read = self._source.read(wanted - len(data), 0.25)
            if data_read is None:
                self._ended = True
                break
            if not data_read:
                at_once, waited_s = False, waited_s + 0.25
                if waited_s >= STALL_S:
                    raise DeviceStalled(
                        f"nothing came from {self._address.place or 'standard input'} for {STALL_S:g} s: look whether "
                        "the sender still runs",
                        STALL_S,
                    )
                continue
            at_once = at_once and len(data_read) == wanted
            waited_s = 0.0
            data += data_read
            if self._time.now_s() > until_s and len(data) < wanted:
                break
        dripped = len(data) % self._size
        if dripped and not self._ended:
            self._rest = data[len(data) - dripped :]
            del data[len(data) - dripped :]
            if not data:
                raise DeviceStalled(
                    f"less than a sample came from {self._address.place or 'standard input'} in {STALL_S:g} s: look "
                    "whether the sender is in order",
                    STALL_S,
                )
        remark = self._pace(at_once)
        odd = len(data) % self._size
        if odd and self._ended:
            remark = f"the stream ended in the middle of a sample: {odd} bytes were left out"
            del data[len(data) - odd :]
        if not data:
            return Block(np.empty(0, np.complex64), self._index, remark=remark) if remark else None
        samples = as_complex(np.frombuffer(bytes(data), FORMATS[self._address.sample_format][0]),
                             self._address.sample_format)  # fmt: skip
        block = Block(samples, self._index, remark=remark)
        self._index += samples.size
        return block

    def close(self) -> None:
        """Close the stream."""
        self._source.close()

    def _pace(self, at_once: bool) -> str:
        """Wait until the samples are due; report once a sender that is always ahead of the clock."""
        now_s = self._time.now_s()
        if self._started_s is None:
            self._started_s = now_s
        due_s = self._started_s + (self._index + self._count) / self._address.rate_hz
        if due_s < now_s - 1.0:
            # After a pause of the sender continue from here, without catching up.
            self._started_s += now_s - due_s
            due_s = now_s
        if not at_once:
            self._ahead_since_s = None
        elif self._ahead_since_s is None:
            self._ahead_since_s = now_s
        self._time.sleep_s(due_s - now_s)
        ahead = self._ahead_since_s is not None and now_s - self._ahead_since_s > AHEAD_S
        if ahead and not self._said_fast:
            self._said_fast = True
            return (
                f"more comes than the stated {self._address.rate_hz / 1e6:g} MS/s: the sender is slowed to it; if it "
                "is a live receiver, state its true rate"
            )
        return ""


class StreamDriver:
    """Opens streams by their address; see `parse_address`."""

    name = "stream"

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Find nothing: the person enters a stream."""
        return ()

    def open(self, address: str, time: TimeSource) -> StreamReceiver:
        """Open it; raises DeviceNotFound in one sentence."""
        parsed = parse_address(address)
        return StreamReceiver(parsed, open_source(parsed), time)
