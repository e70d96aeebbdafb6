"""The person's program as a child process with three pipes, bounded waits, and an end tied to its parent."""

import contextlib
import os
import select
import shlex
import shutil
import signal
import subprocess
import time as clock

from yarddial.drivers.program.group_guard import GroupGuard
from yarddial.yard.errors import BadDriver, DeviceLost, DeviceNotFound
from yarddial.yard.plain_text import one_line

# A JSON line is short; anything longer is something else.
MAX_LINE = 1 << 16
# Pipe capacity: the kernel's usual limit for unprivileged users.
PIPE_BYTES = 1 << 20
# Environment variable with the path for samples, which every language can open.
SAMPLES = "YARD_DIAL_SAMPLES"
STOPS_S = 1.0


def words_of(command: str) -> list[str]:
    """Split a command line; raises DeviceNotFound unless it names a program by its absolute path."""
    try:
        words = shlex.split(command)
    except ValueError as error:
        what = f"'{one_line(command)}' cannot be read as a command ({error})"
        raise DeviceNotFound(f"{what}: look at its quotes") from error
    if not words or not os.path.isabs(words[0]):
        raise DeviceNotFound(f"'{one_line(command)}' names no program by its whole path: write it from / on")
    return words


class Child:
    """A running program. `lines` arrive on its standard output, samples on a pipe of their own."""

    def __init__(self, command: str) -> None:
        words = words_of(command)
        if not os.access(words[0], os.X_OK) or os.path.isdir(words[0]):
            raise DeviceNotFound(f"the program {one_line(words[0])} is not there, or is none: look at its path")
        self.name = os.path.basename(words[0])
        samples, their_samples = os.pipe()
        try:
            self._process = subprocess.Popen(
                [*_dying_with_us(), *words],
                env=os.environ | {SAMPLES: f"/proc/self/fd/{their_samples}"},
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                pass_fds=(their_samples,),
                start_new_session=True,
            )
        except OSError as error:
            os.close(samples)
            reason = (error.strerror or str(error)).lower()
            raise DeviceNotFound(f"the program {words[0]} cannot be started ({reason}): look at its path") from error
        finally:
            os.close(their_samples)
        self._guard = GroupGuard(self._process.pid)
        self._samples = samples
        with contextlib.suppress(OSError, AttributeError):
            import fcntl

            fcntl.fcntl(samples, fcntl.F_SETPIPE_SZ, PIPE_BYTES)
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        assert self._process.stderr is not None
        self._in, self._out, self._said = (
            pipe.fileno() for pipe in (self._process.stdin, self._process.stdout, self._process.stderr)
        )
        for handle in (samples, self._in, self._out, self._said):
            os.set_blocking(handle, False)
        self._line = bytearray()
        self._last_words = b""
        self._open = {samples, self._out, self._said}
        self.lines: list[bytes] = []
        self.samples = bytearray()

    def send(self, line: bytes) -> None:
        """Write a line; raises DeviceLost where nobody reads it."""
        until_s = clock.monotonic() + STOPS_S
        while line:
            try:
                line = line[os.write(self._in, line) :]
            except BlockingIOError as error:
                if clock.monotonic() > until_s:
                    raise DeviceLost(f"the program {self.name} does not read what is asked of it: end it") from error
                self.take(0.05)
            except OSError as error:
                raise self.ended() from error

    def take(self, patience_s: float, limit: int = PIPE_BYTES) -> bool:
        """Read available input into `lines` and `samples`; False once all pipes have ended.

        limit : maximum bytes of samples held; beyond it the program has to wait.
        """
        watch = select.poll()
        for handle in self._open:
            if handle != self._samples or len(self.samples) < limit:
                watch.register(handle, select.POLLIN)
        for handle, _ in watch.poll(patience_s * 1000):
            try:
                data = os.read(handle, PIPE_BYTES)
            except BlockingIOError:
                continue
            except OSError:
                data = b""
            if not data:
                self._open.discard(handle)
            elif handle == self._samples:
                self.samples += data
            elif handle == self._said:
                self._last_words = (self._last_words + data)[-2000:]
            else:
                self._take_lines(data)
        return bool(self._open - {self._said})

    @property
    def gives_samples(self) -> bool:
        """Return False once the pipe of samples has ended."""
        return self._samples in self._open

    def _take_lines(self, data: bytes) -> None:
        *whole, rest = (bytes(self._line) + data).split(b"\n")
        self._line = bytearray(rest)
        self.lines += [line for line in whole if line.strip()]
        if max((len(line) for line in [*whole, rest]), default=0) > MAX_LINE:
            what = f"the program {self.name} wrote a line of over {MAX_LINE // 1024} kB"
            raise BadDriver(f"{what}: samples belong into the file that {SAMPLES} names")

    def ended(self) -> DeviceLost:
        """Reason for its end, with its last words."""
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(0.2)
        self.take(0.0)
        code = self._process.returncode
        how = "closed its pipes" if code is None else f"ended with status {code}"
        how = how if code is None or code >= 0 else f"died ({_signal(code)})"
        last = self._last_words.decode(errors="replace").strip().splitlines()
        words = f", its last words: {one_line(last[-1])[:200]}" if last else ""
        return DeviceLost(f"the program {self.name} {how}{words}: mend it, then start again")

    def close(self) -> None:
        """Ask it to stop, then end it and everything it started."""
        if self._process.stdin is not None and not self._process.stdin.closed:
            with contextlib.suppress(OSError):
                os.write(self._in, b'{"do":"stop"}\n')
            with contextlib.suppress(OSError):
                self._process.stdin.close()
        until_s = clock.monotonic() + STOPS_S
        while self._process.poll() is None and clock.monotonic() < until_s:
            # It may be blocked writing samples that nobody reads any more.
            self.samples.clear()
            with contextlib.suppress(BadDriver):
                self.take(0.02)
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(self._process.pid, signal.SIGKILL)
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(STOPS_S)
        self._guard.dismiss()
        for pipe in (self._process.stdout, self._process.stderr):
            if pipe is not None:
                pipe.close()
        if self._samples >= 0:
            os.close(self._samples)
            self._samples = -1
        self._open = set()


def _dying_with_us() -> list[str]:
    """Command prefix that makes the kernel kill the program when its parent dies (util-linux's setpriv)."""
    setpriv = shutil.which("setpriv")
    return [] if setpriv is None else [setpriv, "--pdeathsig", "KILL", "--"]


def _signal(code: int) -> str:
    try:
        return signal.Signals(-code).name
    except ValueError:
        return f"signal {-code}"
