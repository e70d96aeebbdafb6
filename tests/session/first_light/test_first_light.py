"""First light finds each fault with the right sentence, and nothing wrong with a healthy receiver."""

import json
from pathlib import Path

import msgspec
import numpy as np
import pytest

from slow_yards import low_rate, slow_station
from yarddial import wiring
from yarddial.cli.program import run
from yarddial.drivers.simulated.faults import FAULTS
from yarddial.drivers.usb_bus import read_bus, udev_rule, unbind_line
from yarddial.session.first_light.result import CheckResult, overall
from yarddial.yard.demo import HEARTH_IF, VIA_DISH, demo_station


def checked(address: str, route: str = "", *, at_own_rate: bool = False) -> list[CheckResult]:
    """At the low rate of the tests, where what is wrong shows there as well."""
    station = demo_station() if at_own_rate else slow_station()
    if not at_own_rate:
        address += ("&" if "?" in address else "?") + low_rate()
    return list(wiring.first_light(station, address, route, 0.4, flat_out=True).results())


# Fault, receiver, the one check that must speak up, its verdict, and words of its sentence.
DIAGNOSES = [
    ("swapped_iq", "finch", "I/Q order", "stop", "mirrored"),
    ("dead_port", "finch", "antenna", "stop", "nothing is connected to port 'ladder'"),
    ("wrong_lo", "finch", "oscillator", "stop", "no leak of Ladder stands at 120 MHz"),
    ("bias_off", "heron", "feed", "stop", "Saucer gets no current"),
    ("kernel_driver", "finch", "opens", "stop", "kernel's media driver"),
    ("no_permission", "finch", "opens", "stop", "udev rule"),
    ("busy", "finch", "opens", "stop", "wavecatcher, 4711"),
    ("unplug:4", "finch", "stays", "stop", "was unplugged"),
    ("stall:4", "finch", "answers", "stop", "gives no samples any more"),
    ("slow_link", "finch", "link speed", "stop", "12 Mb/s"),
    ("silent_loss", "finch", "rate", "stop", "and it does not say so"),
    ("stuck_gain", "finch", "gain 'gain'", "look", "moved the level by 0.0 dB"),
]


def test_every_fault_that_can_be_switched_on_is_diagnosed_here() -> None:
    assert {fault.partition(":")[0] for fault, *_ in DIAGNOSES} == set(FAULTS)


@pytest.mark.parametrize(("fault", "receiver", "name", "verdict", "words"), DIAGNOSES, ids=[d[0] for d in DIAGNOSES])
def test_a_fault_is_named_and_no_other_is(fault: str, receiver: str, name: str, verdict: str, words: str) -> None:
    route = VIA_DISH if receiver == "heron" else ""
    results = checked(f"simulated:{receiver}?fault={fault}", route, at_own_rate=fault == "silent_loss")
    # 3 MS/s is lossy in a healthy Finch as well; a slow link shows at every rate.
    spoken = [r for r in results if r.verdict in ("stop", "look") and r.name != "rate 3 MS/s"]
    if fault == "slow_link":
        spoken = [r for r in spoken if not r.name.startswith("rate")]
    assert spoken
    assert all(r.name.startswith(name) for r in spoken), spoken
    assert spoken[0].verdict == verdict
    assert words in spoken[0].detail
    assert spoken[0].fix


def test_a_yard_with_corrections_entered_is_checked_where_the_receiver_counts() -> None:
    station = demo_station()
    finch, ladder = (next(p for p in station.parts if p.name == name) for name in ("Finch", "Ladder"))
    # About what the simulated oscillators are off by.
    for part, values in ((finch, {"entered_ppm": 27.1}), (ladder, {"entered_lo_hz": 120_000_461.0})):
        station = station.with_part(msgspec.structs.replace(part, **values))
    results = wiring.first_light(station, "simulated:finch", "", 0.4, flat_out=True).results()
    found = {result.name: result.verdict for result in results}
    assert (found["antenna"], found["I/Q order"], found["warm"]) == ("good", "good", "good")


@pytest.mark.parametrize(
    ("address", "route"),
    [("finch", ""), ("heron", VIA_DISH), ("finch?seed=9", HEARTH_IF), ("heron", "")],
)
def test_a_healthy_receiver_is_clean(address: str, route: str) -> None:
    results = checked(f"simulated:{address}", route)
    wrong = [r for r in results if r.verdict != "good"]
    # Finch's highest rate is beyond its link; that is told with its number, and is no fault of the day.
    assert [r.name for r in wrong] == (["rate 3 MS/s"] if address.startswith("finch") else [])
    names = [r.name for r in results]
    assert {"seen on the bus", "opens", "answers", "tunes", "antenna", "I/Q order", "centre spike"} <= set(names)
    has_hole = any("hole from 1.105 GHz to 1.14 GHz" in r.detail for r in results)
    assert has_hole == (address.startswith("finch") and route != HEARTH_IF)
    clock = next(r.figures for r in results if r.name == "clock")
    # Finch's crystal is near +27 ppm, Heron's near -0.6.
    assert clock["fast_ppm"] == pytest.approx(27.0 if address.startswith("finch") else -0.6, abs=2.0)


