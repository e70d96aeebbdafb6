"""Contract test for drivers: exercises one driver and lists every broken promise in a sentence for its author."""

from collections.abc import Callable, Iterator
from itertools import pairwise

import msgspec
import numpy as np

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, Device, Driver, RequestedSettings, TimeSource
from yarddial.yard.errors import CannotTune, RefusedValue, YardDialError

# Longest allowed block; maximum number of steps tried of each gain stage.
MAX_BLOCK_S, MAX_STEPS = 0.25, 40
# Tolerance of a rate against the nearest offered one.
RATE_SHARE = 0.05
# Slightly above full scale, for filters that overshoot.
MAX_SAMPLE = 2.0
BLOCKS_TO_READ = 4
MISSING_ADDRESS = "no such receiver 7f3a"


def broken_promises(
    driver: Driver, address: str, time: TimeSource, *, can_open: Callable[[str], bool] = lambda _: True
) -> Iterator[str]:
    """Test a driver on one of its addresses against the contract; the bias feed stays off.

    can_open : whether a receiver is at the address; without one, only what needs no receiver is tested.
    """
    yield from _finding(driver)
    yield from _refusing(driver, time)
    if not can_open(address):
        return
    device = driver.open(address, time)
    try:
        yield from _device(device)
    finally:
        yield from _closed(device)
    yield from _closed(driver.open(address, time))


def _closed(device: Device) -> Iterator[str]:
    for how in ("first", "second"):
        try:
            device.close()
        except Exception as error:
            yield f"close() may be called twice; the {how} raised {_said(error)}"


def _finding(driver: Driver) -> Iterator[str]:
    seen: set[str] = set()
    for receiver in driver.discover():
        address = getattr(receiver, "address", None)
        if not isinstance(address, str) or not address.isprintable():
            yield f"discover() gives FoundReceiver structs with a printable address, not {receiver!r}"
        elif address in seen:
            yield f"discover() gives '{address}' twice"
        else:
            seen.add(address)
            if receiver.state != "ready" and not (receiver.why and receiver.cure):
                yield f"discover() calls '{address}' {receiver.state} and does not say why, or what cures it"


def _refusing(driver: Driver, time: TimeSource) -> Iterator[str]:
    try:
        driver.open(MISSING_ADDRESS, time).close()
    except YardDialError as error:
        if "\n" in str(error) or not str(error).strip():
            yield "open() refuses an address that is none in one sentence: what, where, what to do"
    except Exception as error:
        yield f"open() raises DeviceNotFound for an address that is none, not {_said(error)}"
    else:
        yield f"open() refuses an address that is none: it opened '{MISSING_ADDRESS}'"


def _device(device: Device) -> Iterator[str]:
    able = device.capabilities
    wrong = list(_capabilities(able))
    yield from wrong
    if wrong:
        return
    low_hz, high_hz = able.ranges_hz[0]
    ask = RequestedSettings((low_hz + high_hz) / 2, able.rates_hz[0], able.ports[0])
    wrong = list(_set(device, ask))
    yield from wrong
    if wrong:
        return
    for port in able.ports:
        for low_hz, high_hz in able.ranges_at(port):
            here = msgspec.structs.replace(ask, port=port, centre_hz=(low_hz + high_hz) / 2)
            yield from _set(device, here)
    for rate_hz in able.rates_hz:
        yield from _set(device, msgspec.structs.replace(ask, rate_hz=rate_hz))
    yield from _outside(device, ask)
    yield from _gains(device, ask)
    yield from _blocks(device, ask)


