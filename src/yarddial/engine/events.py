"""What the engine reports. Frozen, so that it can cross processes; answers carry the numbers of what they answer."""

from typing import TYPE_CHECKING, Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.engine.commands import (
    Clean,
    Follow,
    Hear,
    Measure,
    RecordSamples,
    Request,
    SendChannel,
    Sweep,
    Tune,
)
from yarddial.engine.tuning import Safeguards, Tuning
from yarddial.yard.level import GainsDb

if TYPE_CHECKING:
    # The estimator itself is needed in the engine's process only.
    from yarddial.dsp.carrier import Carrier


# Bins of the span's line put together to one.
BINS_A_POINT = 4
NO_SPAN: NDArray[np.float32] = np.empty(0, np.float32)


class Alive(msgspec.Struct, frozen=True):
    """The process lives. `doing` : the call of the driver that it is in, empty outside of one.

    still_s : for how long it has been in that call without computing anything. lasts_s : for how long in all.
    """

    doing: Literal["", "opening", "applying", "reading", "closing"] = ""
    still_s: float = 0.0
    lasts_s: float = 0.0


class Started(msgspec.Struct, frozen=True):
    """The device is open and streams."""

    name: str
    is_live: bool


class Stopped(msgspec.Struct, frozen=True):
    """The stream ended; `reason` is empty when it was asked for.

    process_ends : the driver hangs, and goes with it. replaced : another device is being opened in its place.
    error : the kind of error that it ended with, by its class's name.
    """

    reason: str = ""
    process_ends: bool = False
    replaced: bool = False
    error: str = ""


class SafeguardsSet(msgspec.Struct, frozen=True):
    """What holds now, as the driver acknowledged it.

    holds : the states in force. While no receiver is open nothing is received, and all that was asked for holds.
    why_not : why a state that was asked for is not in force; empty where all are.
    feeds_now : whether the port in use feeds current to the line. tuning : as it is under these states.
    """

    id: int
    holds: Safeguards
    why_not: str = ""
    feeds_now: bool = False
    tuning: Tuning | None = None


class Failed(msgspec.Struct, frozen=True):
    """A fault of the engine itself, with its traceback; the end of the stream follows."""

    what: str
    details: str


class Noticed(msgspec.Struct, frozen=True):
    """What the stream has lost since it began, what the receiver has to say in a sentence, and pictures just left out.

    lost : samples that the receiver or its link lost. missed : those that came while this computer was too busy.
    """

    lost: int
    remark: str = ""
    pictures_left_out: int = 0
    missed: int = 0


class SpectrogramColumns(msgspec.Struct, frozen=True):
    """New columns of the picture: power in dB relative to full scale, shape (columns, rows), low frequency first.

    id : of the `Show` that they belong to. tuning : id of the tuning that they were received on.
    read_s : this computer's monotonic time at which the last of their samples were read.
    """

    id: int
    first: int
    half_span_hz: float
    column_s: float
    level_db: NDArray[np.float32]
    read_s: float = 0.0
    tuning: int = 0


class SpanSpectrum(msgspec.Struct, frozen=True):
    """The whole span over the last moments: strongest of each few bins, dB relative to full scale, low end first.

    centre_hz, rate_hz : as the receiver counts. spike_db : of what stands still at the centre.
    tuning : id of the tuning that it was received on.
    """

    centre_hz: float
    rate_hz: float
    mean_db: NDArray[np.float32]
    peak_db: NDArray[np.float32]
    spike_db: float
    tuning: int = 0


class Answer(msgspec.Struct, frozen=True, kw_only=True):
    """What came of a request: the numbers of its job and of itself."""

    job: int = 0
    id: int = 0


class Tuned(Answer, frozen=True):
    """The receiver is tuned, with what it acknowledged."""

    tuning: Tuning


class TuneRefused(Answer, frozen=True):
    """The receiver cannot do what `Tune` asked; it stays as it was, and no request for samples finds that tuning."""

    sentence: str


class Sound(Answer, frozen=True):
    """Sound of the channel heard, float32 at rate_hz, and how the channel stands.

    samples : shape (n,), of wide FM (n, 2): left, right.
    level_dbfs : power in the channel. pilot_db : of the stereo pilot over the multiplex beside it, in wide FM.
    tuning : id of the tuning that it was received on.
    """

    rate_hz: float
    samples: NDArray[np.float32]
    level_dbfs: float
    is_open: bool
    pilot_db: float | None = None
    tuning: int = 0


class ChannelSamples(Answer, frozen=True):
    """Complex samples of one channel at rate_hz; their zero lies middle_hz from the tuned place.

    factor : how often the rate goes into that of the channel before it was thinned out.
    tuning : id of the tuning that they were received on.
    """

    rate_hz: float
    middle_hz: float
    factor: int
    samples: NDArray[np.complex64]
    tuning: int = 0


