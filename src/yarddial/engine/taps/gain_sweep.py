"""Tap that sweeps gain settings of the running receiver: floor, channel and clipped samples at each."""

from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.products import clipping_in_channel, products_in_channel
from yarddial.dsp.pulses import mains_pulses
from yarddial.dsp.spectra import power_density
from yarddial.engine.commands import Sweep
from yarddial.engine.events import NO_SPAN, Event, SweepDone, SweepPoint
from yarddial.engine.taps.tap import NO_RESTS, EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning
from yarddial.yard.level import GainsDb

Complex = NDArray[np.complex64]
FFT_POINTS = 4096
# Samples already in transit when the gain was set.
SETTLES_S = 0.05
# Estimate the floor this far beside the channel, and leave out the centre spike.
BESIDE_HZ, CENTRE_HZ = 150e3, 2_000.0
CLIPPED_LEVEL = 0.985


class GainSweep:
    """Measure one setting after the other; `set_gains` sets the receiver, and without an argument restores it.

    It returns the tuning with the acknowledged gains, which are reported instead of the requested ones.
    """

    survives = NO_RESTS

    def __init__(
        self, asked: Sweep, tuning: Tuning, set_gains: Callable[[GainsDb], Tuning], report: Callable[[Event], None]
    ) -> None:
        """Start a sweep; raises what `set_gains` raises."""
        self.job, self.asked, self._rate_hz = asked.job, asked, tuning.rate_hz
        self._offset_hz = tuning.middle_hz + asked.middle_hz - tuning.centre_hz
        self._set_gains, self._report, self._tuning = set_gains, report, tuning
        self._at = 0
        self._skipped = self._have = 0
        self._parts: list[Complex] = []
        # Samples of the last unclipped setting, its total gain, its products.
        self._clear: tuple[Complex, float, float] | None = None
        self._set(asked.settings[0])

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Do nothing: a sweep ends with its stream."""

    def push(self, piece: Piece) -> bool:
        """Take a block; True after the last setting, with the gains restored. Raises what setting them raises."""
        samples = piece.raw
        wait = int(SETTLES_S * self._rate_hz) - self._skipped
        self._skipped += min(wait, samples.size)
        samples = samples[wait:] if wait > 0 else samples
        if samples.size:
            self._parts.append(samples)
            self._have += samples.size
        if self._have < self.asked.dwell_s * self._rate_hz:
            return False
        self._report(self._measured(np.concatenate(self._parts)))
        self._at += 1
        self._skipped = self._have = 0
        self._parts = []
        if self._at < len(self.asked.settings):
            self._set(self.asked.settings[self._at])
            return False
        self._end("")
        return True

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """Restore the gains unless the receiver was set otherwise; reported measurements stay."""
        match cause:
            case "retuned":
                self._report(SweepDone("the receiver was set differently meanwhile", job=self.job, id=self.asked.id))
            case "stopped" | "ended":
                self._report(SweepDone("the receiver stopped", job=self.job, id=self.asked.id))
            case _:
                self._end("cancelled")

    def _set(self, gains_db: GainsDb) -> None:
        if gains_db:
            self._tuning = self._set_gains(gains_db)

    def _end(self, reason: str) -> None:
        if any(self.asked.settings):
            self._set_gains(())
        self._report(SweepDone(reason, job=self.job, id=self.asked.id))

    def _measured(self, samples: Complex) -> SweepPoint:
        point = measure(samples, self._rate_hz, self._offset_hz, self.asked.width_hz)
        if self.asked.with_span and self.asked.bins != FFT_POINTS:
            _, density = power_density(samples, self._rate_hz, self.asked.bins)
            point = msgspec.structs.replace(point, span=density.astype(np.float32))
        products = self._products(samples, point) if self.asked.with_products else 0.0
        return SweepPoint(
            gains_db=self._gains_db,
            floor_dbfs_hz=point.floor_dbfs_hz,
            channel_dbfs=point.channel_dbfs,
            width_hz=point.width_hz,
            clipped_share=point.clipped_share,
            fraction=(self._at + 1) / len(self.asked.settings),
            total_dbfs=point.total_dbfs,
            strongest_hz=point.strongest_hz,
            strongest_dbfs=point.strongest_dbfs,
            products_dbfs=_db(products),
            span=point.span if self.asked.with_span else NO_SPAN,
            pulses=mains_pulses(samples, self._rate_hz) if self.asked.with_span else (0.0, 0.0),
            tuning=self._tuning,
            job=self.job,
            id=self.asked.id,
        )

    @property
    def _gains_db(self) -> GainsDb:
        """Acknowledged gains of the stages that this setting changes."""
        return self._tuning.gains_among(self.asked.settings[self._at])

    def _products(self, samples: Complex, weighed: "Weighed") -> float:
        """Measure products on unclipped samples; otherwise predict them from the last unclipped ones."""
        products = products_in_channel(samples, self._rate_hz, self._offset_hz, weighed.width_hz)
        gain_db = sum(gain for _, gain in self._gains_db)
        if not weighed.clipped_share:
            self._clear = (samples, gain_db, products)
        elif self._clear is not None:
            clear, clear_db, clear_products = self._clear
            more_db = gain_db - clear_db
            # Clipping resembles a cubic, but a cubic grows by at most three decibels per decibel.
            products = min(products, clear_products * 10 ** (3 * more_db / 10))
            products += clipping_in_channel(clear, more_db, self._rate_hz, self._offset_hz, weighed.width_hz)
        return products


class Weighed(msgspec.Struct, frozen=True):
    """Result of `measure`; the fields of `SweepPoint`."""

    floor_dbfs_hz: float
    channel_dbfs: float
    width_hz: float
    clipped_share: float
    total_dbfs: float
    strongest_hz: float
    strongest_dbfs: float
    span: NDArray[np.float32]


def measure(samples: Complex, rate_hz: float, offset_hz: float, width_hz: float) -> Weighed:
    """Measure a channel and the floor beside it.

    samples : shape (n,), full scale 1; n >= 4096. offset_hz, width_hz : of the channel, from the centre.
    """
    hertz, density = power_density(samples, rate_hz, FFT_POINTS)
    bin_hz, half_hz = rate_hz / FFT_POINTS, max(width_hz / 2, rate_hz / FFT_POINTS)
    away = np.abs(hertz - offset_hz)
    clear = (np.abs(hertz) > CENTRE_HZ) & (np.abs(hertz) < 0.42 * rate_hz)
    beside = clear & (away > half_hz + 4 * bin_hz) & (away < half_hz + BESIDE_HZ)
    floor = float(np.median(density[beside])) if beside.any() else float(np.median(density))
    floor /= median_of_averages(samples.size)
    # Bins at the edges count by their share inside the channel, so that noise alone gives floor times width.
    inside = np.clip((half_hz - away) / bin_hz + 0.5, 0.0, 1.0)
    channel = float((density * inside).sum() * bin_hz)
    at = int(np.argmax(np.where(clear, density, 0.0)))
    # A line spreads over three Hann bins.
    strongest = float(density[max(at - 1, 0) : at + 2].sum() * bin_hz)
    return Weighed(
        _db(floor),
        _db(channel),
        2 * half_hz,
        float(np.mean(np.abs(samples.view(np.float32)) > CLIPPED_LEVEL)),
        _db(float(np.mean(np.abs(samples) ** 2))),
        float(hertz[at]),
        _db(strongest),
        density.astype(np.float32),
    )


def median_of_averages(count: int) -> float:
    """Median over mean of an averaged power in one bin: a gamma variable's, by Wilson and Hilferty's cube [1]_.

    Hann windows that overlap by half count as so many independent ones: 1 / (1 + 2 / 36) of their number [2]_.

    References
    ----------
    .. [1] Wilson & Hilferty, Proc. Nat. Acad. Sci. 17 (1931) 684-688.
    .. [2] P. D. Welch, IEEE Trans. Audio Electroacoustics AU-15 (1967) 70-73, eq. (12).
    """
    step = FFT_POINTS // 2
    averages = max((count - FFT_POINTS) // step + 1, 1) / (1 + 2 / 36)
    return float((1 - 1 / (9 * averages)) ** 3)


def _db(power: float) -> float:
    return 10 * float(np.log10(max(power, 1e-20)))
