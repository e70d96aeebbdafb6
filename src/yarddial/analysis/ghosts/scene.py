"""Input of the prediction: strong signals, the path, and the receiver's behaviour."""

from collections.abc import Callable
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.yard.frequency_conversion import Stage
from yarddial.yard.strong import Strong

Floats = NDArray[np.float64]
SpuriousKind = Literal[
    "true", "spike", "mirror", "alias", "leak-through", "harmonic mixing", "crystal", "oscillator", "second order",
    "third order", "higher order", "zone", "tuner image", "half-IF", "sideband", "converter",
]  # fmt: skip


class ReceiverModel(msgspec.Struct, frozen=True):
    """What a receiver makes besides what it receives; None for what its data do not tell, which is not predicted then.

    iip2_dbm, iip3_dbm, iip4_dbm, iip5_dbm : intercepts at its socket, at the gain set.
    mirror_db : rejection of the mirror. harmonic_db : how far mixing with three times its oscillator is down.
    even_db, fifth_db : with twice and five times; four times is 6 dB further down than twice.
    if_hz : a tuner's intermediate frequency, its oscillator above; 0 for none. image_db : how far its image is down.
    half_if_dbm : second-order intercept of its half-IF response.
    reference_hz, reference_db : sidebands of its oscillator, so far away and so far down.
    phase_noise_dbc_hz : of its oscillator 100 kHz away.
    third_dbm : intercept of its converter's own third harmonic. quarter_dbm : of the converter's spurs a quarter of the
        rate from the centre.
    crystal_hz, crystal_dbm : its crystal, and the level at which that one's harmonics appear, at the socket.
    spike_dbm : of the spike at the centre.
    pass_share, stop_share, stop_db : the filter before sampling: flat up to a share of the rate, down by so much
        from another on; in between it falls with the square of the way.
    folds_share : what lies further from the centre than this share of the rate is not folded in.
    direct_clock_hz : of a receiver that samples directly, without a tuner; 0 for a tuner.
    ppm, entered_ppm : true error of its crystal, and the correction entered.
    """

    iip2_dbm: float | None = None
    iip3_dbm: float | None = None
    iip4_dbm: float | None = None
    iip5_dbm: float | None = None
    mirror_db: float | None = None
    harmonic_db: float | None = None
    even_db: float | None = None
    fifth_db: float | None = None
    if_hz: float = 0.0
    image_db: float | None = None
    half_if_dbm: float | None = None
    reference_hz: float = 0.0
    reference_db: float | None = None
    phase_noise_dbc_hz: float | None = None
    third_dbm: float | None = None
    quarter_dbm: float | None = None
    crystal_hz: float = 0.0
    crystal_dbm: float | None = None
    spike_dbm: float | None = None
    pass_share: float = 0.41
    stop_share: float = 0.59
    stop_db: float = 60.0
    folds_share: float = 0.94
    direct_clock_hz: float = 0.0
    ppm: float = 0.0
    entered_ppm: float = 0.0

    @property
    def mixes(self) -> dict[int, float]:
        """Multiples of its oscillator with which it also mixes, and their suppression."""
        fourth_db = None if self.even_db is None else self.even_db + 6.0
        down = {2: self.even_db, 3: self.harmonic_db, 4: fourth_db, 5: self.fifth_db}
        return {times: db for times, db in down.items() if db is not None}

    def filtered_db(self, away_share: Floats) -> Floats:
        """Attenuation of the anti-alias filter at a distance from the centre, as a share of the rate: 0 or less."""
        share = np.clip((np.abs(away_share) - self.pass_share) / (self.stop_share - self.pass_share), 0.0, 1.0)
        return -self.stop_db * share**2


class Scene(msgspec.Struct, frozen=True):
    """A path with its true oscillators, what stands before the socket, the receiver, and the strong signals.

    gain_db : of the path at a frequency at the socket, from the antenna; None for none.
    isolation_db : how far a signal is down that passes all converters unconverted; None where that is not known.
    lo_leak_dbm : of each converter's own oscillator at the socket; None where that is not known.
    """

    strong: tuple[Strong, ...]
    stages: tuple[Stage, ...] = ()
    receiver: ReceiverModel = ReceiverModel()
    gain_db: Callable[[Floats], Floats] | None = None
    isolation_db: float | None = None
    lo_leak_dbm: float | None = None


class Ghost(msgspec.Struct, frozen=True):
    """Something that will be seen: where on the dial, how strong at the socket, and how it comes about.

    moves : hertz of dial that it moves for each hertz that the centre moves; a true signal stays, 0.
    falls : decibels that it falls for each decibel of attenuation at the antenna; a true signal 1.
    moves_rate : hertz of dial for each hertz that the sample rate grows.
    sources : names of what it is made of; formula : in standard symbols. width_hz : that it takes up.
    """

    dial_hz: float
    level_dbm: float
    kind: SpuriousKind
    sources: tuple[str, ...]
    formula: str
    moves: float = 0.0
    falls: float = 1.0
    moves_rate: float = 0.0
    counted_hz: float = 0.0
    width_hz: float = 0.0
