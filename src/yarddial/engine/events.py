"""Events from the engine. Frozen, so that they can cross processes; answers carry the numbers of their requests."""

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
    # Only the engine's process needs the estimator itself.
    from yarddial.dsp.carrier import Carrier


# Bins of the span's spectrum combined into one point.
BINS_A_POINT = 4
NO_SPAN: NDArray[np.float32] = np.empty(0, np.float32)


class Alive(msgspec.Struct, frozen=True):
    """The process is alive. `doing` : its present call of the driver; empty outside of one.

    still_s : time in that call without computing anything. lasts_s : total time in it.
    """

    doing: Literal["", "opening", "applying", "reading", "closing"] = ""
    still_s: float = 0.0
    lasts_s: float = 0.0


class Started(msgspec.Struct, frozen=True):
    """The device is open and streams."""

    name: str
    is_live: bool


class Stopped(msgspec.Struct, frozen=True):
    """The stream ended; `reason` is empty when that was requested.

    process_ends : the driver hangs, and is killed with its process. replaced : another device is being opened instead.
    error : class name of the error that ended it.
    """

    reason: str = ""
    process_ends: bool = False
    replaced: bool = False
    error: str = ""


class SafeguardsSet(msgspec.Struct, frozen=True):
    """Safeguards in force, as the driver acknowledged.

    holds : states in force. Without an open receiver nothing is received, so everything requested holds.
    why_not : why a requested state is not in force; empty where all are.
    feeds_now : whether the present port feeds current to the line. tuning : the tuning under the safeguards.
    """

    id: int
    holds: Safeguards
    why_not: str = ""
    feeds_now: bool = False
    tuning: Tuning | None = None


class Failed(msgspec.Struct, frozen=True):
    """An internal fault of the engine, with its traceback; the end of the stream follows."""

    what: str
    details: str


class Noticed(msgspec.Struct, frozen=True):
    """Losses since the start, remarks of the receiver, and pictures just left out.

    lost : samples lost by the receiver or its link. missed : samples lost because this computer was too busy.
    """

    lost: int
    remark: str = ""
    pictures_left_out: int = 0
    missed: int = 0


class SpectrogramColumns(msgspec.Struct, frozen=True):
    """New spectrogram columns: power in dB relative to full scale, shape (columns, rows), low frequency first.

    id : of their `Show`. tuning : id of the tuning on which they were received.
    read_s : this computer's monotonic time when their last samples were read.
    """

    id: int
    first: int
    half_span_hz: float
    column_s: float
    level_db: NDArray[np.float32]
    read_s: float = 0.0
    tuning: int = 0


class SpanSpectrum(msgspec.Struct, frozen=True):
    """Spectrum of the whole span: maximum of each few bins, dB relative to full scale, low end first.

    centre_hz, rate_hz : as the receiver counts. spike_db : level of the centre spike.
    tuning : id of the tuning on which it was received.
    """

    centre_hz: float
    rate_hz: float
    mean_db: NDArray[np.float32]
    peak_db: NDArray[np.float32]
    spike_db: float
    tuning: int = 0


class Answer(msgspec.Struct, frozen=True, kw_only=True):
    """Answer to a request, with the numbers of its job and of itself."""

    job: int = 0
    id: int = 0


class JobFailed(Answer, frozen=True):
    """A job's work met an internal fault and has ended; the receiver and all other jobs go on.

    details : the traceback.
    """

    why: str
    details: str


class Tuned(Answer, frozen=True):
    """The receiver is tuned, with the settings it acknowledged."""

    tuning: Tuning


class TuneRefused(Answer, frozen=True):
    """The receiver cannot do what `Tune` asked; it stays as it was, and requests for that tuning are refused."""

    sentence: str


class Sound(Answer, frozen=True):
    """Audio of the channel, float32 at rate_hz, with its levels.

    samples : shape (n,), of wide FM (n, 2): left, right.
    level_dbfs : power in the channel. pilot_db : of the stereo pilot over the multiplex beside it, in wide FM.
    tuning : id of the tuning on which it was received.
    """

    rate_hz: float
    samples: NDArray[np.float32]
    level_dbfs: float
    is_open: bool
    pilot_db: float | None = None
    tuning: int = 0


class ChannelSamples(Answer, frozen=True):
    """Complex samples of one channel at rate_hz; their zero is middle_hz from the tuned frequency.

    factor : decimation of the channel.
    tuning : id of the tuning on which they were received.
    """

    rate_hz: float
    middle_hz: float
    factor: int
    samples: NDArray[np.complex64]
    tuning: int = 0


class CleanedUp(Answer, frozen=True):
    """Evidence of the clean-up: spike in dBFS and mirror rejection in dB, before and after; None where unknown.

    why_not : why the mirrors cannot be measured.
    """

    spike_before_dbfs: float | None = None
    spike_after_dbfs: float | None = None
    mirrors_before_db: float | None = None
    mirrors_after_db: float | None = None
    why_not: str = ""


class RecordingState(Answer, frozen=True):
    """State of a recording: its length, and why it ended unless that was requested.

    far : computer on which it lies, under the name in `path`; empty where that is a path here.
    tuning : on which it was made; None where it never began.
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
    """The sweep has ended; `reason` says why if before its end."""

    reason: str = ""


class Progress(Answer, frozen=True):
    """Progress of a measurement: present uncertainty (infinite without a carrier) and planned duration."""

    fraction: float
    sigma_hz: float
    needed_s: float = 0.0


class Measured(Answer, frozen=True):
    """A finished measurement: frequency relative to the middle of its tuning.

    at_s : streaming time of its last sample by the count of samples, lost ones included.
    """

    carrier: "Carrier"
    tuning: Tuning
    at_s: float = 0.0

    @property
    def counted_hz(self) -> float:
        """Frequency of the carrier as the receiver counts."""
        return self.tuning.middle_hz + self.carrier.frequency_hz


class NotMeasured(Answer, frozen=True):
    """A measurement without a result, and why.

    is_silent : it was completed and nothing stands out; otherwise it was cut short or impossible.
    tuning : on which it was made; None where it never began.
    """

    sentence: str
    is_silent: bool = False
    tuning: Tuning | None = None


class Followed(Answer, frozen=True):
    """The followed carrier relative to where it was sought; None without one.

    tuning : id of the tuning on which it was received.
    """

    carrier: "Carrier | None"
    tuning: int = 0


Event = (
    Alive | Started | Stopped | SafeguardsSet | Failed | JobFailed | Noticed | SpectrogramColumns | SpanSpectrum | Tuned
    | TuneRefused | Sound | ChannelSamples | CleanedUp | RecordingState | SweepPoint | SweepDone | Progress | Measured
    | NotMeasured | Followed
)  # fmt: skip
# Request kind answered by each kind of answer.
ANSWERS: dict[type[Answer], type[Request]] = {
    Tuned: Tune, TuneRefused: Tune, Sound: Hear, ChannelSamples: SendChannel, CleanedUp: Clean,
    RecordingState: RecordSamples, SweepPoint: Sweep, SweepDone: Sweep, Progress: Measure, Measured: Measure,
    NotMeasured: Measure, Followed: Follow,
}  # fmt: skip


def refusal_of(
    request: msgspec.Struct, why: str, tuning: Tuning | None = None
) -> TuneRefused | NotMeasured | SweepDone | RecordingState | None:
    """Answer that refuses a request; None for a command without an answer of its own."""
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
