"""One contract for every driver, and what the simulated receiver owes to physics."""

import importlib.util
import re
from pathlib import Path

import msgspec
import numpy as np
import pytest

from kernel_node import KernelStandIn
from plover import PloverDriver
from yarddial import wiring
from yarddial.drivers.contract import broken_promises
from yarddial.drivers.held import HeldDevice
from yarddial.drivers.kernel.driver import KernelDriver
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, Driver, GainCapability, RequestedSettings
from yarddial.drivers.recording.player import RecordingDriver
from yarddial.drivers.simulated.driver import SimulatedDriver
from yarddial.drivers.simulated.receiver import SimulatedReceiver
from yarddial.drivers.simulated.synthesis import NoiseSource
from yarddial.drivers.simulated.transmitters import wander_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.drivers.stream.stream import StreamDriver
from yarddial.drivers.time_source import VirtualTime
from yarddial.dsp.carrier import estimate_carrier
from yarddial.dsp.phasor import phasor
from yarddial.records.recordings import open_recording, write_sigmf
from yarddial.yard.errors import BadDriver, CannotTune, DeviceNotFound, RefusedValue, YardDialError
from yarddial.yard.frequency_conversion import SamplingClock, trace


def hum() -> Driver:
    """The example out of our tree, straight from its file; that it can be installed is tested beside this."""
    place = Path(__file__).parents[2] / "docs" / "example-driver" / "yarddial_hum.py"
    spec = importlib.util.spec_from_file_location("yarddial_hum", place)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    driver: Driver = module.HumDriver()
    return driver


@pytest.fixture(params=["finch", "heron", "hum", "recording", "stream", "kernel", "plover"])
def driver(request: pytest.FixtureRequest, tmp_path: Path) -> tuple[Driver, str]:
    """Each kind of driver, and what to open with it; programs and the sound card have this test beside their own."""
    match request.param:
        case "finch" | "heron":
            return SimulatedDriver(), request.param
        case "hum":
            return hum(), "one"
        case "plover":
            return PloverDriver(), "one"
        case "kernel":
            for folder in ("sys/class/video4linux/swradio0", "dev"):
                (tmp_path / folder).mkdir(parents=True)
            (tmp_path / "dev/swradio0").touch()
            standin = KernelStandIn(lambda n, count, c, r: bytes(2 * count))
            return KernelDriver(tmp_path, standin), "swradio0"
        case "stream":
            (tmp_path / "iq").write_bytes(bytes(range(256)) * 4000)
            return StreamDriver(), f"pipe:{tmp_path / 'iq'}?format=cu8&rate=1M&centre=10M"
    blocks = [np.zeros(70_000, np.complex64) + 0.1, np.zeros(70_000, np.complex64) - 0.1]
    write_sigmf(tmp_path / "r", blocks, 1e6, 10e6, {"capture": {"yarddial:tuner_hz": 130e6}})
    return RecordingDriver(open_recording), str(tmp_path / "r.sigmf-meta")


def test_every_driver_keeps_the_contract(driver: tuple[Driver, str]) -> None:
    assert list(broken_promises(*driver, VirtualTime())) == []


class Crooked:
    """A driver that breaks one promise after the other: each is found, and none ends in a bare error."""

    name = "crooked"

    def __init__(self, what: str) -> None:
        self.what = what
        self.capabilities = Capabilities(
            "Crooked", ((1e6, 2e6), (1.5e6, 3e6)) if what == "ranges" else ((1e6, 30e6),), (48e3, 96e3), ("",), 8,
            gains=(GainCapability("gain", (10.0, 0.0) if what == "steps" else (0.0, 10.0)),),
        )  # fmt: skip
        self.index = 0

    def discover(self) -> tuple[object, ...]:
        return ("bare",) if self.what == "discover" else ()

    def open(self, address: str, time: object) -> "Crooked":
        if address != "it" and self.what != "opens all":
            raise DeviceNotFound("there is only 'it': open that")
        return self

    def apply(self, ask: RequestedSettings) -> ActualSettings | None:
        far, loft = ask.centre_hz > 30e6, ask.port or ask.rate_hz not in (48e3, 96e3) or ask.automatic_gain
        strange = {name for name, _ in ask.gains_db} - {"gain"}
        if far and self.what != "tunes anywhere":
            raise CannotTune("too far: stay below 30 MHz") if self.what != "bare error" else ZeroDivisionError("x\ny")
        if (loft or strange) and self.what != "takes all":
            raise RefusedValue("it has one port, two rates and one gain: choose of these")
        gain_db = dict(ask.gains_db).get("gain", 0.0)
        got = ActualSettings(ask.centre_hz, ask.rate_hz, ask.port, gains_db=(("gain", gain_db),), bias=False)
        match self.what:
            case "nothing":
                return None
            case "another rate":
                return msgspec.structs.replace(got, rate_hz=1e6)
            case "another centre":
                return msgspec.structs.replace(got, centre_hz=5e6 + ask.centre_hz)
            case "bias":
                return msgspec.structs.replace(got, bias=True)
            case "deaf gain":
                return msgspec.structs.replace(got, gains_db=(("gain", 0.0),))
        return got

    def read(self) -> Block | None:
        if self.what == "ends":
            return None
        count = 48_000 if self.what == "long" else 0 if self.what == "empty" else 1000
        kind = np.complex128 if self.what == "wide" else np.complex64
        loud = 128.0 if self.what == "loud" else 0.1
        self.index += -3000 if self.what == "backwards" and self.index else 0
        block = Block(np.full(count, loud, kind), self.index)
        self.index += count
        return block

    def close(self) -> None:
        if self.what == "close" and self.index < 0:
            raise RuntimeError("twice")
        self.index = -1 if self.what == "close" else 0


@pytest.mark.parametrize(
    ("what", "words"),
    [
        ("ranges", "rising, none inside"), ("steps", "steps of gain 'gain' rise"), ("discover", "FoundReceiver"),
        ("opens all", "opened 'no such"), ("nothing", "not NoneType"), ("another rate", "keeps 1e[+]06"),
        ("another centre", "does not hold what was asked"), ("bias", "only a person may"),
        ("deaf gain", "asked for it, apply[(][)] says 0"), ("tunes anywhere", "it says that it tunes there"),
        ("takes all", "which it does not offer"), ("bare error", "raises CannotTune, not ZeroDivisionError"),
        ("ends", "the end, though it is live"), ("long", "lasts at most"), ("empty", "holds samples"),
        ("wide", "complex64"), ("loud", "full scale is 1.0"), ("backwards", "first_index went back"),
        ("close", "second raised RuntimeError"),
    ],
)  # fmt: skip
def test_a_broken_promise_is_named(what: str, words: str) -> None:
    broken = list(broken_promises(Crooked(what), "it", VirtualTime()))  # type: ignore[arg-type]
    assert any(re.search(words, one) for one in broken), broken
    assert not any("\n" in one for one in broken)


def test_a_crooked_driver_is_held_in_while_it_runs() -> None:
    """What can be taken right is; the rest is one sentence of the driver's."""
    with pytest.raises(BadDriver, match="does not say what it has set"):
        HeldDevice(Crooked("nothing")).apply(RequestedSettings(10e6, 48e3))  # type: ignore[arg-type]
    held = HeldDevice(Crooked("backwards"))  # type: ignore[arg-type]
    first, second = held.read(), held.read()
    assert first is not None
    assert second is not None
    assert (second.lost, "backwards" in second.remark) == (0, True)
    wide = HeldDevice(Crooked("wide")).read()  # type: ignore[arg-type]
    assert wide is not None
    assert wide.samples.dtype == np.complex64


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
