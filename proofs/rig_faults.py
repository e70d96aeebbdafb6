"""Every fault of a transceiver's link in real time: one sentence; following waits, and goes on; nothing hangs.

The stand-in's nine faults, the real daemon killed, a port taken by somebody else, and a serial line that vanishes.
"""

import os
import re
import shutil
import socket
import sys
import tempfile
import threading
import time
import tty
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import msgspec

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from job_yard import JobYard
from yarddial.drivers.rig.daemon_link import DaemonLink
from yarddial.drivers.rig.daemon_process import DaemonAddress, DaemonProcess
from yarddial.drivers.rig.opening import open_rig
from yarddial.drivers.rig.protocol import RigLink
from yarddial.drivers.rig.stand_in import RigFault, StandIn
from yarddial.session.rig.safety import STUCK_S
from yarddial.session.rig.verdict import rig_verdict
from yarddial.session.session import Session
from yarddial.yard.demo import HEARTH_IF

SAYS_WITHIN_S, BACK_WITHIN_S = 8.0, 12.0
# What the verdict must say while the fault is there.
SAYS: dict[RigFault, str] = {
    "slow": "no answer", "silent": "no answer", "garbled": "no answer|garbled", "wrong modes": "MODE7",
    "rounded": "steps of 10 Hz", "jumps": "jumps by itself", "stuck": "stuck|transmits", "doubled": "late, twice",
    "lost": "not at all",
}  # fmt: skip


def run(session: Session, for_s: float, until: Callable[[], bool] = lambda: False) -> float | None:
    """Poll for so long, or until something is so: how long that took."""
    began_s = time.monotonic()
    while time.monotonic() < began_s + for_s:
        session.poll()
        if until():
            return time.monotonic() - began_s
        time.sleep(0.01)
    return None


def said(session: Session) -> str:
    """All of the verdict."""
    verdict = rig_verdict(session.rig)
    return f"{verdict.sentence} {verdict.consequence}"


def linked(folder: Path, link: Callable[[], RigLink]) -> Session:
    """The demo yard, following over Hearth's IF, without its receiver running."""
    yard = JobYard(folder)
    session = yard.session
    session.toggle_receiver()
    session.desk.choose_route(HEARTH_IF)
    session.desk.dial(7.1e6)
    hearth = session.desk.station.part("Hearth")
    session.desk.edit("link", session.desk.station.with_part(msgspec.structs.replace(hearth, link="rig:tcp://x:1")))
    session.rig._open_link = lambda _: link()
    session.rig.link("Hearth")
    run(session, 3.0, lambda: session.rig.shown is not None)
    session.rig.safety.acknowledge()
    session.rig.follow()
    run(session, 0.5)
    return session


def judged(name: str, says_s: float | None, sentence: str, back_s: float | None) -> bool:
    """Print; True where it was said, and went on."""
    good = says_s is not None and back_s is not None and sentence.count("\n") == 0
    when = "never" if says_s is None else f"{says_s:.1f} s"
    back = "never" if back_s is None else f"{back_s:.1f} s"
    print(
        f"{'ok  ' if good else 'MISS'} {name}: said after {when}, followed again after {back}: {sentence}", flush=True
    )
    return good


def stand_in(fault: RigFault) -> bool:
    """One fault, put in and taken out."""
    rig = StandIn()
    session = linked(Path(tempfile.mkdtemp()), lambda: DaemonLink("127.0.0.1", rig.port))
    rig.faults.add(fault)
    if fault == "stuck":
        run(session, 1.0)
        since_s = session.rig.safety._since_s
        session.rig.safety._since_s = None if since_s is None else since_s - STUCK_S
    if fault == "rounded":
        for number in range(6):
            rig.turn(7.1e6 + 130 * number)
            run(session, 0.3)
    says_s = run(session, SAYS_WITHIN_S, lambda: re.search(SAYS[fault], said(session)) is not None)
    sentence = said(session)
    rig.faults.clear()
    run(session, 0.3)

    def is_back() -> bool:
        if not session.rig.is_following or session.rig.safety.transmitting:
            return False
        rig.turn(7.2e6)
        return session.desk.station.dial_hz == 7.2e6

    back_s = run(session, BACK_WITHIN_S, is_back)
    session.close()
    rig.close()
    return judged(fault, says_s, sentence, back_s)


