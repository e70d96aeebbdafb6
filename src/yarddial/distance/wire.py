"""Protocol of the link: MessagePack frames with a length of four bytes; version and messages.

A command is read strictly as its own type. Events come from a paired computer, and the frame bounds their arrays.
`docs/distance.md` describes it in words.
"""

import struct
from collections.abc import Callable
from typing import Any, get_args

import msgspec
import numpy as np

from yarddial.distance.coding import CodedLevels, CodedSamples, code_levels, levels_of
from yarddial.distance.far_check import CheckReceiver, CheckTold, EndCheck
from yarddial.distance.values import check_fields
from yarddial.drivers.protocol import Capabilities, FoundReceiver
from yarddial.engine import events
from yarddial.engine.commands import Command
from yarddial.engine.events import Event, SpanSpectrum, SpectrogramColumns
from yarddial.yard.bounds import AudioHz, ChannelHz, ClockS, ColumnS, Count, Factor, Hertz, LevelDb, RateHz, WidthHz
from yarddial.yard.errors import YardDialError

WIRE_VERSION = 3
# Maximum frame before authentication, from the near side, and from the far side; bytes.
MAX_HELLO, MAX_ASKED, MAX_TOLD = 2_048, 65_536, 4_000_000
_LENGTH = struct.Struct(">I")


class BadFrame(YardDialError):
    """A received frame is not allowed on the link."""


class Hello(msgspec.Struct, frozen=True, array_like=True, tag="hello"):
    """First message of a caller: its password, or a code's secret to obtain one.

    session, heard : of a broken link: its session, and the number of the last event received.
    """

    version: int
    name: str
    word: str = ""
    secret: int = -1
    session: str = ""
    heard: int = 0


class Welcome(msgspec.Struct, frozen=True, array_like=True, tag="welcome"):
    """Answer to a caller. word : password of a newly paired guest. receivers : those that may be started, by address.

    session : of the link; is_resumed : it continues a broken one. heard : number of the last command received.
    """

    version: int
    name: str
    role: str
    session: str
    is_resumed: bool
    heard: int
    receivers: tuple[tuple[str, FoundReceiver], ...] = ()
    word: str = ""


class Refused(msgspec.Struct, frozen=True, array_like=True, tag="refused"):
    """Refusal, with a sentence."""

    sentence: str


class Asked(msgspec.Struct, frozen=True, array_like=True, tag="ask"):
    """A command by the name of its kind, numbered, with the number of the last event received."""

    number: int
    heard: int
    kind: str
    body: dict[str, Any]


class Heard(msgspec.Struct, frozen=True, array_like=True, tag="heard"):
    """Acknowledgement: events up to a number, total bytes; the time, from which the round trip follows."""

    heard: Count
    got_bytes: Count
    sent_s: ClockS
    echo_s: ClockS = 0.0


class WantControl(msgspec.Struct, frozen=True, array_like=True, tag="control"):
    """Ask for control, or give it up."""

    wanted: bool


class TellCapabilities(msgspec.Struct, frozen=True, array_like=True, tag="able?"):
    """Ask for the capabilities of a receiver."""

    address: str


class ListRecordings(msgspec.Struct, frozen=True, array_like=True, tag="recordings?"):
    """Ask which recordings of this computer are stored there."""


class FetchRecording(msgspec.Struct, frozen=True, array_like=True, tag="fetch"):
    """Transfer a recording from a byte on; an empty name stops."""

    name: str
    have_bytes: Count = 0


class RemoveRecording(msgspec.Struct, frozen=True, array_like=True, tag="remove"):
    """Delete a recording."""

    name: str


class ToldMessage(msgspec.Struct, frozen=True, array_like=True, tag="tell"):
    """An event by the name of its kind, numbered, with the number of the last command received."""

    number: int
    heard: int
    kind: str
    body: dict[str, Any]


class ColumnsMessage(msgspec.Struct, frozen=True, array_like=True, tag="columns"):
    """Columns of the picture, coded."""

    id: int
    first: Count
    half_span_hz: WidthHz
    column_s: ColumnS
    level: CodedLevels
    tuning: int


class SpanMessage(msgspec.Struct, frozen=True, array_like=True, tag="span"):
    """Spectrum of the whole span, coded: mean and peak."""

    centre_hz: Hertz
    rate_hz: RateHz
    spike_db: LevelDb
    mean: CodedLevels
    peak: CodedLevels
    tuning: int


