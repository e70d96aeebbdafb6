"""A serving computer announced in the network and found there; what an announcement holds is shown, never believed."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from zeroconf import ServiceInfo

from yarddial.cli.program import run
from yarddial.distance.announcement import SERVICE, Announcement, announced_computers, computer_in
from yarddial.yard.errors import DeviceBusy

PRINT = "0123456789abcdef" * 4


def info(name: str, mark: str, port: int = 47110, addresses: tuple[str, ...] = ("10.0.0.3",)) -> ServiceInfo:
    return ServiceInfo(
        SERVICE, f"x.{SERVICE}", port=port, properties={"name": name, "mark": mark}, server="x.local.",
        parsed_addresses=list(addresses),
    )  # fmt: skip


def test_who_announces_itself_is_found_with_its_address_and_digits() -> None:
    try:
        announcement = Announcement("shed", 47110, PRINT, ("127.0.0.1",))
    except DeviceBusy as error:
        pytest.skip(str(error))
    try:
        found = [one for one in announced_computers(1.0) if one.mark == PRINT[:12]]
    finally:
        announcement.close()
    assert [(one.name, one.place) for one in found] == [("shed", "127.0.0.1:47110")]


def test_an_announcement_is_read_as_text_or_not_at_all() -> None:
    computer = computer_in(info("a\x1b[2J\u202eshed" + "x" * 200, PRINT[:12]))
    assert computer is not None
    assert computer.name.startswith("a⟨U+001B⟩[2J⟨U+202E⟩shed")
    assert len(computer.name) == 40
    assert computer_in(info("six", PRINT[:12], addresses=("fd00::1",))).place == "[fd00::1]:47110"  # type: ignore[union-attr]
    for bad in (
        info("", PRINT[:12]),
        info("shed", "no digits at"),
        info("shed", PRINT[:5]),
        info("shed", PRINT[:12], 0),
    ):
        assert computer_in(bad) is None


def test_serving_announces_where_others_reach_it_and_only_when_asked(tmp_path: Path) -> None:
    assert run(["serve", "--announce"]) == 2
    homes = {f"XDG_{kind}_HOME": str(tmp_path / kind.lower()) for kind in ("DATA", "STATE", "CONFIG")}
    words = [sys.executable, "-m", "yarddial", "serve", "--listen", "0.0.0.0:0", "--json"]
    for more in ([], ["--announce"]):
        with subprocess.Popen([*words, *more], stdout=subprocess.PIPE, text=True, env=os.environ | homes) as serving:
            assert serving.stdout is not None
            told = json.loads(serving.stdout.readline())
            assert told["announced"] is bool(more)
            assert "code" not in told
            serving.terminate()
            assert serving.wait(10) in (0, -15)
