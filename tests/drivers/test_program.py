"""Programs as receivers: the contract over both examples, and children that do all they should not."""

import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from yarddial import wiring
from yarddial.drivers.contract import broken_promises
from yarddial.drivers.held import HeldDevice
from yarddial.drivers.program import receiver
from yarddial.drivers.program.driver import ProgramDriver
from yarddial.drivers.program.receiver import ProgramReceiver
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.time_source import RealTime
from yarddial.records.allowed_programs import AllowedPrograms
from yarddial.yard.errors import BadDriver, DeviceLost, DeviceNotFound, DeviceStalled, ProgramNotAllowed, YardDialError

EXAMPLES = Path(__file__).parents[2] / "docs" / "example-program"
ASK = RequestedSettings(7e6, 48e3)
# A child that behaves; each hostile one does one thing otherwise.
CAPABLE = '{"say":"capabilities","version":1,"name":"T","format":"cs16","ranges_hz":[[1e6,3e7]],"rates_hz":[48000]}'
GOT = '{"say":"got","id":ID,"centre_hz":7e6,"rate_hz":48000,"from_sample":0}'
BODY = """
import json, os, sys, time, signal
samples = open(os.environ["YARD_DIAL_SAMPLES"], "wb", buffering=0)
def say(text): sys.stdout.write(text + "\\n"); sys.stdout.flush()
def ask(): return json.loads(sys.stdin.readline() or '{"do":"stop"}')
"""
WELL = f"ask(); say('{CAPABLE}'); say('{GOT}'.replace('ID', str(ask()['id'])))\n"
HOSTILE: dict[str, tuple[str, type[YardDialError], str]] = {
    "no answer": ("time.sleep(60)", DeviceStalled, "did not say its capabilities"),
    "no answer to a setting": (f"ask(); say('{CAPABLE}'); time.sleep(60)", DeviceStalled, "what it has set"),
    "no JSON": ("ask(); say('hello there')", BadDriver, "begins 'hello there'"),
    "a line of another page": ("ask(); say('[1, 2]')", BadDriver, "docs/program.md"),
    "a word for a number": (f"ask(); say('{CAPABLE}'.replace('48000', '\"fast\"'))", BadDriver, "docs/program.md"),
    "another version": (f"ask(); say('{CAPABLE}'.replace('n\":1', 'n\":9'))", BadDriver, "version 9"),
    "another format": (f"ask(); say('{CAPABLE}'.replace('cs16', 'mp3'))", BadDriver, "format is 'mp3'"),
    "a megabyte line": ("ask(); say('x' * (1 << 20)); time.sleep(60)", BadDriver, "over 64 kB"),
    "dies at once": ("sys.exit('no stick\\nis plugged in')", DeviceLost, "last words: is plugged in"),
    "dies by a signal": (WELL + "os.kill(os.getpid(), signal.SIGSEGV)", DeviceLost, "SIGSEGV"),
    "dies in the middle": (WELL + "samples.write(b'abcd' * 900 + b'a'); sys.exit(3)", DeviceLost, "status 3"),
    "says that it failed": (WELL + "say('{\"say\":\"failed\",\"why\":\"too hot\"}'); ask()", DeviceLost, "too hot"),
    "no samples": (WELL + "time.sleep(60)", DeviceStalled, "no samples for 0.6 s"),
    "half a sample": (WELL + "samples.write(b'a'); time.sleep(60)", DeviceStalled, "no samples for 0.6 s"),
    "never ends": (
        "signal.signal(signal.SIGTERM, signal.SIG_IGN); signal.signal(signal.SIGHUP, signal.SIG_IGN)\n"
        + WELL + "os.fork()\nwhile True:\n  samples.write(bytes(40000)) if os.getppid() else 0",
        DeviceLost, "for ever",
    ),
}  # fmt: skip


