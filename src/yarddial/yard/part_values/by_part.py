"""Editable values of each kind of part."""

from functools import partial
from typing import Any, assert_never

import msgspec

from yarddial.yard.frequency import format_bound, format_frequency, format_number, format_sigma
from yarddial.yard.frequency_conversion import parse_ppm
from yarddial.yard.part_values.fields import (
    SOCKET_HINT,
    choice_value,
    device_value,
    feed_value,
    hertz_value,
    holes_value,
    level_value,
    need_value,
    note_value,
    number_value,
    origin_setter,
    socket_value,
    table_value,
    yes_value,
)
from yarddial.yard.part_values.reading import (
    positive,
    read_hz,
    read_number,
    read_socket,
    read_value,
    socket_text,
    value_text,
)
from yarddial.yard.part_values.value import TYPED_NOTE, PartValue
from yarddial.yard.parts import (
    Antenna,
    Converter,
    Isolator,
    Lnb,
    Origin,
    Part,
    Receiver,
    Transceiver,
    TwoPort,
    Value,
    origin_of,
    with_converter,
)
from yarddial.yard.parts.converter import OTHER_POLARISATION

replace = msgspec.structs.replace


def values_of(part: Part) -> tuple[PartValue, ...]:
    """All values of a part, the most important first."""
    match part:
        case Receiver():
            return _receiver(part)
        case Converter():
            return _converter(part)
        case Lnb():
            return _lnb(part)
        case TwoPort():
            return _two_port(part)
        case Isolator():
            return _isolator(part)
        case Transceiver():
            return _transceiver(part)
        case Antenna():
            return _antenna(part)
        case _:
            assert_never(part)


def _antenna(part: Antenna) -> tuple[PartValue, ...]:
    kinds = ("wire", "whip", "dipole", "discone", "loop", "dish", "beam", "dummy load")
    return (
        hertz_value(part, "from", "low_hz", main=True),
        hertz_value(part, "to", "high_hz", main=True),
        choice_value(part, "kind", "kind", kinds),
        number_value(part, "length (a dish: diameter)", "length_m", "m"),
        yes_value(part, "outdoors", "outdoors"),
        yes_value(part, "a short for direct current", "dc_short"),
        number_value(part, "distance from the antenna that transmits", "apart_m", "m"),
        level_value(part, "loss from the antenna that transmits, measured", "coupling_db", "dB"),
        level_value(part, "directivity, in its best direction", "directivity_dbi", "dBi"),
        level_value(part, "gain against one without loss", "gain_db", "dB"),
        level_value(part, "noise figure, of an active one", "nf_db", "dB"),
        need_value(part),
        socket_value(part, "its lead ends in", "output"),
        note_value(part),
    )


def _two_port(part: TwoPort) -> tuple[PartValue, ...]:
    low, high = ("takes out from", "to") if part.shape == "notch" else ("from", "to")
    values = [
        level_value(part, "gain", "gain_db", "dB", main=True),
        hertz_value(part, low, "low_hz"),
        hertz_value(part, high, "high_hz"),
    ]
    if part.what == "filter":
        values.append(choice_value(part, "shape", "shape", ("low-pass", "high-pass", "band-pass", "notch")))
    if part.what == "cable":
        values += [
            number_value(part, "length", "length_m", "m", main=True),
            table_value(part, "loss per 100 m", "loss_db_100m"),
        ]
    if part.what in ("preamplifier", "limiter"):
        values += [
            level_value(part, "noise figure", "nf_db", "dB"),
            level_value(part, "third-order intercept, input", "iip3_dbm", "dBm"),
        ]
    if part.what in ("splitter", "switch", "relay", "diplexer"):
        values.append(level_value(part, "isolation between outputs", "isolation_db", "dB", main=True))
    if part.what in ("injector",):
        values.append(feed_value(part, "feeds the line", part.feed, lambda feed: replace(part, feed=feed)))
        values.append(yes_value(part, "put in the other way round: feeds towards the receiver", "feeds_down"))
    values += [
        level_value(part, "largest safe input", "largest_dbm", "dBm"),
        yes_value(part, "passes direct current", "passes_dc"),
        yes_value(part, "a short for direct current", "dc_short"),
        need_value(part),
        socket_value(part, "input", "input"),
        socket_value(part, "output", "output"),
        note_value(part),
    ]
    return tuple(values)


def _isolator(part: Isolator) -> tuple[PartValue, ...]:
    return (
        level_value(part, "gain", "gain_db", "dB", main=True),
        level_value(part, "isolation on the way back", "isolation_db", "dB", main=True),
        hertz_value(part, "from", "low_hz"),
        hertz_value(part, "to", "high_hz"),
        level_value(part, "largest safe input", "largest_dbm", "dBm"),
        socket_value(part, "input", "input"),
        socket_value(part, "output", "output"),
        note_value(part),
    )


