"""A new yard from the parts on the table: a receiver, perhaps a converter, an antenna."""

import msgspec

from yarddial.yard import editing
from yarddial.yard.errors import BadStation
from yarddial.yard.frequency import format_frequency, parse_frequency
from yarddial.yard.parts import Antenna, Converter, Lnb, Part, Receiver, Value
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Station, usual_references

# An unmeasured plain crystal keeps within 50 ppm, taken as two sigma.
PLAIN_CRYSTAL = Value(0.0, 25.0, "assumed", note="plain crystal, within 50 ppm")
NO_PART = "none"


class BoxAnswers(msgspec.Struct, frozen=True):
    """Answers to "What have you got?".

    antenna, converter : names of parts on the shelf; `none` for no converter. lo : its oscillator as people write it,
    empty for the shelf's value. with_usual : add the world's standard frequencies as known stations.
    """

    receiver_name: str
    antenna: str
    converter: str = NO_PART
    lo: str = ""
    with_usual: bool = True


def antennas() -> tuple[str, ...]:
    """Antennas of the shelf, by name."""
    return tuple(part.name for part in shelf() if isinstance(part, Antenna))


def converters() -> tuple[str, ...]:
    """Converters of the shelf, by name; `none` first."""
    return (NO_PART, *(part.name for part in shelf() if isinstance(part, Converter | Lnb)))


def lo_text(converter: str) -> str:
    """Usual marking of a shelf converter's oscillator."""
    part = next((part for part in shelf() if part.name == converter), None)
    return format_frequency(part.nominal_lo_hz) if isinstance(part, Converter) else ""


def begun(station: Station, answers: BoxAnswers) -> Station:
    """Build the station: parts, a route over them and known stations; the driver describes the receiver.

    Raises
    ------
    BadFrequency
        The oscillator is unreadable.
    BadStation
        A name is invalid.
    """
    name = answers.receiver_name.strip() or "Receiver"
    receiver = Receiver(name, 0.0, 6e9, 28.8e6, PLAIN_CRYSTAL, 0.0, (2.048e6,), 2.048e6, 8)
    for part in (_from_shelf(answers.antenna), *_converter(answers), receiver):
        station = editing.put_in(station, part, station.route)
    if answers.with_usual:
        known = {(reference.name, reference.frequency_hz) for reference in station.references}
        more = tuple(
            usual_reference
            for usual_reference in usual_references()
            if (usual_reference.name, usual_reference.frequency_hz) not in known
        )
        station = msgspec.structs.replace(station, references=(*station.references, *more))
    return station


def _from_shelf(name: str) -> Part:
    part = next((part for part in shelf() if part.name == name), None)
    if part is None:
        raise BadStation(f"there is no '{name}' on the shelf: choose another")
    return part


def _converter(answers: BoxAnswers) -> tuple[Part, ...]:
    if answers.converter == NO_PART:
        return ()
    part = _from_shelf(answers.converter)
    if not isinstance(part, Converter) or not answers.lo.strip():
        return (part,)
    lo_hz = parse_frequency(answers.lo)
    if not lo_hz > 0:
        raise BadStation(f"an oscillator at {answers.lo} cannot be: write what its can says, such as 120 MHz")
    if lo_hz == part.nominal_lo_hz:
        return (part,)
    value = Value(lo_hz, part.lo_hz.sigma * lo_hz / part.nominal_lo_hz, "stated", note="as you said")
    return (msgspec.structs.replace(part, lo_hz=value, entered_lo_hz=lo_hz),)