def killed_daemon() -> bool:
    """The real daemon is killed, and started again on the same port."""
    daemon = DaemonProcess(DaemonAddress(1))
    session = linked(Path(tempfile.mkdtemp()), lambda: DaemonLink("127.0.0.1", daemon.port))
    port = daemon.port
    daemon.close()
    says_s = run(session, SAYS_WITHIN_S, lambda: "not reached" in said(session))
    run(session, 2.5)
    sentence = said(session)
    again = StandIn(port=port)
    again.turn(7.2e6)
    back_s = run(session, BACK_WITHIN_S, lambda: session.rig.is_following and session.desk.station.dial_hz == 7.2e6)
    session.close()
    again.close()
    return judged("the real daemon killed", says_s, sentence, back_s)


def taken_port() -> bool:
    """Somebody else listens there, and says nothing of use."""
    other = socket.create_server(("127.0.0.1", 0))

    def babble() -> None:
        with suppress(OSError):
            while True:
                peer, _ = other.accept()
                peer.sendall(b"220 mail ready\r\n")

    threading.Thread(target=babble, daemon=True).start()
    port = other.getsockname()[1]
    session = linked(Path(tempfile.mkdtemp()), lambda: DaemonLink("127.0.0.1", port))
    says_s = run(session, SAYS_WITHIN_S, lambda: "no answer" in said(session))
    sentence = said(session)
    with suppress(OSError):
        other.shutdown(socket.SHUT_RDWR)
    other.close()
    run(session, 3.0, lambda: _is_free(port))
    rig = StandIn(port=port)
    rig.turn(7.2e6)
    run(session, BACK_WITHIN_S, lambda: session.rig.status == "linked" and session.rig.shown is not None)
    session.rig.safety.acknowledge()
    session.rig.follow()
    back_s = run(session, BACK_WITHIN_S, lambda: session.rig.is_following and session.desk.station.dial_hz == 7.2e6)
    session.close()
    rig.close()
    return judged("a port that is another's", says_s, sentence, back_s)


def _is_free(port: int) -> bool:
    """Whether nobody listens there any more."""
    with suppress(OSError), socket.create_server(("127.0.0.1", port)):
        return True
    return False


class SerialRig:
    """A pseudo-terminal that answers as the template says; it can be pulled and put in again under the same name."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / "line"
        self.far = -1
        self.put_in()

    def put_in(self) -> None:
        self.far, near = os.openpty()
        tty.setraw(self.far)
        tty.setraw(near)
        self.path.unlink(missing_ok=True)
        self.path.symlink_to(os.ttyname(near))
        threading.Thread(target=self._run, args=(self.far, near), daemon=True).start()

    def pull(self) -> None:
        self.path.unlink()
        os.close(self.far)

    @staticmethod
    def _run(far: int, near: int) -> None:
        kept = {"F": "00007200000", "M": "1", "T": "0", "S": "0", "X": "00007200000"}
        came = b""
        with suppress(OSError):
            while True:
                came += os.read(far, 64)
                while b";" in came:
                    word, _, came = came.partition(b";")
                    asked = re.fullmatch(r"([QS])([FMTSX])(\w*)", word.decode("ascii", "replace"))
                    if asked is not None and asked[1] == "S":
                        kept[asked[2]] = asked[3]
                    elif asked is not None:
                        os.write(far, f"Q{asked[2]}{kept[asked[2]]};".encode("ascii"))
        with suppress(OSError):
            os.close(near)


def vanished_line() -> bool:
    """The cable is pulled, and put in again."""
    folder = Path(tempfile.mkdtemp())
    line = SerialRig(folder)
    session = linked(folder, lambda: open_rig(f"rig:template@{line.path}"))
    line.pull()
    says_s = run(session, SAYS_WITHIN_S, lambda: "not reached" in said(session))
    run(session, 2.5)
    sentence = said(session)
    line.put_in()
    back_s = run(session, BACK_WITHIN_S, lambda: session.rig.is_following and session.desk.station.dial_hz == 7.2e6)
    session.close()
    return judged("a serial line pulled", says_s, sentence, back_s)


def prove() -> bool:
    """Print the figures; True where all is well."""
    results = [stand_in(fault) for fault in SAYS]
    good = all(results)
    good &= vanished_line()
    good &= taken_port()
    if shutil.which("rigctld") is not None:
        good &= killed_daemon()
    return good


if __name__ == "__main__":
    raise SystemExit(not prove())
