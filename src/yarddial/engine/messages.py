"""What the session asks of the engine, and what the engine reports. Frozen, so that they can cross processes.

Whatever is asked for a job carries the job's number, and a number of its own; so does every answer to it.
"""

from typing import TYPE_CHECKING, Any, Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import ActualSettings, RequestedSettings
from yarddial.yard.demodulation import Settings
from yarddial.yard.level import GainsDb

if TYPE_CHECKING:
    # The estimator itself is needed in the engine's process only.
    from yarddial.dsp.carrier import Carrier


# Bins of the span's line put together to one.
TOGETHER = 4
NO_SPAN: NDArray[np.float32] = np.empty(0, np.float32)


class Start(msgspec.Struct, frozen=True):
    """Open the device and stream.

    feeds : ports that a person allowed to feed current to the line; no other is ever told to.
    """

    address: str
    feeds: frozenset[str] = frozenset()


class Stop(msgspec.Struct, frozen=True):
    """Stop streaming and give the device back."""


class Quit(msgspec.Struct, frozen=True):
    """End the process."""


class Show(msgspec.Struct, frozen=True):
    """Draw half_span_hz around the place looked at, in `rows` rows, one column each `column_s`."""

    id: int
    half_span_hz: float
    rows: int
    column_s: float


class Cancel(msgspec.Struct, frozen=True):
    """End all that is under way for a job; what was changed for it is set back, what was recorded is made whole."""

    job: int


class Request(msgspec.Struct, frozen=True, kw_only=True):
    """Something asked for a job (0: for nobody, where the dial stands); a newer one of its kind takes its place."""

    job: int = 0
    id: int = 0


class Tune(Request, frozen=True):
    """Set the receiver, and cut the slice look_hz +- half_width_hz, as the receiver counts, out of its stream."""

    ask: RequestedSettings
    look_hz: float
    half_width_hz: float


class Measure(Request, frozen=True):
    """Measure what stands within +-within_hz of the place looked at, over seconds_s at most.

    wanted_hz : the uncertainty at which it is enough; 0 to use all of the time.
    kind : a carrier, or the middle of an FM signal.
    expected_hz, expected_sigma_hz : where it should stand by what is known of the oscillators and of the station's own
        habits, from the place looked at: of two carriers on one channel the one that fits is taken.
    """

    seconds_s: float
    within_hz: float
    wanted_hz: float = 0.0
    kind: Literal["carrier", "nfm", "wfm"] = "carrier"
    expected_hz: float = 0.0
    expected_sigma_hz: float = float("inf")


class Follow(Request, frozen=True):
    """Measure the line near follow_hz, as the receiver counts, every so often from now on."""

    follow_hz: float
    within_hz: float
    every_s: float


class Hear(Request, frozen=True):
    """Make a channel audible: hear_hz as the receiver counts."""

    hear_hz: float
    settings: Settings


class SendChannel(Request, frozen=True):
    """Hand over a channel's own samples, to be heard elsewhere: hear_hz as the receiver counts."""

    hear_hz: float
    settings: Settings


class CleanUp(msgspec.Struct, frozen=True):
    """What is done to the samples before everything else: spike and mirrors taken out, the two halves exchanged."""

    spike: bool = False
    mirrors: bool = False
    swap: bool = False


class Clean(Request, frozen=True):
    """Do this to the samples from now on."""

    wanted: CleanUp


class RecordSamples(Request, frozen=True):
    """Write what comes in, untouched, into a SigMF recording from now on; ends by itself when the receiver is retuned.

    centre_hz : of the dial. bits : of the receiver. turned : the dial runs the other way, and so shall the recording.
    about : see `records.recordings.write_sigmf`.
    """

    path: str
    centre_hz: float
    bits: int
    turned: bool
    about: dict[str, Any]


class Sweep(Request, frozen=True):
    """Set gains to each of some settings in turn, measure floor and channel at each, and set them back.

    settings : gains to change; an empty one measures with the gains as they are.
    middle_hz : of the channel, from the place looked at, as the receiver counts: a sideband lies beside its carrier.
    dwell_s : how long is measured at each. with_span : the whole span's spectrum is wanted too.
    bins : of that spectrum.
    with_products : what the receiver makes of strong signals is wanted too, which costs some transforms.
    """

    settings: tuple[GainsDb, ...]
    width_hz: float
    middle_hz: float = 0.0
    dwell_s: float = 0.15
    with_span: bool = False
    with_products: bool = False
    bins: int = 4096


