"""The checks of First light, each reported when done; a fatal fault ends the run."""

from collections.abc import Callable, Iterator

import msgspec

from yarddial.drivers.held import HeldDevice
from yarddial.drivers.protocol import Capabilities, Device, RequestedSettings, TimeSource
from yarddial.drivers.usb_bus import UsbReceiver, udev_rule, unbind_line
from yarddial.session.first_light.device_listening import (
    DITHERED_DB,
    ListenedBlock,
    carrier_db,
    converter_floor_db,
    listen,
    power_db,
)
from yarddial.session.first_light.gains import gain_checks
from yarddial.session.first_light.heard import Moment, balance_check, clock_check, spike_check, warmth_check
from yarddial.session.first_light.result import CheckResult
from yarddial.session.first_light.tuning import tuner_check
from yarddial.yard.errors import (
    CannotTune,
    DeviceBusy,
    DeviceClaimed,
    DeviceDenied,
    DeviceLost,
    DeviceStalled,
    RefusedValue,
    YardDialError,
)
from yarddial.yard.frequency import format_bound, group_digits
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference

# A line this far above the floor counts as the station.
STATION_OVER_FLOOR_DB = 12.0
# USB 2 carries about 35 MB/s; a slower link than its full speed cannot serve a receiver.
MIN_MBPS = 480.0
BLOCK_SAMPLES = 1 << 15
# Shift of the centre for the second spectrum; lines closer than the second value are the same.
MOVED_HZ, SAME_HZ = 37_000.0, 400.0
# A line and its mirror within this are equal: the receiver hardly rejects mirrors.
SIDES_DB = 3.0
# Rates closer than this are the same: nobody sets parts in ten thousand on purpose.
SAME_RATE = 1e-4


class Plan(msgspec.Struct, frozen=True):
    """What to check: the route, and a station that is certainly on the air over it, if there is one.

    seconds_s : how long each rate is watched for lost samples.
    """

    route: ResolvedRoute | None = None
    reference: Reference | None = None
    seconds_s: float = 2.0


