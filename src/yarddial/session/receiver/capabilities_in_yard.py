"""Transfer of a driver's capabilities into the yard's receiver."""

from itertools import pairwise
from typing import Any

import msgspec

from yarddial.drivers.protocol import Capabilities, GainCapability
from yarddial.yard.part_values.value import DRIVER_SAYS
from yarddial.yard.parts import DeviceCorrections, DirectSampling, Feed, GainStage, Origin, Port, Receiver, Value
from yarddial.yard.station import Route, Station

# Typical crystal of a sound card, one sigma; and the usual bias feed, which no driver states.
CLOCK_PPM = 30.0
USUAL_FEED = Feed(4.5, 100.0)
# Default rate: about what a computer and a USB 2 cable carry.
USUAL_RATE_HZ = 2.048e6
ONLY_PORT = "antenna"
# Devices whose corrections a receiver of the yard keeps.
MAX_DEVICES = 16


def with_capabilities(station: Station, part_name: str, able: Capabilities, device: str, day: str) -> Station:
    """Return the station with a receiver set to everything that the driver reports, marked as reported.

    What was measured on another device is put by, with the correction entered for it: its crystal, lost samples and
    levels were that one's. It comes back with its device. A port that a route ends in and that the device does not have
    becomes its first.
    """
    part = station.part(part_name)
    if not isinstance(part, Receiver):
        return station
    changed = _changed(part, able, device, day)
    names = [port.name for port in changed.ports]
    routes = tuple(_into(route, part_name, names) for route in station.routes)
    return msgspec.structs.replace(station.with_part(changed), routes=routes)


def _into(route: Route, receiver: str, ports: list[str]) -> Route:
    if not route.parts or route.parts[-1] != receiver or route.port in ports:
        return route
    return msgspec.structs.replace(route, port=ports[0])


def _changed(part: Receiver, able: Capabilities, device: str, day: str) -> Receiver:
    ranges = able.ranges_hz
    values: dict[str, Any] = {
        "device": device,
        "tuner_low_hz": ranges[0][0],
        "tuner_high_hz": ranges[-1][1],
        "holes_hz": tuple((low[1], high[0]) for low, high in pairwise(ranges)),
        "fixed_centre_hz": able.fixed_centre_hz,
        "rates_hz": able.rates_hz,
        "rate_hz": _rate_hz(part, able),
        "bits": able.bits,
        "ports": _ports(part, able),
        "gain_stages": tuple(_stage(part, gain) for gain in able.gains),
        "automatic_gain": part.automatic_gain and able.has_automatic_gain,
        "bandwidth_hz": part.bandwidth_hz if part.bandwidth_hz in able.bandwidths_hz else 0.0,
    }
    direct = next((DirectSampling(port, clock_hz) for port, clock_hz in able.direct), None)
    input_now = (
        part.direct if part.direct is not None and direct is not None and part.direct.port == direct.port else direct
    )
    values |= {"direct": input_now}
    if not able.own_clock:
        values["clock_ppm"] = None
    elif part.clock_ppm is None:
        values["clock_ppm"] = Value(0.0, CLOCK_PPM, "assumed", day, "usual of a sound card")
    origins = {key: Origin("stated", day, DRIVER_SAYS) for key in values if key not in ("clock_ppm", "direct")}
    name = device.partition("?")[0]
    if part.device and part.device_name != name:
        own = next((known for known in part.other_devices if known.device == name), _fresh(part, name))
        values |= {key: getattr(own, key) for key in ("crystal_ppm", "entered_ppm", "lost_shares", "calibrations")}
        if own.clock_ppm is not None and able.own_clock:
            values["clock_ppm"] = own.clock_ppm
        former = DeviceCorrections(
            part.device_name, part.crystal_ppm, part.entered_ppm, part.clock_ppm, part.lost_shares, part.calibrations
        )
        others = (former, *(known for known in part.other_devices if known.device not in (name, former.device)))
        values["other_devices"] = others[:MAX_DEVICES]
    return msgspec.structs.replace(part, origins={**part.origins, **origins}, **values)


def _fresh(part: Receiver, device: str) -> DeviceCorrections:
    """What is known of a device that was never used here."""
    clock_ppm = None if part.clock_ppm is None else part.clock_ppm.unmeasured()
    return DeviceCorrections(device, part.crystal_ppm.unmeasured(), 0.0, clock_ppm)


def _rate_hz(part: Receiver, able: Capabilities) -> float:
    if part.rate_hz in able.rates_hz:
        return part.rate_hz
    return min(able.rates_hz, key=lambda rate: abs(rate - USUAL_RATE_HZ))


def _ports(part: Receiver, able: Capabilities) -> tuple[Port, ...]:
    """Ports of the device; what the yard knows about one of the same name stays."""
    if able.ports == ("",):
        # A socket without a name: keep the yard's name for it.
        return part.ports[:1] or (Port(ONLY_PORT),)
    known = {port.name: port for port in part.ports}
    ports = []
    for name in able.ports:
        port = known.get(name, Port(name))
        if name in able.bias_ports and port.bias is None:
            port = msgspec.structs.replace(port, bias=USUAL_FEED)
        ports.append(port)
    return tuple(ports)


def _stage(part: Receiver, gain: GainCapability) -> GainStage:
    known = next((stage for stage in part.gain_stages if stage.name == gain.name), None)
    steps = gain.steps_db
    wanted_db = known.set_db if known is not None else (steps[0] + steps[-1]) / 2
    reads = known.reads if known is not None else gain.reads
    return GainStage(gain.name, steps, min(steps, key=lambda step: abs(step - wanted_db)), reads)