class ChannelMessage(msgspec.Struct, frozen=True, array_like=True, tag="channel"):
    """Samples of a channel, coded; `lost` : samples left out just before."""

    job: int
    id: int
    rate_hz: ChannelHz
    middle_hz: Hertz
    factor: Factor
    lost: Count
    samples: CodedSamples
    tuning: int


class SoundMessage(msgspec.Struct, frozen=True, array_like=True, tag="sound"):
    """Audio made there, coded: left + j right, or two samples of one channel in each; played at another rate."""

    job: int
    id: int
    rate_hz: AudioHz
    played_hz: AudioHz
    is_stereo: bool
    level_dbfs: LevelDb
    is_open: bool
    pilot_db: LevelDb | None
    lost: Count
    samples: CodedSamples
    tuning: int


class Here(msgspec.Struct, frozen=True, array_like=True, tag="here"):
    """Guests present: name, role, control. `you` : the addressed one. `asks` : the one asking for control."""

    people: tuple[tuple[str, str, bool], ...]
    you: int = -1
    asks: str = ""


class Far(msgspec.Struct, frozen=True, array_like=True, tag="far"):
    """State of the far computer: load over all cores (1 means all), temperature, free disk; -1 where unknown."""

    load: float
    temperature_c: float
    free_gb: float
    lost: int


class AbleMessage(msgspec.Struct, frozen=True, array_like=True, tag="able"):
    """Capabilities of a receiver, or why they are unknown."""

    address: str
    capabilities: Capabilities | None
    why: str = ""


class FarRecording(msgspec.Struct, frozen=True, array_like=True):
    """A recording stored there."""

    name: str
    size_bytes: int


class RecordingsMessage(msgspec.Struct, frozen=True, array_like=True, tag="recordings"):
    """List of stored recordings, newest first."""

    recordings: tuple[FarRecording, ...]


class PieceMessage(msgspec.Struct, frozen=True, array_like=True, tag="piece"):
    """Part of a recording from a byte on (data, then description), with the SHA-256 of both; or why there is none."""

    name: str
    first: Count
    data_bytes: Count
    whole_bytes: Count
    digest: str
    data: bytes
    why: str = ""


FromNear = Hello | Asked | Heard | WantControl | TellCapabilities | ListRecordings | FetchRecording | RemoveRecording
FromFar = (
    Welcome
    | Refused
    | ToldMessage
    | Heard
    | ColumnsMessage
    | SpanMessage
    | ChannelMessage
    | Here
    | Far
    | AbleMessage
    | RecordingsMessage
    | PieceMessage
    | SoundMessage
)

COMMANDS: dict[str, type] = {kind.__name__: kind for kind in (*get_args(Command), CheckReceiver, EndCheck)}
EVENTS: dict[str, type] = {kind.__name__: kind for kind in (*get_args(Event), CheckTold)}
# Structs that occur in events.
_PARTS: dict[str, type] = {}


def frame(message: FromNear | FromFar) -> bytes:
    """Encode a message as a frame."""
    body = _encoder.encode(message)
    return _LENGTH.pack(len(body)) + body


def length_of(head: bytes, limit: int) -> int:
    """Length from the four bytes before a frame; raises BadFrame when too long."""
    (length,) = _LENGTH.unpack(head)
    if not 0 < length <= limit:
        raise BadFrame(f"a frame of {length} bytes, where no more than {limit} may come")
    return int(length)


def read_near(body: bytes) -> FromNear:
    """A message of the near side; raises BadFrame."""
    message: FromNear = _read(_near.decode, body)
    return message


def read_far(body: bytes) -> FromFar:
    """A message of the far side; raises BadFrame."""
    message: FromFar = _read(_far.decode, body)
    return message


def _read(decode: Callable[[bytes], Any], body: bytes) -> Any:
    try:
        return decode(body)
    except (msgspec.DecodeError, msgspec.ValidationError, RecursionError, ValueError, OverflowError) as error:
        raise BadFrame(f"a message that is none: {error}") from error


def command_of(asked: Asked) -> Command | CheckReceiver | EndCheck:
    """Decode a command strictly; raises BadFrame."""
    kind = COMMANDS.get(asked.kind)
    if kind is None:
        raise BadFrame(f"no command is called '{asked.kind[:40]}'")
    try:
        command: Command | CheckReceiver | EndCheck = msgspec.convert(asked.body, kind, strict=True)
    except (msgspec.ValidationError, TypeError, RecursionError, OverflowError) as error:
        raise BadFrame(f"a command {asked.kind} that is none: {error}") from error
    return command