def _capabilities(able: Capabilities) -> Iterator[str]:
    if not able.name.strip():
        yield "capabilities.name is what a person calls the receiver"
    edges = [edge for pair in able.ranges_hz for edge in pair]
    if not edges or edges != sorted(edges) or not np.isfinite(edges).all():
        yield f"capabilities.ranges_hz holds (low, high) pairs, rising, none inside another: not {able.ranges_hz}"
    if not able.rates_hz or list(able.rates_hz) != sorted(set(able.rates_hz)) or able.rates_hz[0] <= 0:
        yield f"capabilities.rates_hz holds rates above 0, rising: not {able.rates_hz}"
    if not able.ports or len(set(able.ports)) != len(able.ports):
        yield f"capabilities.ports names each socket once, '' where there is only one: not {able.ports}"
    if not 1 <= able.bits <= 32:
        yield f"capabilities.bits are those of the converter, 1 to 32: not {able.bits}"
    names = [gain.name for gain in able.gains]
    if len(set(names)) != len(names):
        yield f"capabilities.gains names each stage once: not {names}"
    for gain in able.gains:
        steps = gain.steps_db
        if not steps or any(a >= b for a, b in pairwise(steps)) or not np.isfinite(steps).all():
            yield f"the steps of gain '{gain.name}' rise, and attenuation counts below zero: not {steps}"
    for what, some in (("bias_ports", able.bias_ports), ("direct", tuple(port for port, _ in able.direct))):
        if not set(some) <= set(able.ports):
            yield f"capabilities.{what} names ports that there are: not {some}"


def _set(device: Device, ask: RequestedSettings) -> Iterator[str]:
    able = device.capabilities
    where = f"apply({ask.centre_hz:.0f} Hz, {ask.rate_hz:g} S/s, port '{ask.port}')"
    try:
        got = device.apply(ask)
    except Exception as error:
        yield f"{where} is within what it says it can, and raised {_said(error)}"
        return
    if type(got) is not ActualSettings:
        yield f"{where} returns ActualSettings, not {type(got).__name__}"
        return
    if abs(got.rate_hz - ask.rate_hz) > RATE_SHARE * ask.rate_hz:
        yield f"{where} says that it keeps {got.rate_hz:g} S/s: that is another rate, to be offered as one"
    if abs(got.centre_hz - ask.centre_hz) > got.rate_hz / 2:
        yield f"{where} says that its centre is {got.centre_hz:.0f} Hz: that span does not hold what was asked for"
    if got.port != ask.port:
        yield f"{where} says that it listens at port '{got.port}'"
    if got.bias and not ask.bias:
        yield f"{where} switched the bias feed on: only a person may"
    if got.automatic_gain and not ask.automatic_gain:
        yield f"{where} left automatic gain on"
    strange = {name for name, _ in got.gains_db} - {gain.name for gain in able.gains}
    if strange:
        yield f"{where} tells of a gain '{sorted(strange)[0]}' that is not in capabilities.gains"


def _outside(device: Device, ask: RequestedSettings) -> Iterator[str]:
    """An unavailable setting must be refused, or answered with an available one."""
    able = device.capabilities
    device.apply(ask)
    far = msgspec.structs.replace(ask, centre_hz=max(high for _, high in able.ranges_at(ask.port)) + 9e9)
    yield from _refused(device, far, (CannotTune,), lambda got: "it says that it tunes there")
    odd = msgspec.structs.replace(ask, rate_hz=able.rates_hz[-1] * 1.7)
    yield from _refused(
        device, odd, (RefusedValue,), lambda got: _not_of("rate", got.rate_hz, able.rates_hz, RATE_SHARE)
    )
    loft = msgspec.structs.replace(ask, port="loft 7f3a")
    # A single socket without a name stands for every port name.
    if able.ports != ("",):
        yield from _refused(
            device, loft, (RefusedValue,), lambda got: "" if got.port in able.ports else "it says that it listens there"
        )
    stage = msgspec.structs.replace(ask, gains_db=(("stage 7f3a", 3.0),))
    yield from _refused(
        device,
        stage,
        (RefusedValue,),
        lambda got: "it has set it" if "stage 7f3a" in dict(got.gains_db) else "",
    )
    if not able.has_automatic_gain:
        automatic = msgspec.structs.replace(ask, automatic_gain=True)
        yield from _refused(
            device, automatic, (RefusedValue,), lambda got: "it says that it is on" if got.automatic_gain else ""
        )


