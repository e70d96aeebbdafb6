"""Tap for one measurement: gathers samples until the wanted uncertainty or the time limit is reached."""

from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import MAX_CLIPPED_SHARE, Carrier, OtherLine, clipping_remark, estimate_carrier
from yarddial.dsp.frequency_modulation import estimate_centre
from yarddial.dsp.rival import rival_of
from yarddial.dsp.spectral_line import measure_line
from yarddial.engine.commands import Measure
from yarddial.engine.events import Event, Measured, NotMeasured, Progress
from yarddial.engine.taps.tap import NO_RESTS, EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning
from yarddial.yard.errors import BadSamples, NoCarrier
from yarddial.yard.frequency import format_hertz, format_sigma

# Interval of progress reports, and minimum duration: shorter records show neither drift nor fading.
REPORT_S, MIN_S = 0.5, 4.0
# Another line less than this below the strongest may be the intended one.
RIVAL_DB = 5.0
# Log odds that a line elsewhere must lose to the expected frequency, and how many sigma count as near.
ELSEWHERE_LOG_ODDS, NEAR_SIGMAS = 4.6, 4.0
# Report again after this share of the elapsed time; each report analyses all samples.
REPORT_SHARE = 0.1
# Stop when nothing stands out for this long.
NOTHING_S = 12.0
# When noise would allow stopping but the path does not, check again after this factor in time.
RETRY_FACTOR = 1.4