class FirstLight:
    """Run all checks on one receiver; results are yielded one by one, so that the run can be shown and stopped."""

    def __init__(
        self, open_device: Callable[[], Device], time: TimeSource, bus: UsbReceiver | None, on_usb: bool, plan: Plan
    ) -> None:
        self._open, self._time, self._bus, self._on_usb, self._plan = open_device, time, bus, on_usb, plan
        self._device: Device | None = None
        self._clock: ListenedBlock | None = None

    def results(self) -> Iterator[CheckResult]:
        """All checks in a person's order."""
        if self._on_usb:
            yield from self._seen()
        opened = self._opens()
        yield opened
        if self._device is None:
            return
        try:
            yield from self._checks(self._device)
        except DeviceLost as error:
            yield CheckResult("stays", "stop", str(error), "look at plug, lead and hub; use a short lead of good make")
        except DeviceStalled as error:
            fix = "unplug it, wait, plug it in; if it happens again, another lead or socket"
            yield CheckResult("answers", "stop", str(error), fix)
        finally:
            self._device.close()

    def _seen(self) -> Iterator[CheckResult]:
        bus = self._bus
        if bus is None:
            yield CheckResult(
                "seen on the bus", "stop", "no such receiver is plugged in", "plug it in; try another socket"
            )
            return
        where = f", at {bus.place}" if bus.place else ""
        node = f", {bus.node}" if bus.node else ""
        yield CheckResult("seen on the bus", "good", f"{bus.name}, {bus.vendor}:{bus.product}{where}{node}")
        if bus.speed_mbps < MIN_MBPS:
            what = f"it runs at {bus.speed_mbps:g} Mb/s, the speed of USB 1.1: most samples cannot get through"
            yield CheckResult("link speed", "stop", what, "use a socket and lead for USB 2 or 3; no old hub between")
        else:
            yield CheckResult("link speed", "good", f"{bus.speed_mbps:g} Mb/s")

    def _opens(self) -> CheckResult:
        try:
            self._device = HeldDevice(self._open())
        except DeviceClaimed as error:
            remedy = unbind_line(self._bus) if self._bus is not None and self._bus.kernel_driver else error.remedy
            kernel_device = self._bus.kernel_receiver if self._bus is not None else ""
            fix = "read this line, then run it"
            if kernel_device:
                choose = f"choose the kernel's {kernel_device} with 'Choose the receiver'"
                fix = f"two ways: {choose}; or read this line and run it"
            return CheckResult("opens", "stop", str(error), fix, remedy)
        except DeviceDenied as error:
            remedy = udev_rule(self._bus) if self._bus is not None else error.remedy
            return CheckResult(
                "opens", "stop", str(error), "put this rule in /etc/udev/rules.d/60-receiver.rules", remedy
            )
        except DeviceBusy as error:
            return CheckResult("opens", "stop", str(error), "end the other program, then check again")
        except YardDialError as error:
            return CheckResult("opens", "stop", str(error), "check the address")
        return CheckResult("opens", "good", f"{self._device.capabilities.name} opens")

    def _checks(self, device: Device) -> Iterator[CheckResult]:
        able = device.capabilities
        ask = self._ask(able)
        # Keep the initial gains, so that each check restores them.
        got = device.apply(ask)
        ask = msgspec.structs.replace(ask, gains_db=got.gains_db)
        heard = listen(device, self._time, got.rate_hz, 0.5)
        yield CheckResult(
            "answers", "good", f"{group_digits(str(heard.samples.size))} samples at {got.rate_hz / 1e6:g} MS/s"
        )
        first = self._line_hz(heard, ask)
        yield tuner_check(device, able, ask, self._plan.route)
        if ask.port not in dict(able.direct):
            yield from gain_checks(device, self._time, able, ask, self._place_hz(ask), self._reach_hz(ask))
        clean: list[float] = []
        for rate_hz in able.rates_hz:
            result = self._rate(device, msgspec.structs.replace(ask, rate_hz=rate_hz))
            clean += [rate_hz] if result.verdict == "good" else []
            yield result
        if len(able.rates_hz) > 1 and clean:
            room = sorted(clean)[-2:][0]
            what = f"highest without loss {max(clean) / 1e6:g} MS/s; with head-room {room / 1e6:g} MS/s"
            what += "; Span says which one a band needs"
            yield CheckResult("rates without loss", "good", what)
        if self._clock is not None and self._clock.fast_sigma_ppm < 1e4:
            yield clock_check(self._clock)
        got = device.apply(ask)
        heard = listen(device, self._time, got.rate_hz, 0.5)
        yield spike_check(heard)
        yield balance_check(heard, able.bits)
        antenna = list(self._antenna(device, able, ask, heard))
        yield from antenna
        # A line at the right frequency that is not the station may move for other reasons.
        is_heard = any((check.name, check.verdict) == ("I/Q order", "good") for check in antenna)
        if is_heard and first is not None and (last := self._line_hz(heard, ask)) is not None:
            yield warmth_check(first, last)

    def _ask(self, able: Capabilities) -> RequestedSettings:
        """Settings for the plan's station, off the centre; else the middle of the first range."""
        route, reference = self._plan.route, self._plan.reference
        rate_hz = min(able.rates_hz, key=lambda rate: abs(rate - 2.05e6))
        if route is None or reference is None:
            low, high = able.ranges_hz[0]
            return RequestedSettings((low + high) / 2, rate_hz, able.ports[0])
        counted_hz = route.counted_hz(reference.frequency_hz)
        return RequestedSettings(round(route.parked_hz(counted_hz, 0.15 * rate_hz), -3), rate_hz, route.port)

    def _rate(self, device: Device, ask: RequestedSettings) -> CheckResult:
        name = f"rate {ask.rate_hz / 1e6:g} MS/s"
        try:
            got = device.apply(ask)
        except (RefusedValue, CannotTune) as error:
            return CheckResult(name, "look", str(error), "take it off the list of rates on Bench")
        heard = listen(device, self._time, got.rate_hz, self._plan.seconds_s)
        remark = "" if same_rate(got.rate_hz, ask.rate_hz) else f" at the {got.rate_hz / 1e6:.6g} MS/s that it keeps"
        uncounted = heard.uncounted
        whole = heard.samples.size + heard.said_lost + uncounted
        figures = {"rate_hz": ask.rate_hz, "lost_share": (heard.said_lost + uncounted) / max(whole, 1)}
        if heard.is_behind and not heard.said_lost and not uncounted:
            what = "this computer reads too slowly: samples were still queued at the end"
            return CheckResult(name, "look", what, "close other programs, or use a lower rate", figures=figures)
        if not heard.said_lost and not uncounted:
            self._clock = heard
            return CheckResult(
                name, "good", f"none lost of {group_digits(str(whole))} samples{remark}", figures=figures
            )
        if uncounted:
            how = "the clock" if heard.missing else "the phase of steady stations"
            what = f"{_grouped(uncounted, whole)} samples are missing by {how}, and it does not say so"
            return CheckResult(name, "stop", what, "use a lower rate, another lead, another socket", figures=figures)
        what = f"{_grouped(heard.said_lost, whole)} samples lost{remark}"
        return CheckResult(name, "look", what, "use a lower rate for anything that matters", figures=figures)

    def _place_hz(self, ask: RequestedSettings) -> float | None:
        """Expected frequency of the plan's station, relative to the centre."""
        route, reference = self._plan.route, self._plan.reference
        if route is None or reference is None:
            return None
        return route.counted_hz(reference.frequency_hz) - ask.centre_hz

    def _reach_hz(self, ask: RequestedSettings) -> float:
        """Search range of the station: tolerances of crystal and converters, with a margin."""
        route, reference, place_hz = self._plan.route, self._plan.reference, self._place_hz(ask)
        if route is None or reference is None or place_hz is None:
            return 0.0
        return min(max(4 * route.sigma_hz(reference.frequency_hz), 2_000.0), max(abs(place_hz) - 5_000.0, 1_000.0))

    def _line_hz(self, heard: ListenedBlock, ask: RequestedSettings) -> Moment | None:
        """Precise frequency of the station's carrier; None when it cannot be received."""
        from yarddial.dsp.carrier import estimate_carrier

        place_hz, route, reference = self._place_hz(ask), self._plan.route, self._plan.reference
        if place_hz is None or route is None or reference is None or heard.samples.size < BLOCK_SAMPLES:
            return None
        try:
            carrier = estimate_carrier(heard.samples, heard.rate_hz, place_hz, self._reach_hz(ask))
        except YardDialError:
            return None
        return Moment(self._time.now_s(), carrier.frequency_hz, carrier.sigma_hz, ask.centre_hz + carrier.frequency_hz)

    def _antenna(
        self, device: Device, able: Capabilities, ask: RequestedSettings, heard: ListenedBlock
    ) -> Iterator[CheckResult]:
        """Check for an antenna: the station at its frequency, and the right sense of the spectrum."""
        route, reference = self._plan.route, self._plan.reference
        floor_db = power_db(heard.samples)
        own_db = converter_floor_db(able.bits)
        if route is None or reference is None:
            yield CheckResult(
                "antenna", "unknown", "no known station lies on a route to this receiver", "add one on Bench"
            )
            return
        stands_db, mirror_db = self._twice(device, ask, heard)
        if max(stands_db, mirror_db) < STATION_OVER_FLOOR_DB:
            yield self._silence(device, ask, route, reference, floor_db, own_db)
            return
        yield CheckResult(
            "antenna", "good", f"{reference.name} stands {max(stands_db, mirror_db):.0f} dB over the floor"
        )
        sides = (
            f"{reference.name} stands {stands_db:.0f} dB over the floor at its place, {mirror_db:.0f} dB at its mirror"
        )
        if abs(mirror_db - stands_db) < SIDES_DB:
            fix = "another station, or another rate, tells them apart"
            if floor_db < own_db + DITHERED_DB:
                sides, fix = (
                    f"too little gain, hardly more than the ADC's own steps: {sides}",
                    "raise the gain, then check again",
                )
            yield CheckResult("I/Q order", "unknown", f"the two sides cannot be told apart: {sides}", fix)
        elif mirror_db > stands_db:
            fix = "switch 'swap I/Q' on, or exchange the two halves in the driver's settings"
            yield CheckResult("I/Q order", "stop", f"the spectrum is mirrored: {sides}", fix)
        else:
            yield CheckResult("I/Q order", "good", sides)

    def _twice(self, device: Device, ask: RequestedSettings, heard: ListenedBlock) -> tuple[float, float]:
        """Height over the floor of a line at the station's frequency and at its mirror, dB, at two centres.

        A chance line, or one of the receiver's own, does not follow the centre and counts as 0 dB.
        """
        spectra = [self._sides(heard, ask)]
        if max(stands_db for stands_db, _ in spectra[0]) >= STATION_OVER_FLOOR_DB:
            moved = msgspec.structs.replace(ask, centre_hz=ask.centre_hz + MOVED_HZ)
            got = device.apply(moved)
            spectra.append(self._sides(listen(device, self._time, got.rate_hz, 0.3), moved))
            device.apply(ask)
        levels = []
        for side in zip(*spectra, strict=True):
            same = max(off for _, off in side) - min(off for _, off in side) < SAME_HZ
            levels.append(min(stands_db for stands_db, _ in side) if same else 0.0)
        return levels[0], levels[1]

    def _sides(self, heard: ListenedBlock, ask: RequestedSettings) -> tuple[tuple[float, float], tuple[float, float]]:
        """Strongest line near the station's frequency and near its mirror: dB over the floor, and offset in hertz."""
        place_hz = self._place_hz(ask) or 0.0
        within_hz = self._reach_hz(ask)
        stands_db, at_hz = carrier_db(heard.samples, heard.rate_hz, place_hz, within_hz)
        mirror_db, mirror_hz = carrier_db(heard.samples, heard.rate_hz, -place_hz, within_hz)
        return (stands_db, at_hz - place_hz), (mirror_db, -mirror_hz - place_hz)

    def _silence(
        self,
        device: Device,
        ask: RequestedSettings,
        route: ResolvedRoute,
        reference: Reference,
        floor_db: float,
        own_db: float,
    ) -> CheckResult:
        """Explain the station's absence: no antenna, an unfed part, or a converter with another oscillator."""
        name = f"{reference.name} cannot be heard"
        hungry = [part.name for part in route.inner if (need := getattr(part, "need", None)) and need.by == "line"]
        if hungry:
            what = f"{name}: most likely {hungry[0]} gets no current through its line"
            return CheckResult("feed", "stop", what, "switch its feed on, once Bench says that it fits")
        if floor_db < own_db + DITHERED_DB:
            what = f"{name} and the floor is the converter's own: nothing is connected to port '{route.port}'"
            return CheckResult("antenna", "stop", what, "look at the port, the lead and the connectors")
        for converter in route.converters:
            leak_db = self._leak_db(device, ask, converter.nominal_lo_hz)
            if leak_db is not None and leak_db < STATION_OVER_FLOOR_DB:
                where = format_bound(converter.nominal_lo_hz)
                what = f"{name}, yet there is noise; no leak of {converter.name} stands at {where}"
                return CheckResult(
                    "oscillator", "stop", what, "its oscillator is another: 'Which oscillator?' on Bench"
                )
        return CheckResult("antenna", "look", f"{name}, though there is noise", "try another station, or another hour")

    def _leak_db(self, device: Device, ask: RequestedSettings, lo_hz: float) -> float | None:
        """Height of a converter's leak over the floor; None where the receiver cannot tune there."""
        try:
            got = device.apply(msgspec.structs.replace(ask, centre_hz=lo_hz - 0.2 * ask.rate_hz))
        except CannotTune:
            return None
        heard = listen(device, self._time, got.rate_hz, 0.2)
        return carrier_db(heard.samples, got.rate_hz, 0.2 * ask.rate_hz, 60e-6 * lo_hz + 2_000.0)[0]


def _grouped(part: int, whole: int) -> str:
    return f"{group_digits(str(part))} of {group_digits(str(whole))}"


def same_rate(one_hz: float, other_hz: float) -> bool:
    """Return True for rates that are practically equal."""
    return abs(one_hz - other_hz) <= SAME_RATE * other_hz