class CleanedUp(Answer, frozen=True):
    """Evidence: spike in dB of full scale and mirrors in dB down, before and after; None for what is not known.

    why_not : why the mirrors cannot be told.
    """

    spike_before_dbfs: float | None = None
    spike_after_dbfs: float | None = None
    mirrors_before_db: float | None = None
    mirrors_after_db: float | None = None
    why_not: str = ""


class RecordingState(Answer, frozen=True):
    """A recording under way, or at its end: its length, and why it ended other than by being asked to.

    far : the computer on which it lies, under the name in `path`; nothing where that is a file's path here.
    tuning : that it was made on; None where it never began.
    """

    path: str
    seconds_s: float
    is_done: bool = False
    trouble: str = ""
    far: str = ""
    tuning: Tuning | None = None


class SweepPoint(Answer, frozen=True, kw_only=True):
    """One step of a sweep: noise beside the channel, the channel's power and width, samples at full scale.

    gains_db : of the stages that were changed, as the driver acknowledged them. tuning : that it was measured on.

    total_dbfs : power of the whole span. strongest_hz, strongest_dbfs : its strongest line, from the centre.
    products_dbfs : what the receiver itself makes in the channel of strong signals in the span, see `dsp.products`.
    span : power density by bin over the whole span, full scale squared a hertz, low end first; empty if not wanted.
    pulses : with it, how far its level swings at 100 and 120 Hz, see `dsp.pulses`.
    """

    gains_db: GainsDb
    floor_dbfs_hz: float
    channel_dbfs: float
    width_hz: float
    clipped_share: float
    fraction: float
    total_dbfs: float = 0.0
    strongest_hz: float = 0.0
    strongest_dbfs: float = -200.0
    products_dbfs: float = -200.0
    span: NDArray[np.float32] = NO_SPAN
    pulses: tuple[float, float] = (0.0, 0.0)
    tuning: Tuning


class SweepDone(Answer, frozen=True):
    """The sweep has ended; `reason` is why before its end, empty otherwise."""

    reason: str = ""


class Progress(Answer, frozen=True):
    """Progress of a measurement: uncertainty so far (infinite without a carrier) and planned duration."""

    fraction: float
    sigma_hz: float
    needed_s: float = 0.0


class Measured(Answer, frozen=True):
    """A measurement done: frequency relative to the middle of the tuning that it rests on.

    at_s : when its last sample came, seconds of streaming by the count of samples, lost ones included.
    """

    carrier: "Carrier"
    tuning: Tuning
    at_s: float = 0.0

    @property
    def counted_hz(self) -> float:
        """The carrier's frequency, as the receiver counts."""
        return self.tuning.middle_hz + self.carrier.frequency_hz


class NotMeasured(Answer, frozen=True):
    """A measurement that found nothing, and why.

    is_silent : it was made to its end, and nothing stands out; otherwise it was cut, or could not be made.
    tuning : that it was made on; None where it never began.
    """

    sentence: str
    is_silent: bool = False
    tuning: Tuning | None = None


class Followed(Answer, frozen=True):
    """The followed carrier relative to where it was sought; None without one.

    tuning : id of the tuning that it was received on.
    """

    carrier: "Carrier | None"
    tuning: int = 0


Event = (
    Alive | Started | Stopped | SafeguardsSet | Failed | Noticed | SpectrogramColumns | SpanSpectrum | Tuned
    | TuneRefused | Sound | ChannelSamples | CleanedUp | RecordingState | SweepPoint | SweepDone | Progress | Measured
    | NotMeasured | Followed
)  # fmt: skip
# What each kind of answer answers.
ANSWERS: dict[type[Answer], type[Request]] = {
    Tuned: Tune, TuneRefused: Tune, Sound: Hear, ChannelSamples: SendChannel, CleanedUp: Clean,
    RecordingState: RecordSamples, SweepPoint: Sweep, SweepDone: Sweep, Progress: Measure, Measured: Measure,
    NotMeasured: Measure, Followed: Follow,
}  # fmt: skip


def refusal_of(
    request: msgspec.Struct, why: str, tuning: Tuning | None = None
) -> TuneRefused | NotMeasured | SweepDone | RecordingState | None:
    """The answer that says why a request is not done; None for a command that ends without an answer of its own."""
    match request:
        case Tune():
            return TuneRefused(why, job=request.job, id=request.id)
        case Measure():
            return NotMeasured(why, tuning=tuning, job=request.job, id=request.id)
        case Sweep():
            return SweepDone(why, job=request.job, id=request.id)
        case RecordSamples():
            return RecordingState("", 0.0, True, why, job=request.job, id=request.id)
        case _:
            return None
