"""Commands from the session to the engine. Frozen, so that they can cross processes.

A command of a job carries the job's number and a number of its own; so does every answer to it.
"""

from typing import Annotated, Any, Literal

import msgspec

from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.tuning import Safeguards
from yarddial.yard.bounds import (
    MAX_SWEPT,
    BinCount,
    BitCount,
    ColumnS,
    DurationS,
    DwellS,
    Hertz,
    Name,
    PictureHz,
    RowCount,
    SigmaHz,
    WidthHz,
)
from yarddial.yard.demodulation import DemodulationSettings
from yarddial.yard.level import GainsDb


class Start(msgspec.Struct, frozen=True):
    """Open the device and stream; the safeguards apply from its first setting on."""

    address: str
    safeguards: Safeguards = Safeguards()


class Stop(msgspec.Struct, frozen=True):
    """Stop streaming and release the device."""


class Quit(msgspec.Struct, frozen=True):
    """End the engine process."""


class SetSafeguards(msgspec.Struct, frozen=True):
    """Apply these safeguards from now on under any job; answered by `SafeguardsSet` with the same id."""

    id: int
    wanted: Safeguards


class Show(msgspec.Struct, frozen=True):
    """Send spectrogram columns of +-half_span_hz around the middle, in `rows` rows, one every `column_s`."""

    id: int
    half_span_hz: PictureHz
    rows: RowCount
    column_s: ColumnS


class Cancel(msgspec.Struct, frozen=True):
    """End everything that runs for a job: restore what it changed, complete what it recorded."""

    job: int


class Request(msgspec.Struct, frozen=True, kw_only=True):
    """A request of a job (0: of none, at the dial); a newer one of its kind replaces it."""

    job: int = 0
    id: int = 0


class Tune(Request, frozen=True):
    """Set the receiver, and cut the slice middle_hz +- half_width_hz, as the receiver counts, from its stream.

    Its id becomes the id of the answering `Tuning`. route : the name that the tuning carries.
    """

    requested: RequestedSettings
    middle_hz: Hertz
    half_width_hz: WidthHz
    route: Name = ""


class OnTuning(Request, frozen=True, kw_only=True):
    """A request for samples of one tuning. tuning : its id; on any other tuning the request is refused."""

    tuning: int = 0


class Measure(OnTuning, frozen=True):
    """Measure what stands within +-within_hz of the slice's middle, over seconds_s at most.

    wanted_hz : the uncertainty at which it is enough; 0 to use all of the time.
    kind : a carrier, or the middle of an FM signal.
    expected_hz, expected_sigma_hz : where it should stand by what is known of the oscillators and of the station's own
        habits, from the slice's middle: of two carriers on one channel the one that fits is taken.
    may_fade : whether the station's path fades, as sky waves do.
    """

    seconds_s: DurationS
    within_hz: WidthHz
    wanted_hz: WidthHz = 0.0
    kind: Literal["carrier", "nfm", "wfm"] = "carrier"
    expected_hz: Hertz = 0.0
    expected_sigma_hz: SigmaHz = float("inf")
    may_fade: bool = True


class Follow(Request, frozen=True):
    """Measure the carrier near follow_hz (receiver frequency) at regular intervals from now on."""

    follow_hz: Hertz
    within_hz: WidthHz
    every_s: DurationS


class Hear(Request, frozen=True):
    """Demodulate a channel: hear_hz as the receiver counts."""

    hear_hz: Hertz
    settings: DemodulationSettings


class SendChannel(Request, frozen=True):
    """Send a channel's samples, to be demodulated elsewhere: hear_hz as the receiver counts."""

    hear_hz: Hertz
    settings: DemodulationSettings


class CleanUp(msgspec.Struct, frozen=True):
    """Processing of the samples before everything else: remove spike and mirrors, swap I and Q."""

    spike: bool = False
    mirrors: bool = False
    swap: bool = False


class Clean(Request, frozen=True):
    """Apply this clean-up from now on."""

    wanted: CleanUp


class RecordSamples(OnTuning, frozen=True):
    """Record the unprocessed samples as SigMF; ends by itself when the receiver is retuned.

    centre_hz : of the dial. bits : of the receiver. turned : the dial runs inverted, and so shall the recording.
    about : see `records.recordings.write_sigmf`.
    """

    path: Name
    centre_hz: Hertz
    bits: BitCount
    turned: bool
    about: dict[str, Any]


class Sweep(OnTuning, frozen=True):
    """Set gains to each of some settings in turn, measure floor and channel at each, and set them back.

    settings : gains to change; an empty one measures with the gains as they are.
    middle_hz : of the channel, from the slice's middle, as the receiver counts: a sideband lies beside its carrier.
    dwell_s : how long is measured at each. with_span : the whole span's spectrum is wanted too.
    bins : of that spectrum.
    with_products : what the receiver makes of strong signals is wanted too, which costs some transforms.
    """

    settings: Annotated[tuple[GainsDb, ...], msgspec.Meta(max_length=MAX_SWEPT)]
    width_hz: WidthHz
    middle_hz: Hertz = 0.0
    dwell_s: DwellS = 0.15
    with_span: bool = False
    with_products: bool = False
    bins: BinCount = 4096


Command = (
    Start | Stop | SetSafeguards | Tune | Show | Measure | Follow | Cancel | Hear | SendChannel | Clean | RecordSamples
    | Sweep | Quit
)  # fmt: skip
