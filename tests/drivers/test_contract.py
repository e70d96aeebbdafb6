"""One contract for every driver, and what the simulated receiver owes to physics."""

import importlib.util
from pathlib import Path

import numpy as np
import pytest

from yarddial import wiring
from yarddial.drivers.protocol import Device, RequestedSettings
from yarddial.drivers.simulated.receiver import SimulatedReceiver
from yarddial.drivers.simulated.synthesis import NoiseSource
from yarddial.drivers.simulated.transmitters import wander_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.drivers.time_source import VirtualTime
from yarddial.dsp.carrier import estimate_carrier
from yarddial.dsp.phasor import phasor
from yarddial.records.recordings import write_sigmf
from yarddial.yard.errors import CannotTune, DeviceNotFound, RefusedValue, YardDialError
from yarddial.yard.path import SamplingClock, trace


def hum() -> Device:
    """The example out of our tree, straight from its file; that it can be installed is tested beside this."""
    place = Path(__file__).parents[2] / "docs" / "example-driver" / "yarddial_hum.py"
    spec = importlib.util.spec_from_file_location("yarddial_hum", place)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    device: Device = module.HumDriver().open("one", VirtualTime())
    return device


@pytest.fixture(params=["finch", "heron", "hum", "recording", "stream"])
def device(request: pytest.FixtureRequest, tmp_path: Path) -> Device:
    """Each kind of device, ready to be set."""
    if request.param in ("finch", "heron"):
        return wiring.open_device_flat_out(f"simulated:{request.param}")
    if request.param == "hum":
        return hum()
    if request.param == "stream":
        (tmp_path / "iq").write_bytes(bytes(range(256)) * 2000)
        return wiring.open_device_flat_out(f"stream:pipe:{tmp_path / 'iq'}?format=cu8&rate=1M&centre=10M")
    blocks = [np.zeros(70_000, np.complex64) + 0.1, np.zeros(70_000, np.complex64) - 0.1]
    write_sigmf(tmp_path / "r", blocks, 1e6, 10e6, {"capture": {"yarddial:tuner_hz": 130e6}})
    return wiring.open_device_flat_out(f"recording:{tmp_path / 'r.sigmf-meta'}")


def test_a_device_tells_what_it_can_and_keeps_to_it(device: Device) -> None:
    able = device.capabilities
    rate_hz = able.rates_hz[0]
    centre_hz = sum(able.ranges_hz[0]) / 2
    got = device.apply(RequestedSettings(centre_hz, rate_hz, able.ports[0]))
    assert got.rate_hz == rate_hz
    with pytest.raises(CannotTune, match="cannot tune to 9 GHz"):
        device.apply(RequestedSettings(9e9, rate_hz, able.ports[0]))
    first, second = device.read(), device.read()
    assert first is not None
    assert second is not None
    assert first.samples.dtype == np.complex64
    assert second.first_index == first.first_index + first.samples.size
    assert first.lost == second.lost == 0
    device.close()
    device.close()


@pytest.mark.parametrize(
    "address", ["finch", "nowhere:finch", "simulated:gull", "simulated:finch?seed=x", "recording:/no"]
)
def test_an_address_that_is_nothing_is_refused_in_a_sentence(address: str) -> None:
    with pytest.raises(YardDialError) as refused:
        wiring.open_device(address)
    assert "\n" not in str(refused.value)


def test_a_missing_port_or_rate_is_refused_and_nothing_changes() -> None:
    receiver = SimulatedReceiver(quillet_world(), VirtualTime())
    before = receiver.apply(RequestedSettings(145e6, 2.048e6, "discone"))
    for ask in (
        RequestedSettings(145e6, 3.1e6, "discone"),
        RequestedSettings(145e6, 2.048e6, "loft"),
        RequestedSettings(1.12e9, 2.048e6, "discone"),
    ):
        with pytest.raises((CannotTune, RefusedValue)):
            receiver.apply(ask)
    assert receiver.apply(RequestedSettings(before.centre_hz, before.rate_hz, before.port)) == before


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize(("port", "reference_hz"), [("discone", 145.2e6), ("ladder", 1.134e6 + 4.0)])
def test_a_station_appears_where_path_arithmetic_puts_it(seed: int, port: str, reference_hz: float) -> None:
    """ppm to dial within 0.01 Hz, from samples."""
    world = quillet_world(seed)
    receiver = SimulatedReceiver(world, VirtualTime())
    wiring_of_port = world.port(port)
    assert wiring_of_port is not None
    expected = trace(reference_hz, wiring_of_port.stages, SamplingClock(world.crystal_ppm)).shown_hz
    centre_hz = round(expected - 300e3, -3)
    receiver.apply(RequestedSettings(centre_hz, 2.048e6, port))
    samples = np.concatenate([receiver.read().samples for _ in range(94)])
    found = estimate_carrier(samples, 2.048e6, expected - centre_hz, 500.0)
    assert found.frequency_hz == pytest.approx(expected - centre_hz, abs=0.01)