def child(tmp_path: Path, body: str) -> str:
    path = tmp_path / "receiver.py"
    path.write_text(f"#!{sys.executable}\n{BODY}{body}\n")
    path.chmod(0o755)
    return str(path)


def running(path: str) -> list[str]:
    """Processes whose command names a path."""
    return [line for line in subprocess.run(["ps", "-eo", "stat,args"], capture_output=True, text=True, check=True)
            .stdout.splitlines() if path in line and not line.startswith("Z")]  # fmt: skip


@pytest.mark.parametrize("language", ["Python", "C"])
def test_the_examples_keep_the_contract(language: str, tmp_path: Path) -> None:
    # A copy of its own, because another test may run the example at the same time.
    path = tmp_path / "tone.py"
    shutil.copy(EXAMPLES / "tone.py", path)
    if language == "C":
        if shutil.which("cc") is None:
            pytest.skip("no C compiler here")
        path = tmp_path / "tone"
        subprocess.run(["cc", "-O2", "-o", path, EXAMPLES / "tone.c", "-lm"], check=True)
    assert list(broken_promises(ProgramDriver(lambda _: ""), str(path), RealTime())) == []
    assert running(str(path)) == []


@pytest.mark.parametrize("what", list(HOSTILE))
def test_a_hostile_child_is_one_sentence_and_leaves_nothing_behind(
    what: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # Three seconds are for people; the sentence and the end are the same.
    monkeypatch.setattr(receiver, "STALL_S", 0.6)
    # A child that answers may be slow to start on a busy computer; only one that never answers is waited for.
    monkeypatch.setattr(receiver, "ANSWERS_S", 0.6 if what.startswith("no answer") else 8.0)
    body, error, words = HOSTILE[what]
    command = child(tmp_path, body)

    def listen() -> None:
        began_s = time.monotonic()
        device = ProgramReceiver(command, RealTime())
        try:
            device.apply(ASK)
            while time.monotonic() - began_s < 8:
                device.read()
                if what == "never ends":
                    raise DeviceLost("it goes on for ever")
        finally:
            device.close()

    with pytest.raises(error, match=words) as raised:
        listen()
    assert "\n" not in str(raised.value)
    assert running(str(tmp_path)) == []


def test_losses_find_their_place_and_stale_samples_count_for_nothing(tmp_path: Path) -> None:
    """Samples tell their own number; 512 are lost before number 6000; the second setting holds from 9000 on."""
    body = f"""
import array
def write(first, last):
    samples.write(array.array("h", [n for i in range(first, last) for n in (i % 30000, 0)]).tobytes())
ask(); say('{CAPABLE}'); say('{GOT}'.replace("ID", str(ask()["id"])))
write(0, 6000)
say('{{"say":"lost","count":512,"at_sample":6000}}')
write(6000, 7200)
number = ask()["id"]
write(7200, 9000)
say('{GOT}'.replace("ID", str(number)).replace('sample":0', 'sample":9000'))
write(9000, 11400)
ask()
"""
    device = HeldDevice(ProgramReceiver(child(tmp_path, body), RealTime()))
    device.apply(ASK)
    seen: list[int] = []
    lost = []
    while len(seen) < 7200:
        block = device.read()
        lost += [(len(seen), block.lost)] if block.lost else []
        seen += np.round(block.samples.real * 32768).astype(int).tolist()
    assert seen == list(range(7200))
    assert lost == [(6000, 512)]
    device.apply(ASK)
    block = device.read()
    assert round(float(block.samples[0].real) * 32768) == 9000
    assert (block.first_index, block.lost) == (7200 + 512, 0)
    device.close()


def test_nothing_is_started_that_was_not_allowed_here(tmp_path: Path) -> None:
    command = child(tmp_path, "open('started', 'w')")
    allowed = AllowedPrograms(tmp_path / "allowed.json")
    driver = ProgramDriver(allowed.why_not)
    with pytest.raises(ProgramNotAllowed, match="has not been allowed"):
        driver.open(command, RealTime())
    allowed.allow(command + " -v")
    with pytest.raises(ProgramNotAllowed):
        driver.open(command, RealTime())
    allowed.allow(command)
    assert AllowedPrograms(tmp_path / "allowed.json").allows(command)
    for bad in ("tone.py", "", "/no/such", "'/unclosed"):
        with pytest.raises((DeviceNotFound, ProgramNotAllowed)):
            driver.open(bad, RealTime())
    (tmp_path / "allowed.json").write_text("{")
    assert not allowed.allows(command)


def test_a_program_whose_file_was_swapped_is_asked_about_again(tmp_path: Path) -> None:
    """By contents, by mode and by what a link leads to; also the script that an interpreter is given."""
    script, other = tmp_path / "tone.py", tmp_path / "other.py"
    script.write_text("print('tone')")
    other.write_text("print('other')")
    command = f"{sys.executable} {script} /no/file --gain 3"
    allowed = AllowedPrograms(tmp_path / "allowed.json")
    allowed.allow(command)
    assert allowed.why_not(command) == ""
    kept = script.read_text()
    for change, undo in (
        (lambda: script.write_text("print('tome')"), lambda: script.write_text(kept)),
        (lambda: script.chmod(0o666), lambda: script.chmod(0o644)),
        (lambda: (script.unlink(), script.symlink_to(other)), lambda: (script.unlink(), script.write_text(kept))),
        (script.unlink, lambda: script.write_text(kept)),
    ):
        change()
        assert "is not the file that was allowed" in allowed.why_not(command)
        undo()
        assert allowed.allows(command)
    script.write_text("print('new')")
    allowed.allow(command)
    assert AllowedPrograms(tmp_path / "allowed.json").allows(command)
    # What an earlier version wrote names no contents.
    (tmp_path / "allowed.json").write_text(json.dumps([command]))
    assert "has not been allowed" in allowed.why_not(command)


def test_what_a_program_has_started_dies_with_whoever_began_it(tmp_path: Path) -> None:
    # Seconds by which this helper is told from all others.
    helper = f"{60 + os.getpid() / 1e7:.7f}"
    command = child(tmp_path, f"import subprocess; subprocess.Popen(['sleep', '{helper}']); {WELL}time.sleep(60)")
    begin = (
        "import sys, os; from yarddial.drivers.program.receiver import ProgramReceiver as R\n"
        "from yarddial.drivers.time_source import RealTime\n"
        f"r = R({command!r}, RealTime()); os.kill(os.getpid(), 9)"
    )
    ended = subprocess.run([sys.executable, "-c", begin], check=False, env=os.environ | {"PYTHONPATH": "src"})
    assert ended.returncode == -9
    for _ in range(50):
        if not running(f"sleep {helper}") and not running(command):
            break
        time.sleep(0.05)
    assert running(command) == running(f"sleep {helper}") == []


def test_a_program_dies_with_whoever_began_it(tmp_path: Path) -> None:
    command = child(tmp_path, WELL + "signal.signal(signal.SIGPIPE, signal.SIG_IGN); time.sleep(60)")
    begin = (
        "import sys, os; from yarddial.drivers.program.receiver import ProgramReceiver as R\n"
        "from yarddial.drivers.time_source import RealTime\n"
        f"r = R({command!r}, RealTime()); os.kill(os.getpid(), 9)"
    )
    subprocess.run([sys.executable, "-c", begin], check=False, env=os.environ | {"PYTHONPATH": "src"})
    for _ in range(50):
        if not running(command):
            break
        time.sleep(0.05)
    assert running(command) == []


def test_a_program_is_opened_by_its_address_once_allowed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    command = str(EXAMPLES / "tone.py")
    with pytest.raises(ProgramNotAllowed):
        wiring.open_device(f"process:{command}")
    wiring.allowed_programs().allow(command)
    wiring.open_device(f"process:{command}").close()
