"""State and outcome of a measurement, and the dial reading that it gives."""

from typing import TYPE_CHECKING, Literal

import msgspec

from yarddial.engine.events import Measured
from yarddial.records.entry import utc_now
from yarddial.yard.frequency import format_sigma
from yarddial.yard.frequency_conversion import dial_for_shown
from yarddial.yard.observation import Observation, observed
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.dsp.carrier import Carrier

# A drift counts from this many of its own sigmas on.
DRIFT_SIGMAS = 4.0
# Share by which a drift may change during a measurement.
DRIFT_CHANGE_SHARE = 0.15


class Measuring(msgspec.Struct, frozen=True):
    """State of a measurement under way."""

    reference: Reference
    route: str
    verifying: bool
    within_hz: float
    wanted_hz: float = 0.0
    seconds_s: float = 4.0
    fraction: float = 0.0
    sigma_hz: float = float("inf")
    needed_s: float = 0.0

    def progress(self) -> str:
        """Progress and remaining time."""
        if self.sigma_hz == float("inf"):
            return f"{self.fraction:.0%} done"
        uncertainty = f"uncertainty {format_sigma(self.sigma_hz)} so far"
        if not self.wanted_hz:
            return f"{self.fraction:.0%} done, {uncertainty}"
        if self.needed_s > self.seconds_s:
            wanted = f"{format_sigma(self.wanted_hz)} would take {self.needed_s:.0f} s"
            return f"{uncertainty}; {wanted}, stops at {self.seconds_s:.0f} s"
        return f"{uncertainty}; {format_sigma(self.wanted_hz)} takes about {self.needed_s:.0f} s in all"


class MeasurementOutcome(msgspec.Struct, frozen=True):
    """How the last measurement ended."""

    kind: Literal["measured", "failed", "cancelled"]
    text: str
    observation: Observation | None = None
    carrier: "Carrier | None" = None


def observation_of(measured: Measured, route: ResolvedRoute, reference: Reference, crystal_noise: float) -> Observation:
    """Turn a measured carrier into a reading of the dial, with the values that are entered now.

    Parameters
    ----------
    measured : Measured
        What the receiver counted, and the tuning that it counted on.
    line : Line
        The route that it was heard over.
    reference : Reference
        The known station that was measured.
    crystal_noise : float
        Fractional frequency noise of the receiver's crystal over the seconds of a measurement.
    """
    carrier, received_hz = measured.carrier, measured.counted_hz
    moved_hz, sigma_hz = _at_the_end(carrier)
    # Beyond some seconds a crystal's own noise is the limit, not the receiver's.
    sigma_hz = (sigma_hz**2 + (crystal_noise * received_hz) ** 2) ** 0.5
    shown_hz = (received_hz + moved_hz) * (1 + route.receiver.entered_ppm * 1e-6)
    fold = route.fold(route.points()[-1].out_hz)
    dial_hz = dial_for_shown(shown_hz, (*route.stages, *(() if fold is None else (fold,))))
    observation = observed(route, reference, dial_hz, sigma_hz, utc_now(), measured.tuning.centre_hz)
    if not _drifts(carrier):
        return observation
    return msgspec.structs.replace(observation, drift_hz_per_s=observation.sense * carrier.drift_hz_per_s)


def _drifts(carrier: "Carrier") -> bool:
    return abs(carrier.drift_hz_per_s) > DRIFT_SIGMAS * carrier.drift_sigma


def _at_the_end(carrier: "Carrier") -> tuple[float, float]:
    """Shift from the middle of the measurement to its end, and the uncertainty then, hertz."""
    if not _drifts(carrier):
        return 0.0, carrier.sigma_hz
    half_s = carrier.duration_s / 2
    moved_hz = carrier.drift_hz_per_s * half_s
    # A drift changes by a share of itself meanwhile.
    parts = (carrier.sigma_hz, carrier.drift_sigma * half_s, DRIFT_CHANGE_SHARE * moved_hz)
    return moved_hz, float(sum(part**2 for part in parts) ** 0.5)
