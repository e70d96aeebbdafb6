"""What the session asks of the engine, and what the engine reports. Frozen, so that they can cross processes."""

from typing import TYPE_CHECKING, Any, Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import Ask, Got
from yarddial.yard.ways import Settings

if TYPE_CHECKING:
    # The estimator itself is needed in the engine's process only.
    from yarddial.dsp.carrier import Carrier


# Bins of the span's line put together to one.
TOGETHER = 4
NO_SPAN: NDArray[np.float32] = np.empty(0, np.float32)


class Start(msgspec.Struct, frozen=True):
    """Open the device and stream."""

    address: str


class Stop(msgspec.Struct, frozen=True):
    """Stop streaming and give the device back."""


class Look(msgspec.Struct, frozen=True):
    """Tune, and cut the slice look_hz +- half_width_hz out of the stream (shown frequency, as the receiver counts).

    A newer `id` makes everything older stale.
    """

    id: int
    ask: Ask
    look_hz: float
    half_width_hz: float


class Show(msgspec.Struct, frozen=True):
    """Draw half_span_hz around the place looked at, in `rows` rows, one column each `column_s`."""

    id: int
    half_span_hz: float
    rows: int
    column_s: float


class Measure(msgspec.Struct, frozen=True):
    """Measure what stands within +-within_hz of the place looked at, over seconds_s at most.

    wanted_hz : the doubt at which it is enough; 0 to use all of the time.
    kind : a carrier, or the middle of an FM signal.
    """

    id: int
    seconds_s: float
    within_hz: float
    wanted_hz: float = 0.0
    kind: Literal["carrier", "nfm", "wfm"] = "carrier"


class Follow(msgspec.Struct, frozen=True):
    """Measure the line near follow_hz, as the receiver counts, every so often from now on; never, for every_s of 0."""

    id: int
    follow_hz: float
    within_hz: float
    every_s: float = 0.0


class CancelMeasure(msgspec.Struct, frozen=True):
    """Forget the measurement under way."""


class Hear(msgspec.Struct, frozen=True):
    """Make a channel audible: hear_hz as the receiver counts; None for silence. A newer `id` makes sounds stale."""

    id: int
    hear_hz: float
    settings: Settings | None


class CleanUp(msgspec.Struct, frozen=True):
    """What is done to the samples before everything else: spike and mirrors taken out, the two halves exchanged."""

    spike: bool = False
    mirrors: bool = False
    swap: bool = False


# Gain stages by name, each with its gain in dB.
GainsDb = tuple[tuple[str, float], ...]


class KeepSamples(msgspec.Struct, frozen=True):
    """Write what comes in, untouched, into a SigMF recording from now on; ends by itself when the receiver is retuned.

    centre_hz : of the dial. bits : of the receiver. turned : the dial runs the other way, and so shall the recording.
    about : see `records.recordings.write_sigmf`.
    """

    path: str
    centre_hz: float
    bits: int
    turned: bool
    about: dict[str, Any]


class StopKeeping(msgspec.Struct, frozen=True):
    """End the recording under way; it is whole then."""


class Sweep(msgspec.Struct, frozen=True):
    """Set gains to each of some settings in turn, measure floor and channel at each, and set them back.

    settings : gains to change; an empty one measures with the gains as they are.
    middle_hz : of the channel, from the place looked at, as the receiver counts: a sideband lies beside its carrier.
    dwell_s : how long is measured at each. with_span : the whole span's spectrum is wanted too.
    with_products : what the receiver makes of strong signals is wanted too, which costs some transforms.
    """

    id: int
    settings: tuple[GainsDb, ...]
    width_hz: float
    middle_hz: float = 0.0
    dwell_s: float = 0.15
    with_span: bool = False
    with_products: bool = False


class CancelSweep(msgspec.Struct, frozen=True):
    """End the sweep under way; the gain is set back."""


class Noticed(msgspec.Struct, frozen=True):
    """Samples lost since the stream began, what the receiver has to say in a sentence, and pictures just left out."""

    lost: int
    remark: str = ""
    pictures_left_out: int = 0


class Quit(msgspec.Struct, frozen=True):
    """End the process."""