class Measurement:
    """Takes the slice's samples and the receiver's raw ones; reports progress and, once, its end."""

    survives = NO_RESTS

    def __init__(self, asked: Measure, tuning: Tuning, report: Callable[[Event], None]) -> None:
        self.job, self.asked = asked.job, asked
        self._slice_hz, self._report, self._tuning = tuning.slice_rate_hz, report, tuning
        # The centre spike may be inside the slice; it is known and no carrier.
        self._spike_hz = tuning.centre_hz - tuning.middle_hz
        self._parts: list[NDArray[np.complex64]] = []
        self._have = self._clipped = self._seen = self._lost = 0
        self._at_s = 0.0
        self._still: complex | None = None
        self._moves = False
        self._next_report_s = REPORT_S
        self._next_estimate_s = MIN_S

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Do nothing: a measurement ends with its stream."""

    def push(self, piece: Piece) -> bool:
        """Take a block; True when the measurement has ended."""
        self._watch(piece.raw)
        self._at_s = piece.at_s
        self._lost += piece.lost
        self._parts.append(piece.narrow)
        self._have += piece.narrow.size
        have_s = self._have / self._slice_hz
        if have_s >= self.asked.seconds_s:
            self.finish()
            return True
        if have_s < self._next_report_s:
            return False
        self._next_report_s = have_s + max(REPORT_S, REPORT_SHARE * have_s)
        sigma_hz = self._sigma_so_far()
        needed_s = self._needed_s(have_s, sigma_hz)
        fraction = min(have_s / min(needed_s, self.asked.seconds_s), 1.0)
        self._report(Progress(fraction, sigma_hz, needed_s, job=self.job, id=self.asked.id))
        if sigma_hz == float("inf") and self.asked.wanted_hz and have_s >= NOTHING_S:
            self.finish()
            return True
        return sigma_hz <= self.asked.wanted_hz and have_s >= self._next_estimate_s and self._is_enough(have_s)

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """Report why there is no result; at the end of a recording measure what there was."""
        if cause == "ended":
            self.finish(is_whole=False)
            return
        why = {
            "retuned": "the receiver was set differently meanwhile: measure again",
            "stopped": "the receiver stopped before the measurement was done",
            "cancelled": "cancelled",
        }[cause]
        self._report(self._nothing(why))

    def finish(self, *, is_whole: bool = True) -> None:
        """Measure with the samples received so far."""
        try:
            estimate = self._estimate()
        except NoCarrier as error:
            estimate = self._nothing(str(error), is_silent=is_whole)
        except BadSamples as error:
            estimate = self._nothing(str(error))
        self._report(estimate)

    def _watch(self, samples: NDArray[np.complex64]) -> None:
        """Check the receiver's raw samples for clipping, which the slice hides."""
        limits = np.maximum(np.abs(samples.real), np.abs(samples.imag))
        self._clipped += int(np.count_nonzero(limits >= 0.99))
        if self._still is None and samples.size:
            self._still = complex(samples[0])
        self._moves = self._moves or bool((samples != self._still).any())
        self._seen += samples.size

    def _nothing(self, why: str, *, is_silent: bool = False) -> NotMeasured:
        return NotMeasured(why, is_silent, self._tuning, job=self.job, id=self.asked.id)

    def _measured(self, carrier: Carrier) -> Measured:
        return Measured(carrier, self._tuning, self._at_s, job=self.job, id=self.asked.id)

    def _is_enough(self, have_s: float) -> bool:
        """Noise would allow stopping: check whether the path does."""
        self._next_estimate_s = RETRY_FACTOR * have_s
        try:
            estimate = self._estimate()
        except (NoCarrier, BadSamples) as error:
            estimate = self._nothing(str(error))
        if isinstance(estimate, Measured) and estimate.carrier.sigma_hz > self.asked.wanted_hz:
            return False
        self._report(estimate)
        return True

    def _estimate(self) -> Measured | NotMeasured:
        asked, samples = self.asked, np.concatenate(self._parts) if self._parts else np.empty(0, np.complex64)
        share = self._clipped / max(self._seen, 1)
        if share > MAX_CLIPPED_SHARE:
            raise BadSamples(f"{share:.1%} of the samples are at full scale: lower the gain and measure again")
        if self._seen and not self._moves:
            # The remainder is rounding error.
            raise BadSamples("all samples are equal, so nothing can be seen: raise the gain and measure again")
        if asked.kind != "carrier":
            return self._measured(self._centre(samples))
        carrier = measure_line(
            samples, self._slice_hz, 0.0, asked.within_hz, (self._spike_hz,), may_fade=asked.may_fade
        )
        carrier = msgspec.structs.replace(carrier, remark=clipping_remark(share, carrier.remark))
        if self._lost:
            carrier = msgspec.structs.replace(carrier, lost=self._lost)
        near = max(carrier.others, key=lambda neighbour: neighbour.level_db, default=None)
        if near is not None and near.level_db > -RIVAL_DB and carrier.method != "steady":
            return self._of_two(carrier, near)
        other = rival_of(samples, self._slice_hz, carrier, 0.0, asked.within_hz)
        if other is not None and other.below_db < RIVAL_DB:
            return self._of_two(carrier, OtherLine(other.frequency_hz, carrier.sigma_hz, -other.below_db))
        return self._measured(carrier)

    def _of_two(self, carrier: Carrier, other: OtherLine) -> Measured | NotMeasured:
        """Prefer the line at the station's expected frequency, when only one is there."""
        asked = self.asked
        away = [
            (hertz - asked.expected_hz) / np.hypot(asked.expected_sigma_hz, sigma_hz)
            for hertz, sigma_hz in ((carrier.frequency_hz, carrier.sigma_hz), (other.frequency_hz, other.sigma_hz))
        ]
        if abs(away[0] ** 2 - away[1] ** 2) / 2 > ELSEWHERE_LOG_ODDS and min(abs(away[0]), abs(away[1])) < NEAR_SIGMAS:
            mine, its_hz = carrier, other.frequency_hz
            if abs(away[1]) < abs(away[0]):
                changed = OtherLine(carrier.frequency_hz, carrier.sigma_hz, -other.level_db)
                mine, its_hz = msgspec.structs.replace(
                    carrier, frequency_hz=other.frequency_hz, sigma_hz=other.sigma_hz, others=(changed,),
                    cn0_dbhz=carrier.cn0_dbhz + other.level_db,
                ), carrier.frequency_hz  # fmt: skip
            remark = (
                f"another carrier as strong stands {format_hertz(its_hz - mine.frequency_hz, 0.1)} beside it: this one "
                "is where the known oscillators expect the station"
            )
            return self._measured(msgspec.structs.replace(mine, remark=remark))
        places = " and ".join(
            f"{format_hertz(hertz, sigma_hz)} {format_sigma(sigma_hz)}"
            for hertz, sigma_hz in ((carrier.frequency_hz, carrier.sigma_hz), (other.frequency_hz, other.sigma_hz))
        )
        return self._nothing(
            f"two carriers as strong as one another stand there, {places} from the place looked at: nothing tells "
            "which is meant; measure another station first, or this one by day",
        )

    def _centre(self, samples: NDArray[np.complex64]) -> Carrier:
        """Measure the centre of an FM signal, reported as a carrier."""
        width = "narrow" if self.asked.kind == "nfm" else "wide"
        carrier = estimate_centre(
            samples, self._slice_hz, 0.0, self.asked.within_hz, "narrow" if width == "narrow" else "wide"
        )
        return Carrier(
            carrier.frequency_hz, carrier.sigma_hz, carrier.cn0_dbhz, carrier.duration_s, carrier.drift_hz_per_s,
            float("inf"), f"middle of {width} FM", remark=carrier.remark,
        )  # fmt: skip

    def _sigma_so_far(self) -> float:
        if self.asked.kind == "wfm":
            # Too expensive to repeat, and it takes only seconds.
            return float("inf")
        samples = np.concatenate(self._parts)
        try:
            if self.asked.kind == "nfm":
                return self._centre(samples).sigma_hz
            return estimate_carrier(samples, self._slice_hz, 0.0, self.asked.within_hz).sigma_hz
        except (NoCarrier, BadSamples):
            return float("inf")

    def _needed_s(self, have_s: float, sigma_hz: float) -> float:
        """Total duration until noise allows the wanted uncertainty, which falls with time to the power of 3/2."""
        wanted_hz = self.asked.wanted_hz
        if not wanted_hz or sigma_hz == float("inf"):
            return self.asked.seconds_s
        return float(max(have_s * (sigma_hz / wanted_hz) ** (2 / 3), MIN_S))