def asked_of(command: Command | CheckReceiver | EndCheck, number: int, heard: int) -> Asked:
    """Encode a command, numbered."""
    return Asked(number, heard, type(command).__name__, msgspec.to_builtins(command))


def told_of(event: Event | CheckTold, number: int, heard: int) -> ToldMessage:
    """Encode an event: each struct with its name, arrays as bytes."""
    return ToldMessage(number, heard, type(event).__name__, _taken_apart(event))


def event_of(message: ToldMessage) -> Event | CheckTold:
    """Decode an event; raises BadFrame."""
    try:
        event: Event | CheckTold = _put_together(message.kind, message.body)
    except (KeyError, TypeError, ValueError, AttributeError, RecursionError, OverflowError, MemoryError) as error:
        raise BadFrame(f"an event {message.kind[:40]} that is none: {error}") from error
    return event


def columns_of(event: SpectrogramColumns) -> ColumnsMessage:
    """Encode spectrogram columns."""
    level = code_levels(event.level_db)
    return ColumnsMessage(event.id, event.first, event.half_span_hz, event.column_s, level, event.tuning)


def picture_of(coded: ColumnsMessage, read_s: float) -> SpectrogramColumns:
    """Decode spectrogram columns; raises BadSamples or BadFrame."""
    if len(coded.level.shape) != 2:
        raise BadFrame("columns that are no table")
    level_db = levels_of(coded.level)
    return SpectrogramColumns(
        coded.id, coded.first, coded.half_span_hz, coded.column_s, level_db, read_s, coded.tuning
    )  # fmt: skip


def span_of(event: SpanSpectrum) -> SpanMessage:
    """Encode a spectrum of the span."""
    mean, peak = code_levels(event.mean_db), code_levels(event.peak_db)
    return SpanMessage(event.centre_hz, event.rate_hz, event.spike_db, mean, peak, event.tuning)


def spectrum_of(coded: SpanMessage) -> SpanSpectrum:
    """Decode a spectrum of the span."""
    mean_db, peak_db = levels_of(coded.mean), levels_of(coded.peak)
    return SpanSpectrum(coded.centre_hz, coded.rate_hz, mean_db, peak_db, coded.spike_db, coded.tuning)


def _taken_apart(value: Any) -> Any:
    if isinstance(value, msgspec.Struct):
        fields = {name: _taken_apart(getattr(value, name)) for name in value.__struct_fields__}
        return {"": type(value).__name__, **fields}
    if isinstance(value, np.ndarray):
        if value.dtype.str not in _DTYPES:
            raise TypeError(f"an array of {value.dtype} does not go over")
        return {"": "array", "dtype": value.dtype.str, "shape": value.shape, "data": value.tobytes()}
    if isinstance(value, frozenset):
        return {"": "set", "of": sorted(value)}
    if isinstance(value, tuple | list):
        return [_taken_apart(item) for item in value]
    return value.item() if isinstance(value, np.generic) else value


def _put_together(kind: str, body: dict[str, Any]) -> Any:
    kind_class = EVENTS.get(kind) or _parts()[kind]
    built = kind_class(**{name: _value(field) for name, field in body.items() if name})
    check_fields(built, _parts())
    return built


def _value(value: Any) -> Any:
    if isinstance(value, dict):
        kind = value.get("")
        if kind == "array":
            if value["dtype"] not in _DTYPES:
                raise ValueError("an array of a kind that does not go over")
            return np.frombuffer(value["data"], value["dtype"]).reshape(value["shape"]).copy()
        if kind == "set":
            return frozenset(value["of"])
        return _put_together(kind, value) if isinstance(kind, str) else value
    return tuple(_value(item) for item in value) if isinstance(value, list) else value


_DTYPES = ("<f4", "<f8", "<c8", "<i8")


def _parts() -> dict[str, type]:
    """Structs inside events: measurements and settings."""
    if not _PARTS:
        from yarddial.drivers import protocol
        from yarddial.dsp import carrier
        from yarddial.engine import tuning

        for module in (protocol, carrier, tuning, events):
            for name, kind in vars(module).items():
                if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
                    _PARTS[name] = kind
    return _PARTS


_encoder = msgspec.msgpack.Encoder()
_near = msgspec.msgpack.Decoder(FromNear)
_far = msgspec.msgpack.Decoder(FromFar)
