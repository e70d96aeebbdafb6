"""Another computer, played by a network namespace of its own where this may be made, and by a folder of its own."""

import os
import shutil
import subprocess
import sys
import threading
import time
from pathlib import Path
from queue import Empty, SimpleQueue

SERVES = """
import sys
from yarddial import wiring
if sys.argv[1] == "flat-out":
    process = wiring.EngineProcess
    wiring.EngineProcess = lambda opens: process(wiring.open_device_flat_out, in_thread=False)
    wiring.begin_check = wiring.begin_check_flat_out
sys.argv[1:2] = []
from yarddial.__main__ import main
main()
"""


class FarComputerHere:
    """`yard-dial serve` there; its receivers run as fast as it can where `flat_out` says so.

    host : where it is reached. is_apart : it has a network of its own.
    """

    def __init__(self, folder: Path, *, flat_out: bool, port: int = 47_110) -> None:
        self._name = f"far{os.getpid()}"
        self.is_apart = self._make_network()
        self.host, self.port = ("10.211.77.2" if self.is_apart else "127.0.0.1"), port
        self._folder, self._pace = folder, "flat-out" if flat_out else "real"
        self._process: subprocess.Popen[str] | None = None
        self.said: SimpleQueue[str] = SimpleQueue()

    def _ip(self, words: str) -> bool:
        found = subprocess.run(["ip", *words.split()], capture_output=True, check=False)
        return found.returncode == 0

    def _make_network(self) -> bool:
        """Two ends of a cable, one of them in a namespace of its own."""
        name = self._name
        if shutil.which("ip") is None or os.geteuid() != 0:
            return False
        self._clear_networks_of_the_dead()
        if not self._ip(f"netns add {name}"):
            return False
        steps = (
            f"link add {name}a type veth peer name {name}b", f"link set {name}b netns {name}",
            f"addr add 10.211.77.1/30 dev {name}a", f"link set {name}a up",
            f"-n {name} addr add 10.211.77.2/30 dev {name}b", f"-n {name} link set {name}b up",
            f"-n {name} link set lo up",
        )  # fmt: skip
        return all(self._ip(step) for step in steps)

    def _clear_networks_of_the_dead(self) -> None:
        """A test that was killed has left its cable, whose addresses are those of this one."""
        listed = subprocess.run(["ip", "netns", "list"], capture_output=True, text=True, check=False).stdout
        for name in (line.split()[0] for line in listed.splitlines() if line.startswith("far")):
            if name[3:].isdigit() and not Path(f"/proc/{name[3:]}").exists():
                self._ip(f"link del {name}a")
                self._ip(f"netns del {name}")

    def serve(self, *more: str) -> None:
        """Begin to serve."""
        before = ["ip", "netns", "exec", self._name] if self.is_apart else []
        where = ["serve", "--listen", f"{self.host}:{self.port}"]
        words = [sys.executable, "-c", SERVES, self._pace, *where, *more]
        homes = {f"XDG_{kind}_HOME": str(self._folder / kind.lower()) for kind in ("DATA", "STATE", "CONFIG")}
        self._process = subprocess.Popen(
            before + words, stdout=subprocess.PIPE, text=True, env=os.environ | homes, bufsize=1
        )
        threading.Thread(target=self._read_on, daemon=True).start()

    def _read_on(self) -> None:
        assert self._process is not None
        assert self._process.stdout is not None
        for line in self._process.stdout:
            self.said.put(line.strip())

    def pairing_code(self) -> str:
        """As it shows it."""
        until_s = time.monotonic() + 60
        while time.monotonic() < until_s:
            try:
                line = self.said.get(timeout=0.5)
            except Empty:
                continue
            if "yard-dial pair" in line:
                return line.rpartition(" ")[2]
        raise AssertionError("no code was shown")

    @property
    def pid(self) -> int:
        """Of the serving program."""
        assert self._process is not None
        return self._process.pid

    def pull_cable(self, *, out: bool) -> None:
        """Out, or in again; without a network of its own nothing happens."""
        if self.is_apart:
            self._ip(f"link set {self._name}a {'down' if out else 'up'}")

    def close(self) -> None:
        """Nothing is left."""
        if self._process is not None:
            self._process.terminate()
            self._process.wait(20)
        if self.is_apart:
            self._ip(f"netns del {self._name}")
            self._ip(f"link del {self._name}a")
