"""What the session asks of the engine, and what the engine reports. Frozen, so that they can cross processes."""

from typing import TYPE_CHECKING

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import Ask, Got
from yarddial.yard.ways import Settings

if TYPE_CHECKING:
    # The estimator itself is needed in the engine's process only.
    from yarddial.dsp.carrier import Carrier


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
    """Estimate the carrier within +-within_hz of the place looked at, over seconds_s."""

    id: int
    seconds_s: float
    within_hz: float


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


class Sweep(msgspec.Struct, frozen=True):
    """Set a gain stage to each of some steps in turn, measure floor and channel, and set it back.

    middle_hz : of the channel, from the place looked at, as the receiver counts: a sideband lies beside its carrier.
    """

    id: int
    stage: str
    steps_db: tuple[float, ...]
    width_hz: float
    middle_hz: float = 0.0


class CancelSweep(msgspec.Struct, frozen=True):
    """End the sweep under way; the gain is set back."""


class Noticed(msgspec.Struct, frozen=True):
    """Samples lost since the stream began, what the receiver has to say in a sentence, and pictures just left out."""

    lost: int
    remark: str = ""
    pictures_left_out: int = 0


class Quit(msgspec.Struct, frozen=True):
    """End the process."""


Command = Start | Stop | Look | Show | Measure | CancelMeasure | Hear | CleanUp | Sweep | CancelSweep | Quit


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


class SweepPoint(msgspec.Struct, frozen=True):
    """One step of a sweep: noise beside the channel, the channel's power and width, samples at full scale."""

    id: int
    gain_db: float
    floor_dbfs_hz: float
    channel_dbfs: float
    width_hz: float
    clipped_share: float
    fraction: float


class SweepDone(msgspec.Struct, frozen=True):
    """The sweep has ended; `reason` is why before its end, empty otherwise."""

    id: int
    reason: str = ""


class Progress(msgspec.Struct, frozen=True):
    """A measurement under way: the doubt so far, infinite while nothing stands out."""

    id: int
    fraction: float
    sigma_hz: float


class Measured(msgspec.Struct, frozen=True):
    """A measurement done: frequency relative to the place looked at."""

    id: int
    carrier: "Carrier"


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
    | Sound
    | CleanedUp
    | SweepPoint
    | SweepDone
    | NotMeasured
    | Noticed
    | SpanLine
)