def _oscillator(part: Part, converter: Converter, prefix: str = "") -> tuple[PartValue, ...]:
    """Stated value, uncertainty and entered value of an oscillator."""
    stated = converter.lo_hz.unmeasured()

    def put(changed: Converter) -> Part:
        return with_converter(part, changed)

    def with_stated(text: str, today: str) -> Part:
        hertz = read_hz(text)
        value = Value(hertz, stated.sigma, "stated", today, TYPED_NOTE)
        return put(replace(converter, lo_hz=value, entered_lo_hz=hertz))

    def with_sigma(text: str, today: str) -> Part:
        return put(replace(converter, lo_hz=replace(stated, sigma=positive(read_hz(text.lstrip("±"), "Hz")))))

    def with_entered(text: str, today: str) -> Part:
        return put(replace(converter, entered_lo_hz=read_hz(text)))

    def with_origin(origin: Origin) -> Part:
        value = Value(stated.value, stated.sigma, origin.provenance, origin.date, origin.note)
        return put(replace(converter, lo_hz=value))

    spoken = Origin(stated.provenance, stated.date, stated.note)
    measured = converter.lo_hz.provenance == "measured"
    entered = Origin("measured", converter.lo_hz.date, "by the fit") if measured else Origin("stated", note="as typed")
    return (
        PartValue(f"{prefix}lo", f"{prefix}oscillator, as stated", format_frequency(stated.value), spoken,
                  with_stated, with_origin, main=True),
        PartValue(f"{prefix}lo_sigma", f"{prefix}its uncertainty (one sigma)", format_sigma(stated.sigma)[1:],
                  Origin("assumed", note="10 ppm is usual for a plain can") if not stated.note else spoken, with_sigma),
        PartValue(f"{prefix}entered", f"{prefix}oscillator, entered", format_frequency(converter.entered_lo_hz),
                  entered, with_entered),
    )  # fmt: skip


def _converter(part: Converter) -> tuple[PartValue, ...]:
    senses = {"sum": "gives f + L", "low": "gives f − L", "high": "gives L − f, inverted"}

    def with_kind(text: str, today: str) -> Part:
        return replace(part, kind=next(kind for kind, words in senses.items() if words == text))

    return (
        *_oscillator(part, part),
        PartValue("kind", "sense", senses[part.kind], origin_of(part, "kind"), with_kind, origin_setter(part, "kind"),
                  tuple(senses.values())),
        hertz_value(part, "takes from", "input_low_hz"),
        hertz_value(part, "to", "input_high_hz"),
        hertz_value(part, "gives from", "output_low_hz"),
        hertz_value(part, "to (output)", "output_high_hz"),
        level_value(part, "gain", "gain_db", "dB"),
        level_value(part, "noise figure", "nf_db", "dB"),
        level_value(part, "third-order intercept, input", "iip3_dbm", "dBm"),
        level_value(part, "leak-through isolation", "isolation_db", "dB"),
        level_value(part, "oscillator leak at its output", "lo_leak_dbm", "dBm"),
        level_value(part, "largest safe input", "largest_dbm", "dBm"),
        need_value(part),
        socket_value(part, "input", "input"),
        socket_value(part, "output", "output"),
        note_value(part),
    )  # fmt: skip


def _lnb(part: Lnb) -> tuple[PartValue, ...]:
    values: list[PartValue] = []
    for band in part.bands:
        converter = part.as_converter(band)
        prefix = f"{converter.name}: " if len(part.bands) > 1 else ""
        values += _oscillator(part, converter, prefix)
    return (
        *values,
        choice_value(part, "polarisation", "polarisation", tuple(OTHER_POLARISATION)),
        number_value(part, "vertical at", "vertical_v", "V"),
        number_value(part, "horizontal at", "horizontal_v", "V"),
        number_value(part, "draws", "current_ma", "mA"),
        level_value(part, "gain", "gain_db", "dB"),
        level_value(part, "noise figure", "nf_db", "dB"),
        socket_value(part, "output", "output"),
        note_value(part),
    )


