"""First light over a second receiver, written by docs/driver.md alone: verdicts right, every sample counted."""

import numpy as np
import pytest

import plover
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.time_source import VirtualTime
from yarddial.engine.commands import Start, Tune
from yarddial.engine.engine import Engine
from yarddial.engine.events import Event, Noticed
from yarddial.session.first_light.checks import FirstLight, Plan
from yarddial.session.first_light.result import CheckResult
from yarddial.yard.parts import Antenna, Converter, Port, Receiver, Value
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference, Route, Station

PLOVER = Receiver(
    "Plover", 30e6, 900e6, 28.8e6, Value(0.0, 25.0), 0.0, (1e6, 2e6), 1e6, 12, "plover:one",
    ((200e6, 210e6),), ports=(Port("front"), Port("back")),
)  # fmt: skip
CAN = Converter("Can", "sum", Value(100e6, 3000.0), 100e6, 0.05e6, 60e6)
STATION = Station(
    "Plover's yard",
    parts=(Antenna("Wire", 0.1e6, 30e6), CAN, PLOVER),
    routes=(Route("Wire", ("Wire", "Can", "Plover"), port="front"),),
)


def line() -> ResolvedRoute:
    return next(iter(STATION.resolved_routes()))


def checked(options: str) -> dict[str, CheckResult]:
    time = VirtualTime()
    plan = Plan(line(), Reference("Five", plover.STATION_HZ, 1.0, "broadcast"), 1.0)
    run = FirstLight(lambda: plover.PloverDriver().open(f"one?{options}", time), time, None, False, plan)
    return {result.name: result for result in run.results()}


def test_a_healthy_one_is_clean_and_told_as_it_is() -> None:
    found = checked("lossless=1")
    assert {name: result.verdict for name, result in found.items()} == dict.fromkeys(found, "good"), found
    # The rates that it keeps are said, and are no fault.
    assert "at the 0.98 MS/s that it keeps" in found["rate 1 MS/s"].detail
    assert "1.98649 MS/s" in found["rate 2 MS/s"].detail
    assert found["clock"].figures["fast_ppm"] == pytest.approx(0.0, abs=50)
    assert "a hole from 200 MHz to 210 MHz" in found["tunes"].detail
    # Two stages, one counted below zero: both follow.
    assert found["gain 'attenuator'"].figures["worst_db"] < 0.5
    assert found["gain 'amplifier'"].figures["worst_db"] < 0.5


def test_losses_told_by_the_index_alone_are_losses_that_were_told() -> None:
    found = checked("seed=3")
    rates = [result for name, result in found.items() if name.startswith("rate ")]
    assert [result.verdict for result in rates] == ["look", "look"]
    assert all("does not say so" not in result.detail for result in rates)


@pytest.mark.parametrize(
    ("options", "name", "verdict", "words"),
    [
        ("lossless=1&swap=1", "I/Q order", "stop", "mirrored"),
        ("lossless=1&dead=1", "oscillator", "stop", "no leak of Can"),
        ("lossless=1&cold=1", "warm", "look", "still warming up"),
        ("lossless=1&flat=1", "gain 'amplifier'", "look", "moved the level by 0.0 dB"),
    ],
)
def test_what_is_wrong_is_named_and_nothing_else(options: str, name: str, verdict: str, words: str) -> None:
    found = checked(options)
    assert found[name].verdict == verdict, found
    assert words in found[name].detail
    others = {key for key, result in found.items() if result.verdict in ("stop", "look")}
    assert others == {name}, found


def test_place_and_mirror_alike_are_no_order() -> None:
    found = checked("lossless=1&one-sided=1")
    assert found["I/Q order"].verdict == "unknown"
    assert "cannot be told apart" in found["I/Q order"].detail
    assert found["I/Q balance"].verdict == "look"


@pytest.mark.parametrize("in_thread", [False, True])
def test_no_loss_goes_missing_over_sixty_retunes(in_thread: bool) -> None:
    """Told by the engine to the sample, but for what was lost after the last block that it took."""
    heard: list[Event] = []
    devices: list[plover.Plover] = []

    def opened(address: str) -> plover.Plover:
        devices.append(plover.PloverDriver().open("one?seed=5", VirtualTime()))
        return devices[-1]

    engine = Engine(opened, heard.append, in_thread=in_thread)
    engine.handle(Start("plover:one"))
    taken_lost = 0
    for turn in range(60):
        ask = RequestedSettings(105e6 + 50e3 * turn, 1e6, "front", gains_db=(("amplifier", 6.0 * (turn % 4)),))
        engine.handle(Tune(ask, ask.centre_hz + 1e5, 3e3, id=turn))
        for _ in range(12):
            engine.step()
        if not in_thread:
            taken_lost = devices[0].lost
    if in_thread:
        # The thread reads ahead: stop it between two blocks, then take all that it read.
        device = engine._device
        with device._device_lock:  # type: ignore[union-attr]
            taken_lost = devices[0].lost
            while device._blocks:  # type: ignore[union-attr]
                engine.step()
        noticed = [event for event in heard if isinstance(event, Noticed)][-1]
        held = device._lost  # type: ignore[union-attr]
        assert noticed.lost + held == taken_lost
        engine._stop("")
        return
    noticed = [event for event in heard if isinstance(event, Noticed)][-1]
    assert noticed.lost == taken_lost > 5_000
    assert noticed.missed == 0
    assert all(np.isfinite(event.lost) for event in heard if isinstance(event, Noticed))
