"""Checked device: validates what a driver returns and counts lost samples in one place."""

import msgspec
import numpy as np

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, Device, RequestedSettings
from yarddial.yard.errors import BadDriver

COUNTER_FAULT = "the receiver's driver counted its samples backwards: what was lost before that is not known"


class HeldDevice:
    """Pass on a device's blocks, each validated and with an exact `lost`.

    Samples lost during a change of settings count as lost, unless the device's own count restarted.
    """

    def __init__(self, device: Device) -> None:
        self._device = device
        self._next_index: int | None = None

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities of the device."""
        return self._device.capabilities

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Apply settings; raises what the device raises, and BadDriver where it does not report its settings."""
        got = self._device.apply(ask)
        if not isinstance(got, ActualSettings):
            raise BadDriver(f"the driver of {self._name} does not say what it has set: ask its maker for a newer one")
        if not (np.isfinite(got.centre_hz) and np.isfinite(got.rate_hz) and got.rate_hz > 0):
            what = f"a centre of {got.centre_hz:g} Hz and a rate of {got.rate_hz:g} S/s"
            raise BadDriver(f"the driver of {self._name} says that it has set {what}: that cannot be; ask its maker")
        if got.restart:
            self._next_index = None
        return got

    def read(self) -> Block | None:
        """Next block with its losses; None at the end. Raises what the device raises, or BadDriver."""
        block = self._device.read()
        if block is None:
            return None
        if not isinstance(block, Block):
            raise BadDriver(f"the driver of {self._name} gives no blocks of samples: ask its maker for a newer one")
        samples, remark = block.samples, block.remark
        if isinstance(samples, np.ndarray) and samples.dtype.kind in "fiu":
            raise BadDriver(f"the driver of {self._name} gives real samples where I/Q belongs: ask its maker")
        if not isinstance(samples, np.ndarray) or samples.ndim != 1 or samples.dtype.kind != "c":
            raise BadDriver(f"the driver of {self._name} gives blocks that hold no samples: ask its maker")
        wanted = block.first_index if self._next_index is None else self._next_index
        lost = max(block.first_index - wanted, block.lost, 0)
        if block.first_index < wanted:
            remark = remark or COUNTER_FAULT
        self._next_index = block.first_index + samples.size
        return msgspec.structs.replace(
            block, samples=samples.astype(np.complex64, copy=False), lost=lost, remark=remark
        )

    def close(self) -> None:
        """Release the device."""
        self._device.close()

    @property
    def _name(self) -> str:
        return self._device.capabilities.name