def _not_of(what: str, got: float, offered: tuple[float, ...], share: float) -> str:
    near = min(abs(step - got) for step in offered)
    return "" if near <= share * got else f"it says that it keeps a {what} of {got:g}, which it does not offer"


def _refused(
    device: Device,
    ask: RequestedSettings,
    errors: tuple[type[YardDialError], ...],
    wrong: Callable[[ActualSettings], str],
) -> Iterator[str]:
    where = f"apply({ask.centre_hz:.0f} Hz, {ask.rate_hz:g} S/s, port '{ask.port}', gains {ask.gains_db})"
    names = " or ".join(error.__name__ for error in errors)
    try:
        got = device.apply(ask)
    except errors as error:
        if "\n" in str(error) or not str(error).strip():
            yield f"{where} is refused in one sentence"
    except Exception as error:
        yield f"{where} is beyond what it says it can and raises {names}, not {_said(error)}"
    else:
        complaint = wrong(got)
        if complaint:
            yield f"{where} is beyond what it says it can and raises {names}: {complaint}"


def _gains(device: Device, ask: RequestedSettings) -> Iterator[str]:
    able = device.capabilities
    for gain in able.gains:
        for step_db in gain.steps_db[:MAX_STEPS]:
            got = device.apply(msgspec.structs.replace(ask, gains_db=((gain.name, step_db),)))
            reported_db = dict(got.gains_db).get(gain.name)
            if reported_db is None or abs(reported_db - step_db) > 0.051:
                yield f"gain '{gain.name}' offers {step_db:g} dB; asked for it, apply() says {reported_db}"
                break
    if able.has_automatic_gain:
        got = device.apply(msgspec.structs.replace(ask, automatic_gain=True))
        if not got.automatic_gain:
            yield "capabilities.has_automatic_gain; asked for it, apply() says that it is off"
        if device.apply(ask).automatic_gain:
            yield "automatic gain is not switched off again"


def _blocks(device: Device, ask: RequestedSettings) -> Iterator[str]:
    expected: int | None = None
    for turn in range(2):
        got = device.apply(msgspec.structs.replace(ask, centre_hz=ask.centre_hz + turn * 0.1 * ask.rate_hz))
        if got.restart:
            expected = None
        for _ in range(BLOCKS_TO_READ):
            block = device.read()
            if block is None:
                if device.capabilities.is_live:
                    yield "read() gave None, the end, though it is live"
                return
            complaints = _block(block, got, expected)
            yield from complaints
            if complaints:
                return
            expected = block.first_index + block.samples.size


def _block(block: Block, got: ActualSettings, expected: int | None) -> list[str]:
    if type(block) is not Block or type(block.samples) is not np.ndarray:
        return [f"read() gives a Block with an array of samples, not {type(block).__name__}"]
    samples = block.samples
    if samples.dtype != np.complex64 or samples.ndim != 1:
        return [f"samples are complex64 of shape (n,): not {samples.dtype} of {samples.shape}"]
    if not samples.size:
        return ["a block holds samples: where none came in time, raise DeviceStalled"]
    complaints = []
    if samples.size > MAX_BLOCK_S * got.rate_hz * 1.01:
        complaints.append(f"a block lasts at most {MAX_BLOCK_S:g} s: not {samples.size / got.rate_hz:.2f} s")
    if not np.isfinite(samples.view(np.float32)).all() or np.abs(samples).max() > MAX_SAMPLE:
        complaints.append(f"full scale is 1.0: not {np.abs(samples).max():g}")
    if expected is not None and block.first_index < expected:
        complaints.append(f"first_index went back to {block.first_index} from {expected}: say restart=True in apply()")
    elif expected is not None and block.lost and block.first_index - expected not in (block.lost, 0):
        gap = block.first_index - expected
        complaints.append(f"first_index counts lost samples: it left out {gap}, and lost says {block.lost}")
    return complaints


def _said(error: Exception) -> str:
    return f"{type(error).__name__} ({' '.join(str(error).split())})"