def test_samples_come_at_the_pace_of_the_clock() -> None:
    clock = VirtualTime()
    receiver = SimulatedReceiver(quillet_world(), clock)
    receiver.apply(RequestedSettings(130e6, 2.048e6, "ladder"))
    count = sum(receiver.read().samples.size for _ in range(40))
    assert clock.now_s() == pytest.approx(count / 2.048e6 / (1 + quillet_world().crystal_ppm * 1e-6), rel=1e-9)


def test_the_same_seed_gives_the_same_samples_and_another_does_not() -> None:
    def first_block(seed: int) -> np.ndarray:
        receiver = SimulatedReceiver(quillet_world(seed), VirtualTime())
        receiver.apply(RequestedSettings(129.7e6, 2.048e6, "ladder"))
        return receiver.read().samples

    np.testing.assert_array_equal(first_block(5), first_block(5))
    assert not np.array_equal(first_block(5), first_block(6))


def test_the_converter_has_256_steps_and_none_at_zero() -> None:
    receiver = SimulatedReceiver(quillet_world(), VirtualTime())
    receiver.apply(RequestedSettings(129.7e6, 2.048e6, "ladder"))
    steps = np.unique(receiver.read().samples.real * 127.5)
    np.testing.assert_allclose(steps - np.floor(steps), 0.5, atol=1e-4)
    assert steps.min() >= -127.6
    assert steps.max() <= 127.6


def test_the_noise_floor_is_the_density_stated() -> None:
    """P = density + 10 log10(rate) - full scale, on a stretch without stations; the spike taken off."""
    world = quillet_world()
    receiver = SimulatedReceiver(world, VirtualTime())
    receiver.apply(RequestedSettings(300e6, 2.048e6, "discone"))
    samples = np.concatenate([receiver.read().samples for _ in range(8)])
    port = world.ports[1]
    # One branch is 3 % too large; quantising adds q^2/12 in each part, q = 1/127.5.
    branches = (1 + world.front.iq_gain**2) / 2
    expected = 10 ** ((port.noise_dbm_hz - port.full_scale_dbm) / 10) * 2.048e6 * branches + 2 / 127.5**2 / 12
    assert 10 * np.log10(np.var(samples) / expected) == pytest.approx(0.0, abs=0.05)


def test_phasors_join_without_a_seam() -> None:
    turns = 0.123456789
    whole = phasor(turns, 0, 200_000)
    np.testing.assert_allclose(phasor(turns, 100_000, 100_000), whole[100_000:], atol=1e-5)
    np.testing.assert_allclose(whole[777], np.exp(2j * np.pi * turns * 777), atol=1e-5)


def test_table_noise_is_gaussian() -> None:
    samples = np.zeros(400_000, np.complex64)
    NoiseSource(1).add_to(samples, 0.5)
    parts = samples.view(np.float32)
    assert parts.std() == pytest.approx(0.5, rel=0.01)
    assert np.mean(parts**4) / np.mean(parts**2) ** 2 == pytest.approx(3.0, abs=0.05)
    assert abs(np.mean(parts[1:] * parts[:-1])) < 0.005


def test_a_sky_wave_wanders_no_further_than_stated() -> None:
    northmark = next(t for t in quillet_world().transmitters if t.wander_hz)
    offsets = wander_hz(northmark, np.linspace(0, 3600, 5000))
    assert np.abs(offsets).max() <= northmark.wander_hz
    assert offsets.std() > 0.2 * northmark.wander_hz


def test_an_unknown_simulated_receiver_names_what_there_is() -> None:
    with pytest.raises(DeviceNotFound, match="finch"):
        wiring.open_device("simulated:wren")
