"""Drivers of others: found by their entry point, held to the contract, and never in the way of ours."""

import subprocess
import sys
from collections.abc import Iterator
from importlib.metadata import EntryPoint
from pathlib import Path

import numpy as np
import pytest

from yarddial import wiring
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.registry import Registry
from yarddial.drivers.simulated.driver import SimulatedDriver
from yarddial.yard.errors import BadDriver, DeviceNotFound, RefusedValue

EXAMPLE = Path(__file__).parents[2] / "docs" / "example-driver"


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """The example out of our tree, installed as a person would, into a folder of its own."""
    place = tmp_path_factory.mktemp("site")
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "--quiet", "install"]
    subprocess.run(
        [*pip, "--no-deps", "--no-build-isolation", "--no-index", "--target", str(place), str(EXAMPLE)],
        check=True, timeout=120,
    )  # fmt: skip
    sys.path.insert(0, str(place))
    yield place
    sys.path.remove(str(place))


def test_the_example_is_found_opened_and_heard(installed: Path) -> None:
    ours = ("simulated", "kernel", "sound", "stream", "recording", "process", "far")
    assert wiring.registry().names() == (*ours, "hum")
    device = wiring.open_device_flat_out("hum:one")
    got = device.apply(RequestedSettings(7e6, 48e3, "antenna", gains_db=(("gain", 17.0),)))
    assert got.gains_db == (("gain", 20.0),)
    with pytest.raises(RefusedValue):
        device.apply(RequestedSettings(7e6, 1e6, "antenna"))
    samples = np.concatenate([block.samples for block in (device.read() for _ in range(4)) if block is not None])
    # 440 Hz at 48 kS/s: bin 440 / 48000 * 32768 = 300.4.
    assert int(np.abs(np.fft.fft(samples)).argmax()) == 300
    assert "Hum" in device.capabilities.name


class Shapeless:
    """Announced as a driver, and none."""


def announced(monkeypatch: pytest.MonkeyPatch, name: str, value: str) -> Registry:
    monkeypatch.setattr("importlib.metadata.entry_points", lambda group: [EntryPoint(name, value, group)])
    registry = Registry((SimulatedDriver(),))
    registry.load_announced()
    return registry


@pytest.mark.parametrize(
    ("value", "words"),
    [(f"{__name__}:Shapeless", "has no 'name'"), ("no_such_package:X", "no_such_package"),
     (f"{__name__}:nothing", "nothing"),
     ("yarddial.drivers.simulated.driver:SimulatedDriver", "calls itself 'simulated'")],
)  # fmt: skip
def test_a_driver_that_cannot_be_loaded_troubles_nobody_but_who_asks_for_it(
    monkeypatch: pytest.MonkeyPatch, value: str, words: str
) -> None:
    registry = announced(monkeypatch, "gull", value)
    assert registry.driver("simulated").name == "simulated"
    with pytest.raises(BadDriver, match=words):
        registry.driver("gull")
    with pytest.raises(DeviceNotFound, match="simulated"):
        registry.driver("tern")


def test_nobody_takes_the_place_of_ours(monkeypatch: pytest.MonkeyPatch) -> None:
    registry = announced(monkeypatch, "simulated", f"{__name__}:Shapeless")
    assert registry.troubles == {}
    assert isinstance(registry.driver("simulated"), SimulatedDriver)
