"""The library's control daemon, started for a person on this computer only, and ended with the program.

The models it supports are asked of it at run time; none of that list is stored here.
"""

import re
import shutil
import socket
import subprocess
import time
from contextlib import suppress
from pathlib import Path

import msgspec

from yarddial.drivers.rig.protocol import RigGone

PROGRAM = "rigctld"
PACKAGE = "libhamlib-utils"
STARTS_S = 5.0
SERIAL_FOLDER = Path("/dev/serial/by-id")
SPEEDS = (4800, 9600, 19_200, 38_400, 57_600, 115_200)
_MODEL = re.compile(r"^\s*(\d+)\s{2,}(\S.*?)\s{2,}(\S.*?)\s{2,}\S+\s{2,}(\S+)")


class RigModel(msgspec.Struct, frozen=True):
    """A model known to the daemon: number, name and stated maturity."""

    number: int
    name: str
    state: str


class DaemonAddress(msgspec.Struct, frozen=True):
    """Model, serial port (empty when none is needed) and speed (0 for the usual one)."""

    model: int
    device: str = ""
    speed: int = 0


def is_installed() -> bool:
    """Return True when the daemon is installed."""
    return shutil.which(PROGRAM) is not None


def models() -> tuple[RigModel, ...]:
    """Models that the daemon supports, by name; raises RigGone where it is not installed."""
    matches = [_MODEL.match(line) for line in _asked("-l").splitlines()]
    offered = [RigModel(int(match[1]), f"{match[2]} {match[3]}", match[4]) for match in matches if match is not None]
    return tuple(sorted(offered, key=lambda model: model.name.lower()))


def serial_ports(folder: Path = SERIAL_FOLDER) -> tuple[str, ...]:
    """Serial ports by persistent names, independent of where they are plugged in."""
    return tuple(str(path) for path in sorted(folder.iterdir())) if folder.is_dir() else ()


class DaemonProcess:
    """A daemon of ours on a free port of the loopback interface."""

    def __init__(self, address: DaemonAddress) -> None:
        """Start it and wait until it listens; raises RigGone in one sentence."""
        with socket.create_server(("127.0.0.1", 0)) as free:
            self.port = int(free.getsockname()[1])
        words = [_program(), "-m", str(address.model), "-T", "127.0.0.1", "-t", str(self.port)]
        words += ["-r", address.device] if address.device else []
        words += ["-s", str(address.speed)] if address.speed else []
        # It ends with this program: a shell in between waits for its input to close. If that closes without a word, a
        # transmitter may be keyed, and its key is released through the daemon before that ends.
        waits = '"$@" & d=$!; read -r word; [ -n "$word" ] || sleep 2; kill $d 2>/dev/null'
        guarded = ["sh", "-c", waits, "sh", *words]
        self._process = subprocess.Popen(
            guarded, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        self._wait(address)

    def _wait(self, address: DaemonAddress) -> None:
        until_s = time.monotonic() + STARTS_S
        while time.monotonic() < until_s:
            with suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 0.2):
                return
            time.sleep(0.05)
        self.close()
        on = f" on {address.device}" if address.device else ""
        raise RigGone(f"the daemon did not start for model {address.model}{on}: look at model, line and speed")

    def close(self) -> None:
        """End the daemon."""
        if self._process.stdin is not None:
            with suppress(OSError):
                self._process.stdin.write("end\n")
                self._process.stdin.close()
        if self._process.stderr is not None:
            self._process.stderr.close()
        try:
            self._process.wait(3.0)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()


def _program() -> str:
    program_path = shutil.which(PROGRAM)
    if program_path is None:
        raise RigGone(f"the daemon {PROGRAM} is not installed: it comes with the package {PACKAGE}")
    return program_path


def _asked(word: str) -> str:
    try:
        return subprocess.run([_program(), word], capture_output=True, text=True, timeout=20, check=False).stdout
    except (OSError, subprocess.TimeoutExpired) as error:
        raise RigGone(f"the daemon {PROGRAM} does not say which transceivers it knows: {error}") from error
