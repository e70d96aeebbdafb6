"""A transceiver by a table of its commands: over a pseudo-terminal that answers as the template says, and vanishes."""

import json
import os
import re
import threading
import tty
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.drivers.rig.command_table import BadTable, filled, load_table, reading
from yarddial.drivers.rig.opening import open_rig, parse_rig_address
from yarddial.drivers.rig.protocol import (
    ReadRig,
    RigGone,
    RigLink,
    RigRefused,
    RigSilent,
    SetRigFrequency,
    SetRigMode,
    SetRigSplit,
    ask,
)
from yarddial.yard.errors import DeviceNotFound, YardDialError


class Line:
    """The far end: registers behind two-letter commands, with what the template calls them."""

    def __init__(self) -> None:
        self.far, self.near = os.openpty()
        tty.setraw(self.far)
        tty.setraw(self.near)
        self.path = os.ttyname(self.near)
        self.kept = {"F": "00007100000", "M": "1", "T": "0", "S": "0", "X": "00007105000"}
        self.is_mute = False
        threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        came = b""
        with suppress(OSError):
            while True:
                came += os.read(self.far, 64)
                while b";" in came:
                    word, _, came = came.partition(b";")
                    asked = re.fullmatch(r"([QS])([FMTSX])(\w*)", word.decode("ascii"))
                    if asked is None or self.is_mute:
                        continue
                    if asked[1] == "S":
                        self.kept[asked[2]] = asked[3]
                    else:
                        # Something comes unasked before each answer, as on lines where somebody turns a knob.
                        os.write(self.far, f"ZZ9;Q{asked[2]}{self.kept[asked[2]]};".encode("ascii"))

    def vanish(self) -> None:
        os.close(self.far)


@pytest.fixture
def line() -> Iterator[Line]:
    made = Line()
    yield made
    for end in (made.far, made.near):
        with suppress(OSError):
            os.close(end)


def opened(line: Line) -> RigLink:
    return open_rig(f"rig:template@{line.path}")


def test_what_is_set_is_read(line: Line) -> None:
    link = opened(line)
    state = ask(link, ReadRig())
    assert state is not None
    assert (state.frequency_hz, state.mode, state.transmitting, state.transmit_hz) == (7.1e6, "LSB", False, None)
    ask(link, SetRigFrequency(14_305_250.0))
    ask(link, SetRigMode("usb"))
    ask(link, SetRigSplit(14_310_000.0))
    line.kept["T"] = "1"
    state = ask(link, ReadRig())
    assert state is not None
    assert (state.frequency_hz, state.mode, state.transmitting, state.transmit_hz) == (
        14_305_250.0, "USB", True, 14_310_000.0,
    )  # fmt: skip
    assert line.kept["F"] == "00014305250"
    link.close()


def test_it_is_never_made_to_transmit_and_refuses_what_it_does_not_know(line: Line) -> None:
    link = opened(line)
    with pytest.raises(RigRefused):
        link.open_key()
    for order in (SetRigMode("MODE7"), SetRigFrequency(float("nan"))):
        with pytest.raises(RigRefused):
            ask(link, order)
    assert line.kept["T"] == "0"
    link.close()


def test_a_line_that_is_mute_is_silent_and_one_that_vanishes_is_gone(line: Line) -> None:
    link = opened(line)
    line.is_mute = True
    with pytest.raises(RigSilent, match="speed and cable"):
        ask(link, ReadRig())
    line.vanish()
    # The system may take a moment to say that it is gone.
    with suppress(RigSilent, RigGone):
        ask(link, ReadRig())
    with pytest.raises(RigGone, match="cable"):
        ask(link, ReadRig())
    link.close()
    with pytest.raises(RigGone):
        open_rig("rig:template@/dev/no-such-line")


@given(st.integers(0, 10**11 - 1))
def test_digits_are_written_as_they_are_read(hertz: int) -> None:
    found = reading("QF{hertz}").match(filled("QF{hertz:11}", hertz=hertz))
    assert found is not None
    assert int(found["hertz"]) == hertz


@given(st.text(max_size=60))
def test_no_pattern_of_a_table_is_more_than_text_and_places(pattern: str) -> None:
    plain = re.sub(r"\{(hertz|mode|flag|any)(:\d{1,2})?\}", "", pattern)
    if plain == pattern:
        assert reading(pattern).match(pattern)


@pytest.mark.parametrize(
    "change",
    [{"speed": 3}, {"terminator": ""}, {"frequency": {"ask": "", "answer": ""}}, {"mode": {"ask": "Q", "answer": "Q"}},
     {"surprise": 1}, {"frequency": 7}, {"terminator": "é"}, {"terminator": "\x00"},
     {"frequency": {"ask": "QF", "answer": "QF{hertz}{hertz}"}}],
)  # fmt: skip
def test_a_table_that_cannot_be_used_is_one_sentence(tmp_path: Path, change: dict[str, object]) -> None:
    path = tmp_path / "mine.json"
    path.write_text(json.dumps({"name": "x", "frequency": {"ask": "QF", "answer": "QF{hertz}"}} | change))
    with pytest.raises(BadTable) as told:
        load_table(str(path))
    assert "\n" not in str(told.value)
    path.write_bytes(b"\xff" * 30_000)
    with pytest.raises(BadTable, match="longer"):
        load_table(str(path))
    for name in ("no\x00table", "/dev/stdin", str(tmp_path), "x" * 5_000, "~nobody-of-this-name/t"):
        with pytest.raises(BadTable) as told:
            load_table(name)
        assert "\n" not in str(told.value)


@given(st.text(max_size=40))
def test_an_address_is_taken_apart_or_refused_in_a_sentence(text: str) -> None:
    try:
        parse_rig_address(text)
    except DeviceNotFound as error:
        assert "\n" not in str(error)


def test_addresses() -> None:
    assert parse_rig_address("rig:daemon:1@/dev/serial/by-id/x:9600").speed == 9600
    assert parse_rig_address("tcp://127.0.0.1:4532").port == 4532
    assert parse_rig_address("my table.json@/dev/ttyS0").table == "my table.json"
    for bad in ("rig:tcp://x:0", "rig:tcp://x:70000", "", "rig:daemon:x"):
        with pytest.raises(YardDialError):
            parse_rig_address(bad)
