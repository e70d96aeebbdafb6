"""The five system calls that a kernel receiver needs; tests replace them as a whole."""

import contextlib
import os
from collections.abc import Sequence
from typing import Any, Protocol


class System(Protocol):
    """System calls; each raises OSError."""

    def open(self, path: str) -> int:
        """Open a node for reading and setting, non-blocking."""
        ...

    def ioctl(self, handle: int, request: int, data: Any) -> None:
        """Send one request; `data` is a ctypes struct, changed in place."""
        ...

    def map(self, handle: int, length: int, offset: int) -> Any:
        """Map a kernel buffer as bytes."""
        ...

    def wait(self, handle: int, seconds_s: float) -> bool:
        """Wait for a full buffer or an error; return False after the time-out."""
        ...

    def close(self, handle: int, maps: Sequence[Any]) -> None:
        """Unmap the buffers and close the handle."""
        ...


class LinuxSystem:
    """The system calls of a real kernel."""

    def open(self, path: str) -> int:
        """Open a node for reading and setting, non-blocking."""
        return os.open(path, os.O_RDWR | os.O_NONBLOCK | os.O_CLOEXEC)

    def ioctl(self, handle: int, request: int, data: Any) -> None:
        """Send a request to the driver."""
        import fcntl

        fcntl.ioctl(handle, request, data)

    def map(self, handle: int, length: int, offset: int) -> Any:
        """Map a kernel buffer."""
        import mmap

        return mmap.mmap(handle, length, mmap.MAP_SHARED, mmap.PROT_READ | mmap.PROT_WRITE, offset=offset)

    def wait(self, handle: int, seconds_s: float) -> bool:
        """Wait with poll, which has no limit of 1,024 files."""
        import select

        watch = select.poll()
        watch.register(handle, select.POLLIN)
        return bool(watch.poll(seconds_s * 1000))

    def close(self, handle: int, maps: Sequence[Any]) -> None:
        """Unmap the buffers and close the handle."""
        for mapped_buffer in maps:
            with contextlib.suppress(BufferError):
                mapped_buffer.close()
        with contextlib.suppress(OSError):
            os.close(handle)