def _transceiver(part: Transceiver) -> tuple[PartValue, ...]:
    senses = {1: "comes out upright", -1: "comes out inverted"}

    def with_sense(text: str, today: str) -> Part:
        return replace(part, sense=-1 if text == senses[-1] else 1)

    def with_duty(text: str, today: str) -> Part:
        return replace(part, duty_share=read_number(text, "%") / 100)

    def with_offset(mode: str, text: str, today: str) -> Part:
        return replace(part, offsets_hz=part.offsets_hz | {mode: read_hz(text, "Hz")})

    offsets = tuple(
        PartValue(f"offset_{mode}", f"carrier minus display in {name}",
                  format_frequency(part.offsets_hz.get(mode, 0.0)), origin_of(part, "offsets_hz"),
                  partial(with_offset, mode))
        for mode, name in (("ssb", "SSB"), ("cw", "CW"), ("data", "narrow data"))
    )  # fmt: skip
    return (
        hertz_value(part, "intermediate frequency", "if_hz", main=True),
        PartValue("sense", "its spectrum", senses[part.sense], origin_of(part, "sense"), with_sense,
                  origin_setter(part, "sense"), tuple(senses.values())),
        hertz_value(part, "from", "low_hz"),
        hertz_value(part, "to", "high_hz"),
        number_value(part, "transmits", "transmit_w", "W", main=True),
        PartValue("duty_share", "of 30 minutes at full power", f"{100 * part.duty_share:g} %",
                  origin_of(part, "duty_share"), with_duty, origin_setter(part, "duty_share")),
        level_value(part, "isolation of its outputs", "isolation_db", "dB"),
        level_value(part, "tunes high by", "rig_ppm", "ppm"),
        *offsets,
        socket_value(part, "antenna socket", "input"),
        socket_value(part, "IF output", "if_output"),
        socket_value(part, "receive-antenna output", "antenna_output"),
        note_value(part),
    )  # fmt: skip


def _receiver(part: Receiver) -> tuple[PartValue, ...]:
    stated = part.crystal_ppm.unmeasured()

    def with_entered(text: str, today: str) -> Part:
        return replace(part, entered_ppm=parse_ppm(text))

    def with_sigma(text: str, today: str) -> Part:
        value = replace(stated, sigma=positive(parse_ppm(text.lstrip("±"))), date=today, note=TYPED_NOTE)
        return replace(part, crystal_ppm=value)

    def with_rate(text: str, today: str) -> Part:
        return replace(part, rate_hz=read_hz(text.replace("MS/s", "MHz").replace("kS/s", "kHz")))

    measured = part.crystal_ppm.provenance == "measured"
    entered = Origin("measured", part.crystal_ppm.date, "by the fit") if measured else Origin("stated", note="as typed")
    crystal = Origin(stated.provenance, stated.date, stated.note)
    values = [
        device_value(part),
        PartValue("entered_ppm", "correction, entered", f"{format_number(part.entered_ppm, 0.01, signed=True)} ppm",
                  entered, with_entered, main=True),
        PartValue("crystal_sigma", "crystal's uncertainty (one sigma)",
                  f"{format_number(stated.sigma, stated.sigma / 3)} ppm", crystal, with_sigma),
        hertz_value(part, "tunes from", "tuner_low_hz", main=True),
        hertz_value(part, "to", "tuner_high_hz", main=True),
        hertz_value(part, "crystal", "crystal_hz"),
        holes_value(part),
        PartValue("rate_hz", "sample rate", f"{part.rate_hz / 1e6:g} MS/s", origin_of(part, "rate_hz"), with_rate,
                  origin_setter(part, "rate_hz"), tuple(f"{rate / 1e6:g} MS/s" for rate in part.rates_hz)),
        yes_value(part, "automatic gain", "automatic_gain"),
        hertz_value(part, "filter before sampling", "bandwidth_hz"),
        number_value(part, "bits", "bits", "", whole=True),
        level_value(part, "effective bits of the ADC", "effective_bits", ""),
        number_value(part, "bits of each value sent, if not those of its ADC", "stream_bits", "", whole=True),
        hertz_value(part, "synthesizer step", "tuner_step_hz"),
        level_value(part, "noise figure", "nf_db", "dB"),
        level_value(part, "third-order intercept, input", "iip3_dbm", "dBm"),
        level_value(part, "second-order intercept, input", "iip2_dbm", "dBm"),
        level_value(part, "mirrors down by", "mirror_db", "dB"),
        level_value(part, "three times its oscillator, down by", "harmonic_db", "dB"),
        level_value(part, "twice its oscillator, down by", "even_db", "dB"),
        level_value(part, "its tracking filter takes besides", "tracking_db", "dB"),
        hertz_value(part, "intermediate frequency of its tuner", "if_hz"),
        level_value(part, "image of that, down by", "image_db", "dB"),
        level_value(part, "half-IF intercept", "half_if_dbm", "dBm"),
        hertz_value(part, "sidebands of its oscillator, away by", "reference_hz"),
        level_value(part, "those down by", "reference_db", "dB"),
        level_value(part, "phase noise at 100 kHz", "phase_noise_dbc_hz", "dBc/Hz"),
        level_value(part, "its crystal's harmonics", "crystal_leak_dbm", "dBm"),
    ]  # fmt: skip
    if part.fixed_centre_hz:
        values.append(hertz_value(part, "tuned by hand to", "fixed_centre_hz", main=True))
    if part.clock_ppm is not None:
        values.append(_clock_sigma(part, part.clock_ppm))
    for index, stage in enumerate(part.gain_stages):
        values += _gain_stage(part, index, stage.name)
    if part.direct is not None:
        values += [_direct_clock(part), _direct_low_pass(part)]
    for index in range(len(part.ports)):
        values += _port(part, index)
    return (*values, note_value(part))