Command = (
    Start
    | Stop
    | Look
    | Show
    | Measure
    | Follow
    | CancelMeasure
    | Hear
    | CleanUp
    | KeepSamples
    | StopKeeping
    | Sweep
    | CancelSweep
    | Quit
)


class Started(msgspec.Struct, frozen=True):
    """The device is open and streams."""

    name: str
    is_live: bool


class Stopped(msgspec.Struct, frozen=True):
    """The stream ended; `reason` is empty when it was asked for. `process_ends`: the driver hangs, and goes with it."""

    reason: str = ""
    process_ends: bool = False


class Looking(msgspec.Struct, frozen=True):
    """The receiver is tuned; `got` is what it was really set to."""

    id: int
    got: Got
    slice_rate_hz: float


class Refused(msgspec.Struct, frozen=True):
    """The receiver cannot do what `Look` asked; it stays as it was."""

    id: int
    sentence: str


class Columns(msgspec.Struct, frozen=True):
    """New columns of the picture: power in dB relative to full scale, shape (columns, rows), low frequency first.

    read_s : this computer's monotonic time at which the last of their samples were read.
    """

    id: int
    first: int
    half_span_hz: float
    column_s: float
    level_db: NDArray[np.float32]
    read_s: float = 0.0


class SpanLine(msgspec.Struct, frozen=True):
    """The whole span over the last moments: strongest of each few bins, dB relative to full scale, low end first.

    centre_hz, rate_hz : as the receiver counts. spike_db : of what stands still at the centre.
    """

    centre_hz: float
    rate_hz: float
    mean_db: NDArray[np.float32]
    peak_db: NDArray[np.float32]
    spike_db: float


class Sound(msgspec.Struct, frozen=True):
    """Sound of the channel heard, float32 at rate_hz, and how the channel stands.

    level_dbfs : power in the channel. pilot_db : of the stereo pilot over the multiplex beside it, in wide FM.
    """

    id: int
    rate_hz: float
    samples: NDArray[np.float32]
    level_dbfs: float
    is_open: bool
    pilot_db: float | None = None


class CleanedUp(msgspec.Struct, frozen=True):
    """Evidence: spike in dB of full scale and mirrors in dB down, before and after; None for what is not known.

    why_not : why the mirrors cannot be told.
    """

    spike_before_dbfs: float | None = None
    spike_after_dbfs: float | None = None
    mirrors_before_db: float | None = None
    mirrors_after_db: float | None = None
    why_not: str = ""


class Kept(msgspec.Struct, frozen=True):
    """A recording under way, or at its end: its length, and why it ended other than by being asked to."""

    path: str
    seconds_s: float
    is_done: bool = False
    trouble: str = ""


class SweepPoint(msgspec.Struct, frozen=True):
    """One step of a sweep: noise beside the channel, the channel's power and width, samples at full scale.

    total_dbfs : power of the whole span. strongest_hz, strongest_dbfs : its strongest line, from the centre.
    products_dbfs : what the receiver itself makes in the channel of strong signals in the span, see `dsp.products`.
    span : power density by bin over the whole span, full scale squared a hertz, low end first; empty if not wanted.
    """

    id: int
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


class SweepDone(msgspec.Struct, frozen=True):
    """The sweep has ended; `reason` is why before its end, empty otherwise."""

    id: int
    reason: str = ""


class Progress(msgspec.Struct, frozen=True):
    """A measurement under way: the doubt so far, infinite while nothing stands out; how long it will take in all."""

    id: int
    fraction: float
    sigma_hz: float
    needed_s: float = 0.0


class Measured(msgspec.Struct, frozen=True):
    """A measurement done: frequency relative to the place looked at."""

    id: int
    carrier: "Carrier"


class Followed(msgspec.Struct, frozen=True):
    """The followed line, relative to where it was sought; None where nothing stands out."""

    id: int
    carrier: "Carrier | None"


class NotMeasured(msgspec.Struct, frozen=True):
    """A measurement that found nothing, and why."""

    id: int
    sentence: str


Event = (
    Started
    | Stopped
    | Looking
    | Refused
    | Columns
    | Progress
    | Measured
    | Followed
    | Sound
    | CleanedUp
    | Kept
    | SweepPoint
    | SweepDone
    | NotMeasured
    | Noticed
    | SpanLine
)