Command = (
    Start | Stop | Tune | Show | Measure | Follow | Cancel | Hear | SendChannel | Clean | RecordSamples | Sweep | Quit
)  # fmt: skip


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

    id : of the `Show` that they belong to.
    read_s : this computer's monotonic time at which the last of their samples were read.
    """

    id: int
    first: int
    half_span_hz: float
    column_s: float
    level_db: NDArray[np.float32]
    read_s: float = 0.0


class SpanSpectrum(msgspec.Struct, frozen=True):
    """The whole span over the last moments: strongest of each few bins, dB relative to full scale, low end first.

    centre_hz, rate_hz : as the receiver counts. spike_db : of what stands still at the centre.
    """

    centre_hz: float
    rate_hz: float
    mean_db: NDArray[np.float32]
    peak_db: NDArray[np.float32]
    spike_db: float


class Answer(msgspec.Struct, frozen=True, kw_only=True):
    """What came of a request: the numbers of its job and of itself."""

    job: int = 0
    id: int = 0


class Tuned(Answer, frozen=True):
    """The receiver is tuned; `got` is what it was really set to."""

    got: ActualSettings
    slice_rate_hz: float


class TuneRefused(Answer, frozen=True):
    """The receiver cannot do what `Tune` asked; it stays as it was."""

    sentence: str


class Sound(Answer, frozen=True):
    """Sound of the channel heard, float32 at rate_hz, and how the channel stands.

    samples : shape (n,), of wide FM (n, 2): left, right.
    level_dbfs : power in the channel. pilot_db : of the stereo pilot over the multiplex beside it, in wide FM.
    """

    rate_hz: float
    samples: NDArray[np.float32]
    level_dbfs: float
    is_open: bool
    pilot_db: float | None = None


class ChannelSamples(Answer, frozen=True):
    """A channel's own samples, complex at rate_hz, whose zero lies middle_hz from the place that is heard.

    factor : how often the rate goes into that of the channel before it was thinned out.
    """

    rate_hz: float
    middle_hz: float
    factor: int
    samples: NDArray[np.complex64]


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
    """

    path: str
    seconds_s: float
    is_done: bool = False
    trouble: str = ""
    far: str = ""


class SweepPoint(Answer, frozen=True):
    """One step of a sweep: noise beside the channel, the channel's power and width, samples at full scale.

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


class SweepDone(Answer, frozen=True):
    """The sweep has ended; `reason` is why before its end, empty otherwise."""

    reason: str = ""


class Progress(Answer, frozen=True):
    """A measurement under way: the uncertainty so far, infinite while nothing stands out; how long it takes in all."""

    fraction: float
    sigma_hz: float
    needed_s: float = 0.0


class Measured(Answer, frozen=True):
    """A measurement done: frequency relative to the place looked at."""

    carrier: "Carrier"


class NotMeasured(Answer, frozen=True):
    """A measurement that found nothing, and why.

    is_silent : it was made to its end, and nothing stands out; otherwise it was cut, or could not be made.
    """

    sentence: str
    is_silent: bool = False


class Followed(Answer, frozen=True):
    """The followed line, relative to where it was sought; None where nothing stands out."""

    carrier: "Carrier | None"


Event = (
    Alive | Started | Stopped | Failed | Noticed | SpectrogramColumns | SpanSpectrum | Tuned | TuneRefused | Sound
    | ChannelSamples | CleanedUp | RecordingState | SweepPoint | SweepDone | Progress | Measured | NotMeasured
    | Followed
)  # fmt: skip
# What each kind of answer answers.
ANSWERS: dict[type[Answer], type[Request]] = {
    Tuned: Tune, TuneRefused: Tune, Sound: Hear, ChannelSamples: SendChannel, CleanedUp: Clean,
    RecordingState: RecordSamples, SweepPoint: Sweep, SweepDone: Sweep, Progress: Measure, Measured: Measure,
    NotMeasured: Measure, Followed: Follow,
}  # fmt: skip