def _clock_sigma(part: Receiver, clock: Value) -> PartValue:
    stated = clock.unmeasured()

    def with_text(text: str, today: str) -> Part:
        value = replace(stated, sigma=positive(parse_ppm(text.lstrip("±"))), date=today, note=TYPED_NOTE)
        return replace(part, clock_ppm=value)

    text = f"{format_number(stated.sigma, stated.sigma / 3)} ppm"
    origin = Origin(stated.provenance, stated.date, stated.note)
    return PartValue("clock_sigma", "sampling clock's uncertainty (one sigma)", text, origin, with_text)


def _gain_stage(part: Receiver, index: int, name: str) -> list[PartValue]:
    stage = part.gain_stages[index]

    def put(**changes: Any) -> Part:
        stages = list(part.gain_stages)
        stages[index] = replace(stage, **changes)
        return replace(part, gain_stages=tuple(stages))

    def with_steps(text: str, today: str) -> Part:
        steps = sorted({read_number(word, "dB") for word in text.replace(",", " ").split()})
        return put(steps_db=tuple(steps), set_db=min(steps or [0.0], key=lambda step: abs(step - stage.set_db)))

    origin = origin_of(part, "gain_stages")
    setter = origin_setter(part, "gain_stages")
    texts = {f"{step:g} dB": step for step in stage.steps_db}
    return [
        PartValue(f"gain{index}", f"gain '{name}', set to", f"{stage.set_db:g} dB", Origin("stated", note="as set"),
                  lambda text, today: put(set_db=texts[text]), choices=tuple(texts)),
        PartValue(f"steps{index}", f"gain '{name}', steps in dB", " ".join(f"{step:g}" for step in stage.steps_db),
                  origin, with_steps, setter, hint="every gain it can have, such as 0 6 12"),
        PartValue(f"reads{index}", f"gain '{name}', its control reads", stage.reads, origin,
                  lambda text, today: put(reads=text), setter, ("gain", "attenuation")),
    ]  # fmt: skip


def _direct_low_pass(part: Receiver) -> PartValue:
    direct = part.direct
    assert direct is not None

    def with_text(text: str, today: str) -> Part:
        bare = text.strip().lower() in ("", "none")
        return replace(part, direct=replace(direct, low_pass_hz=None if bare else read_hz(text)))

    shown = "none" if direct.low_pass_hz is None else format_bound(direct.low_pass_hz)
    return PartValue("direct_low_pass", "direct sampling, its own low-pass", shown, origin_of(part, "direct"),
                     with_text, origin_setter(part, "direct"), hint="such as 54 MHz, or none")  # fmt: skip


def _direct_clock(part: Receiver) -> PartValue:
    direct = part.direct
    assert direct is not None

    def with_text(text: str, today: str) -> Part:
        return replace(part, direct=replace(direct, clock_hz=read_hz(text)))

    return PartValue("direct", "direct sampling clock", format_bound(direct.clock_hz), origin_of(part, "direct"),
                     with_text, origin_setter(part, "direct"))  # fmt: skip


def _port(part: Receiver, index: int) -> list[PartValue]:
    port = part.ports[index]

    def put(**changes: Any) -> Part:
        ports = list(part.ports)
        ports[index] = replace(port, **changes)
        return replace(part, ports=tuple(ports))

    origin, setter = origin_of(part, "ports"), origin_setter(part, "ports")
    largest = port.largest_dbm
    return [
        PartValue(f"port{index}", f"port {port.name}", socket_text(port.socket), origin,
                  lambda text, today: put(socket=read_socket(text)), setter, hint=SOCKET_HINT),
        PartValue(f"largest{index}", f"port {port.name}, largest safe input", value_text(largest, "dBm"),
                  origin if largest is None else Origin(largest.provenance, largest.date, largest.note),
                  lambda text, today: put(largest_dbm=read_value(text, "dBm", largest, today)), setter),
        feed_value(part, f"port {port.name}, bias feed", port.bias, lambda feed: put(bias=feed)),
    ]  # fmt: skip
