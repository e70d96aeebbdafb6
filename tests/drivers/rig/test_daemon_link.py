"""The daemon's lines, against our stand-in and, where it is installed, against the real daemon with its dummy."""

import contextlib
import json
import shutil
import socket
import subprocess
import sys
import time
from collections.abc import Iterator

import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from yarddial.cli.rig_command import command
from yarddial.drivers.rig.daemon_link import DaemonLink
from yarddial.drivers.rig.daemon_process import models
from yarddial.drivers.rig.opening import open_rig
from yarddial.drivers.rig.protocol import (
    RIG_MODES,
    ReadRig,
    RigGone,
    RigRefused,
    RigSilent,
    RigState,
    SetRigFrequency,
    SetRigMode,
    SetRigSplit,
    ask,
    mode_key_of,
    sideband_of,
)
from yarddial.drivers.rig.stand_in import RigFault, StandIn


@pytest.fixture
def hearth() -> Iterator[StandIn]:
    made = StandIn()
    yield made
    made.close()


def read(link: DaemonLink) -> RigState:
    state = ask(link, ReadRig())
    assert state is not None
    return state


def linked(rig: StandIn, patience_s: float = 1.0) -> DaemonLink:
    return DaemonLink("127.0.0.1", rig.port, patience_s)


def test_what_is_set_is_read_and_what_is_turned_is_seen(hearth: StandIn) -> None:
    link = linked(hearth)
    ask(link, SetRigFrequency(14_305_000.0))
    ask(link, SetRigMode("usb", 2_700))
    state = read(link)
    assert (state.frequency_hz, state.mode, state.passband_hz) == (14.305e6, "USB", 2700.0)
    assert state.transmitting is False
    hearth.turn(7_055_000)
    hearth.press(transmit=True)
    ask(link, SetRigSplit(7_060_000.0))
    state = read(link)
    assert (state.frequency_hz, state.transmitting, state.transmit_hz) == (7.055e6, True, 7.06e6)
    link.close()


def _silence_of(link: DaemonLink) -> str:
    """The sentence of the first of twenty questions that is not answered."""
    for _ in range(20):
        try:
            read(link)
        except RigSilent as silent:
            return str(silent)
    return ""


@settings(deadline=None, max_examples=40)
@given(st.floats(allow_nan=True, allow_infinity=True), st.text(max_size=20))
def test_nothing_that_makes_no_sense_reaches_it(hertz: float, mode: str) -> None:
    rig = StandIn()
    link = linked(rig)
    try:
        for order in (SetRigFrequency(hertz), SetRigMode(mode)):
            try:
                ask(link, order)
            except RigRefused as refused:
                assert str(refused)
        # Whatever was asked, the link still works.
        assert read(link).frequency_hz > 0
    finally:
        link.close()
        rig.close()


@pytest.mark.parametrize("fault", ["silent", "garbled", "slow"])
def test_a_fault_is_one_sentence_in_time_and_it_is_over_when_the_fault_is(hearth: StandIn, fault: RigFault) -> None:
    link = linked(hearth, 0.3)
    hearth.faults.add(fault)
    began = time.monotonic()
    said = _silence_of(link)
    assert "no answer" in said or "no frequency" in said
    assert time.monotonic() - began < 10
    hearth.faults.clear()
    # What comes late is not taken for the answer to what was asked since.
    hearth.turn(3_700_000)
    for _ in range(10):
        with contextlib.suppress(RigSilent):
            assert read(link).frequency_hz == 3_700_000
            return
    pytest.fail("it never came back")


def test_answers_that_come_twice_count_once(hearth: StandIn) -> None:
    hearth.faults.add("doubled")
    link = linked(hearth)
    for number in range(60):
        hearth.turn(7_000_000 + 100 * number)
        assert read(link).frequency_hz == 7_000_000 + 100 * number


