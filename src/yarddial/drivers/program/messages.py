"""Messages between Yard Dial and a program, one JSON object per line; docs/program.md describes them for people."""

import msgspec

from yarddial.drivers.protocol import ActualSettings, Capabilities, GainCapability, RequestedSettings
from yarddial.dsp.sample_formats import BITS, FORMATS
from yarddial.yard.errors import BadDriver

MESSAGES_VERSION = 1


class Gain(msgspec.Struct, frozen=True):
    """A gain stage as reported by the program."""

    name: str
    steps_db: tuple[float, ...]


class CapabilitiesLine(msgspec.Struct, frozen=True, tag_field="say", tag="capabilities"):
    """Capabilities of the program, and its sample format."""

    version: int
    name: str
    format: str
    ranges_hz: tuple[tuple[float, float], ...]
    rates_hz: tuple[float, ...]
    ports: tuple[str, ...] = ("",)
    bits: int = 0
    gains: tuple[Gain, ...] = ()
    has_automatic_gain: bool = False
    bandwidths_hz: tuple[float, ...] = ()
    bias_ports: tuple[str, ...] = ()
    own_clock: bool = False

    def capabilities(self) -> Capabilities:
        """Convert to the protocol's form; raises BadDriver where that is impossible."""
        if self.version != MESSAGES_VERSION:
            raise BadDriver(
                f"the program speaks version {self.version} of the page, this is {MESSAGES_VERSION}: change it"
            )
        if self.format not in FORMATS:
            raise BadDriver(f"the program's format is '{self.format}': it must be one of {', '.join(FORMATS)}")
        if not self.rates_hz or not self.ranges_hz or min(self.rates_hz) <= 0 or not self.name.isprintable():
            raise BadDriver("the program does not say its name, ranges_hz and rates_hz as numbers above 0: change it")
        return Capabilities(
            self.name,
            self.ranges_hz,
            self.rates_hz,
            self.ports,
            self.bits or BITS[self.format],
            gains=tuple(GainCapability(gain.name, gain.steps_db) for gain in self.gains),
            has_automatic_gain=self.has_automatic_gain,
            bandwidths_hz=self.bandwidths_hz,
            bias_ports=self.bias_ports,
            own_clock=self.own_clock,
        )


class GotLine(msgspec.Struct, frozen=True, tag_field="say", tag="got"):
    """Settings in force after a `set`. from_sample : first sample written with them."""

    id: int
    centre_hz: float
    rate_hz: float
    from_sample: int
    port: str = ""
    bandwidth_hz: float = 0.0
    gains_db: dict[str, float] = {}
    automatic_gain: bool = False
    bias: bool = False

    def settings(self, restart: bool) -> ActualSettings:
        """Convert to the protocol's form."""
        return ActualSettings(
            self.centre_hz, self.rate_hz, self.port, restart, self.bandwidth_hz, tuple(self.gains_db.items()),
            self.automatic_gain, self.bias,
        )  # fmt: skip


class RefusedLine(msgspec.Struct, frozen=True, tag_field="say", tag="refused"):
    """Refusal of a `set`, with nothing changed. what : `centre` where that is the reason."""

    id: int
    why: str
    what: str = ""


class LostLine(msgspec.Struct, frozen=True, tag_field="say", tag="lost"):
    """A number of samples was lost just before the sample numbered at_sample."""

    count: int
    at_sample: int


class RemarkLine(msgspec.Struct, frozen=True, tag_field="say", tag="remark"):
    """A remark for the person."""

    text: str


class FailedLine(msgspec.Struct, frozen=True, tag_field="say", tag="failed"):
    """The program reports that it cannot continue."""

    why: str


ProgramLine = CapabilitiesLine | GotLine | RefusedLine | LostLine | RemarkLine | FailedLine
_DECODER = msgspec.json.Decoder(ProgramLine)
_ENCODER = msgspec.json.Encoder()


def read_line(text: bytes) -> ProgramLine:
    """Read a line of the program; raises BadDriver with what is wrong."""
    try:
        line: ProgramLine = _DECODER.decode(text)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        begins = " ".join(text[:60].decode(errors="replace").split())
        raise BadDriver(
            f"the program wrote a line that is none of docs/program.md ({error}), it begins '{begins}': change it"
        ) from error
    return line


def set_line(number: int, ask: RequestedSettings) -> bytes:
    """Encode a `set`."""
    fields = msgspec.to_builtins(ask) | {"gains_db": dict(ask.gains_db)}
    return _ENCODER.encode({"do": "set", "id": number} | fields) + b"\n"


def plain_line(what: str) -> bytes:
    """Encode `capabilities` or `stop`."""
    return _ENCODER.encode({"do": what, "version": MESSAGES_VERSION}) + b"\n"