def test_a_receiver_just_switched_on_is_told_to_warm_up_first() -> None:
    """4 ppm that wear off over 420 s: 0.57 ppm a minute at first."""
    found = next(r for r in checked("simulated:finch?cold=1", at_own_rate=True) if r.name == "warm")
    assert found.verdict == "look"
    assert found.figures["drift_ppm_per_min"] == pytest.approx(4.0 * 60 / 420, rel=0.1)


def test_the_range_that_is_measured_replaces_the_one_that_is_stated() -> None:
    """A tuner that says 27 MHz to 1.72 GHz and does no more than 40 to 900 MHz."""
    from yarddial.drivers.protocol import ActualSettings, RequestedSettings
    from yarddial.drivers.simulated.driver import SimulatedDriver
    from yarddial.drivers.simulated.receiver import FINCH
    from yarddial.drivers.time_source import VirtualTime
    from yarddial.session.first_light.tuning import tuner_check
    from yarddial.yard.errors import CannotTune

    real = SimulatedDriver().open("finch", VirtualTime())

    class Narrow:
        capabilities = FINCH
        read, close = real.read, real.close

        def apply(self, ask: RequestedSettings) -> ActualSettings:
            if not 40e6 <= ask.centre_hz <= 900e6:
                raise CannotTune("no", ask.centre_hz)
            return real.apply(ask)

    result = tuner_check(Narrow(), FINCH, RequestedSettings(100e6, 2.048e6, "discone"), None)
    assert result.verdict == "look"
    assert result.figures == {"low_hz": pytest.approx(40e6, abs=1e4), "high_hz": pytest.approx(900e6, abs=1e4)}


def test_a_receiver_of_which_nothing_is_known_is_checked_as_far_as_that_goes(tmp_path: Path) -> None:
    (tmp_path / "iq").write_bytes(np.random.default_rng(1).bytes(8_000_000))
    results = checked(f"stream:pipe:{tmp_path / 'iq'}?format=cu8&rate=1M&centre=10M", at_own_rate=True)
    assert overall(results) == "unknown"
    assert results[0].name == "opens"
    assert next(r for r in results if r.name == "antenna").verdict == "unknown"


def test_the_lines_for_driver_and_rule_are_made_for_the_device_seen(tmp_path: Path) -> None:
    place = tmp_path / "sys/bus/usb/devices/2-3"
    place.mkdir(parents=True)
    for name, text in (("idVendor", "f1c4"), ("idProduct", "0007"), ("speed", "480"), ("busnum", "2"), ("devnum", "9")):
        (place / name).write_text(text)
    driver = tmp_path / "sys/bus/usb/drivers/media_stick"
    driver.mkdir(parents=True)
    interface = tmp_path / "sys/bus/usb/devices/2-3:1.0"
    interface.mkdir()
    (interface / "driver").symlink_to(driver)
    hub = tmp_path / "sys/bus/usb/devices/usb2"
    hub.mkdir()
    for name, text in (("idVendor", "f1c4"), ("idProduct", "0001"), ("bDeviceClass", "09")):
        (hub / name).write_text(text)
    (found,) = read_bus(tmp_path)
    assert (found.kernel_driver, found.speed_mbps, found.may_open) == ("media_stick", 480.0, False)
    assert found.kernel_receiver == ""
    node = tmp_path / "sys/class/video4linux/swradio3"
    node.mkdir(parents=True)
    (node / "device").symlink_to(interface)
    assert read_bus(tmp_path)[0].kernel_receiver == "swradio3"
    assert unbind_line(found) == "echo -n '2-3:1.0' | sudo tee /sys/bus/usb/drivers/media_stick/unbind"
    assert udev_rule(found) == 'SUBSYSTEM=="usb", ATTR{idVendor}=="f1c4", ATTR{idProduct}=="0007", TAG+="uaccess"'
    assert read_bus(tmp_path / "nothing") == ()


def test_the_commands_answer(capsys: pytest.CaptureFixture[str]) -> None:
    assert run(["devices"], wiring) == 0
    assert capsys.readouterr().out.splitlines()[:2] == ["simulated:finch  Finch", "simulated:heron  Heron"]
    assert run(["check", "simulated:finch?fault=busy", "--flat-out"], wiring) == 1
    assert "in use by another program" in capsys.readouterr().out
    assert run(["check", "nothing:here"], wiring) == 2
    assert run(["adc", "--bits", "8", "--rate", "2.4M", "--bandwidth", "2.4k", "--json"]) == 0
    # 6.02 * 8 + 1.76 + 10 log10(1000) = 79.92.
    assert json.loads(capsys.readouterr().out)["snr_db"] == pytest.approx(79.92)