def test_on_a_long_line_several_readings_are_under_way_and_each_gets_its_own_answer(hearth: StandIn) -> None:
    hearth.delay_s = 0.2
    link = linked(hearth)
    orders = [ReadRig(number=number) for number in range(link.depth)]
    for number, order in enumerate(orders):
        hearth.turn(7_000_000 + 1_000 * number)
        link.begin(order)
        # The stand-in looks when the question comes, not when the answer goes.
        time.sleep(0.02)
    came = [answer for _ in range(3 * link.depth) for answer in link.answers(0.05)]
    assert [(a.order.number, a.state.frequency_hz if a.state else None) for a in came] == [
        (number, 7_000_000 + 1_000 * number) for number in range(link.depth)
    ]


def test_one_that_leaves_is_said_to_be_gone(hearth: StandIn) -> None:
    link = linked(hearth)
    read(link)
    port = hearth.port
    hearth.close()
    with pytest.raises(RigGone):
        read(link)
    with pytest.raises(RigGone, match="start the daemon"):
        DaemonLink("127.0.0.1", port)


def test_a_peer_that_ends_no_line_is_left(hearth: StandIn) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        link = DaemonLink("127.0.0.1", server.getsockname()[1], 0.5)
        peer, _ = server.accept()
        peer.sendall(b"x" * 200_000)
        with pytest.raises(RigGone, match="no daemon"):
            read(link)
        peer.close()


def test_every_mode_has_a_place_among_ours() -> None:
    assert all(mode_key_of(name) == key for key, names in RIG_MODES.items() for name in names)
    assert mode_key_of("MODE7") is None
    assert [sideband_of(mode) for mode in ("USB", "LSB", "AM", "CW", "PKTLSB")] == [
        "upper", "lower", "both", "upper", "lower",
    ]  # fmt: skip


def test_the_command_tells_and_sets(hearth: StandIn) -> None:
    address = f"rig:tcp://127.0.0.1:{hearth.port}"
    done = CliRunner().invoke(command, [address, "--set-frequency", "7.1M", "--json"])
    told = json.loads(done.output)
    assert (told["frequency_hz"], told["mode"], told["transmitting"]) == (7.1e6, "LSB", False)
    assert "7.100 MHz" in CliRunner().invoke(command, [address]).output


@pytest.mark.skipif(shutil.which("rigctld") is None, reason="Debian's libhamlib-utils is not installed")
def test_the_real_daemon_with_its_dummy_answers_alike() -> None:
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    daemon = subprocess.Popen(["rigctld", "-m", "1", "-T", "127.0.0.1", "-t", str(port)], stdout=subprocess.DEVNULL)
    try:
        for _ in range(100):
            try:
                link = DaemonLink("127.0.0.1", port)
                break
            except RigGone:
                time.sleep(0.05)
        ask(link, SetRigFrequency(14_305_250.0))
        ask(link, SetRigMode("LSB", 2_400))
        state = read(link)
        assert (state.frequency_hz, state.mode, state.passband_hz) == (14_305_250.0, "LSB", 2_400.0)
        # The dummy has no key that could be read: that is unknown, not off.
        assert state.transmitting is None
        link.close()
    finally:
        daemon.terminate()
        daemon.wait(timeout=10)


@pytest.mark.skipif(shutil.which("rigctld") is None, reason="Debian's libhamlib-utils is not installed")
def test_a_daemon_that_was_started_ends_even_when_the_program_is_killed() -> None:
    starts = (
        "import os, sys\n"
        "from yarddial.drivers.rig.daemon_process import DaemonAddress, DaemonProcess\n"
        "print(DaemonProcess(DaemonAddress(1)).port, flush=True)\n"
        "sys.stdin.read()\n"
        "os.kill(os.getpid(), 9)\n"
    )
    program = subprocess.Popen([sys.executable, "-c", starts], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    port = int(program.stdout.readline())
    socket.create_connection(("127.0.0.1", port), 1.0).close()
    program.communicate("")
    for _ in range(100):
        try:
            socket.create_connection(("127.0.0.1", port), 0.2).close()
        except OSError:
            return
        time.sleep(0.05)
    pytest.fail("it still listens")


@pytest.mark.skipif(shutil.which("rigctld") is None, reason="Debian's libhamlib-utils is not installed")
def test_models_are_the_daemons_own_and_what_is_no_model_is_said() -> None:
    assert any(model.number == 1 for model in models())
    with pytest.raises(RigGone, match="model 999999"):
        open_rig("rig:daemon:999999")
