"""From the driver into a ring buffer: samples are read as they come; those that do not fit are counted.

A live receiver cannot wait, so when the ring is full its newest samples are lost and reported. A recording can wait.
"""

import threading
import time
from collections import deque

import msgspec

from yarddial.drivers.held import HeldDevice
from yarddial.drivers.protocol import ActualSettings, Block, Device, RequestedSettings
from yarddial.engine.patience import USUAL_PATIENCE
from yarddial.yard.errors import BadDriver, DeviceLost, DeviceStalled, YardDialError

# Capacity of the ring: one busy second and a reserve.
RING_S = 2.0


class Direct:
    """Read each block on request, without a thread: for tests, commands and running flat out."""

    def __init__(self, device: Device) -> None:
        self._device = HeldDevice(device)
        self._tuning = 0
        self.read_s = 0.0

    def apply(self, ask: RequestedSettings, tuning: int = 0) -> ActualSettings:
        """Set the device; later blocks carry the tuning's id."""
        got = self._device.apply(ask)
        self._tuning = tuning
        return got

    def next(self, wait_s: float) -> Block | None:
        """Next block; None at the end. Raises what the device raises."""
        block = self._device.read()
        self.read_s = time.monotonic()
        return block if block is None else msgspec.structs.replace(block, tuning=self._tuning)

    def close(self) -> None:
        """Close the device."""
        self._device.close()


class Nothing(msgspec.Struct, frozen=True):
    """No block arrived within the wait; the stream continues."""

    waited_s: float


class Ring:
    """With a thread of its own, in the engine's process."""

    def __init__(self, device: Device, read_s: float = USUAL_PATIENCE.read_s) -> None:
        """read_s : how long a read may take before it counts as hanging."""
        self._read_patience_s = read_s
        self._device = HeldDevice(device)
        self._blocks: deque[tuple[Block | YardDialError | None, float]] = deque()
        self.read_s = 0.0
        self._held = 0
        # Lost before blocks that nobody took; those that found no room.
        self._lost = self._overrun = 0
        self._limit = 1
        # What the device is set to, and how often it was set: a block read before the latest setting is stale.
        self._tuning = self._settings = 0
        self._closing = False
        # One for what is held, one for the device: it is set and read by turns.
        self._ready = threading.Condition()
        self._device_lock = threading.Lock()
        self._thread: threading.Thread | None = None

    def apply(self, ask: RequestedSettings, tuning: int = 0) -> ActualSettings:
        """Set the device between two blocks; blocks read before are dropped, those read after carry the tuning's id.

        Raises DeviceStalled when the device does not come back from a read, or what the device raises.
        """
        if not self._device_lock.acquire(timeout=self._read_patience_s):
            raise DeviceStalled("a read of the receiver does not come back", self._read_patience_s)
        try:
            got = self._device.apply(ask)
            with self._ready:
                self._tuning = tuning
                self._settings += 1
                if self._device.capabilities.is_live:
                    # What was read is of no use; what was lost before it is lost all the same.
                    self._lost += sum(block.lost for block, _ in self._blocks if isinstance(block, Block))
                    self._blocks = deque(entry for entry in self._blocks if not isinstance(entry[0], Block))
                    self._held = 0
                self._limit = int(RING_S * got.rate_hz)
                self._ready.notify_all()
        finally:
            self._device_lock.release()
        if self._thread is None:
            self._thread = threading.Thread(target=self._read_on, name="intake", daemon=True)
            self._thread.start()
        return got

    def next(self, wait_s: float) -> Block | Nothing | None:
        """The oldest block; Nothing when none came in time, None at the end. Raises what the device raised."""
        with self._ready:
            if not self._blocks and not self._ready.wait_for(lambda: bool(self._blocks), wait_s):
                return Nothing(wait_s)
            block, self.read_s = self._blocks.popleft()
            if isinstance(block, Block):
                self._held -= block.samples.size
                block = msgspec.structs.replace(block, tuning=self._tuning)
            self._ready.notify_all()
        if isinstance(block, YardDialError):
            raise block
        return block

    def close(self) -> None:
        """End the thread and give the device back; a driver that hangs is left to the end of the process."""
        self._closing = True
        with self._ready:
            self._ready.notify_all()
        if self._thread is not None:
            self._thread.join(1.0)
        if self._thread is None or not self._thread.is_alive():
            self._device.close()

    def _read_on(self) -> None:
        while not self._closing:
            item: Block | YardDialError | None
            try:
                with self._device_lock:
                    setting = self._settings
                    item = self._device.read()
            except YardDialError as error:
                item = error
            except Exception as error:
                # The top of a thread: code of others may raise anything, and it must be said.
                reason = " ".join(str(error).split()) or type(error).__name__
                item = DeviceLost(f"the driver failed: {reason}; start it again")
            except BaseException as error:
                # Such as SystemExit: a driver that ends its program would end this thread without a word.
                item = BadDriver(f"the driver wants to end the program ({type(error).__name__}): ask its maker")
            self._put(item, setting)
            if not isinstance(item, Block):
                return

    def _put(self, item: Block | YardDialError | None, setting: int) -> None:
        """Hold what was read under a setting; the device may have been set again since."""
        with self._ready:
            if isinstance(item, Block):
                if self._device.capabilities.is_live and setting != self._settings:
                    # Its samples were taken with older settings; what was lost before them is lost all the same.
                    self._lost += item.lost
                    return
                size = item.samples.size
                if not self._device.capabilities.is_live:
                    self._ready.wait_for(lambda: self._closing or self._held + size <= self._limit)
                elif self._held + size > self._limit:
                    self._lost += item.lost
                    self._overrun += size
                    return
                item = msgspec.structs.replace(item, lost=item.lost + self._lost, missed=self._overrun)
                self._lost = self._overrun = 0
                self._held += size
            self._blocks.append((item, time.monotonic()))
            self._ready.notify_all()
