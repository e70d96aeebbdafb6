"""Isolation between a transmitter and a receiver's socket, measured with the receiver behind an attenuator.

Nothing is counted for the isolation before it is measured: the attenuator alone must bring the lowest power under the
socket's limit, and only as many of its decibels count as were seen when it was put in. Levels in dBm; isolation and
attenuation positive. Sigmas are one standard deviation and add as squares (JCGM 100, 5.1.2).
"""

from math import log10, sqrt

import msgspec

# Uncertainty of a transmitter's stated power, and of a stated attenuator, dB.
POWER_SIGMA_DB, ATTENUATOR_SIGMA_DB = 1.0, 0.5
# The worst case is this many sigma below the measured isolation.
WORST_SIGMAS = 2.0
# Margin of the socket's limit that no step of the procedure may use up.
MARGIN_DB = 6.0
# A line that should fall by the attenuation and falls by as much within this confirms the attenuator.
FALL_TOLERANCE_DB = 3.0
# A fall that comes this close to the marked attenuation confirms all of it.
SEEN_TOLERANCE_DB = 1.5
# A transmission is measured from this far above the noise in its channel; below it the isolation is only bounded.
HEARD_OVER_DB = 6.0
# Isolation of a transceiver's outputs that usual ones exceed: assumed, so it opens nothing.
USUAL_ISOLATION_DB = {"antenna": 30.0, "if": 50.0}


class Protection(msgspec.Struct, frozen=True):
    """What stands between the lowest transmit power and the receiver during the measurement.

    power_w : lowest power of the transmitter. attenuator_db : as marked on it. attenuator_w : power that it takes.
    limit_dbm : largest safe level at the receiver's socket.
    """

    power_w: float
    attenuator_db: float
    attenuator_w: float
    limit_dbm: float

    @property
    def power_dbm(self) -> float:
        """Transmit power, dBm."""
        return 10 * log10(self.power_w * 1000)

    @property
    def needed_db(self) -> float:
        """Attenuation that keeps the socket safe although nothing is known of the isolation."""
        return self.power_dbm + WORST_SIGMAS * POWER_SIGMA_DB + MARGIN_DB - self.limit_dbm

    def why_unsafe(self, seen_db: float | None = None) -> str:
        """Reason why the transmitter must not be keyed; empty when it may.

        seen_db : attenuation that was seen when the attenuator was put in; without it the marked one counts.
        """
        if not (self.power_w > 0 and self.attenuator_db > 0 and self.attenuator_w > 0):
            return "power and attenuator are not stated yet"
        if self.attenuator_w < self.power_w:
            return (
                f"the attenuator takes {self.attenuator_w:g} W and may get all of {self.power_w:g} W: "
                "use one that takes more, or less power"
            )
        is_as_marked = seen_db is None or seen_db >= self.attenuator_db - SEEN_TOLERANCE_DB
        counted_db = self.attenuator_db if is_as_marked or seen_db is None else seen_db
        if counted_db < self.needed_db:
            words = "the attenuator" if seen_db is None else "what was seen of the attenuator"
            return (
                f"{words}, {counted_db:.0f} dB, is too little: {self.needed_db:.0f} dB keep {self.power_w:g} W under "
                f"{self.limit_dbm:+.0f} dBm even if nothing else does"
            )
        return ""


class Fall(msgspec.Struct, frozen=True):
    """How far a line fell when the attenuator was put in; `why_not` says why that confirms nothing.

    seen_db : attenuation that is certain.
    """

    seen_db: float
    why_not: str = ""


def judge_fall(over_db: float, fall_db: float, attenuator_db: float) -> Fall:
    """Judge the attenuator by a line's level without and with it, at equal gains.

    over_db : the line without it, above the noise in the same bins. fall_db : how far it fell. The line must still be
    there with the attenuator in: where it vanishes, a plug that came off would look the same.
    """
    if over_db < attenuator_db + HEARD_OVER_DB:
        lacks_db = attenuator_db + HEARD_OVER_DB - over_db
        return Fall(0.0, f"no signal here stays above the noise behind {attenuator_db:g} dB: dial one that is "
                         f"{lacks_db:.0f} dB stronger")  # fmt: skip
    if fall_db > attenuator_db + FALL_TOLERANCE_DB:
        return Fall(0.0, f"the signal fell by {fall_db:.0f} dB and not by {attenuator_db:g}: something else came off")
    if fall_db < FALL_TOLERANCE_DB:
        return Fall(0.0, "nothing changed: the attenuator is not in this line")
    if fall_db < attenuator_db - FALL_TOLERANCE_DB:
        return Fall(0.0, f"the signal fell by {fall_db:.0f} dB only: it is not the attenuator that was stated")
    return Fall(fall_db)


class Isolation(msgspec.Struct, frozen=True):
    """Isolation in dB with its one-sigma uncertainty. is_bound : nothing was heard, so it is at least this."""

    value_db: float
    sigma_db: float
    is_bound: bool = False

    @property
    def worst_db(self) -> float:
        """Isolation to rely on."""
        return self.value_db - WORST_SIGMAS * self.sigma_db

    def level_dbm(self, power_w: float) -> float:
        """Level at the receiver's socket at worst, without the attenuator, for a transmit power."""
        return 10 * log10(power_w * 1000) - self.worst_db

    def safe_power_w(self, limit_dbm: float) -> float:
        """Largest power that leaves the margin at the socket."""
        return float(10 ** ((limit_dbm - MARGIN_DB + self.worst_db) / 10) / 1000)


def isolation_of(protection: Protection, level_dbm: float, level_sigma_db: float, over_noise_db: float) -> Isolation:
    """Isolation from the level measured at the receiver's socket behind the attenuator.

    over_noise_db : the channel's power over its noise; under `HEARD_OVER_DB` the level is only an upper bound.
    """
    is_bound = over_noise_db < HEARD_OVER_DB
    sigma_db = sqrt(level_sigma_db**2 + POWER_SIGMA_DB**2 + ATTENUATOR_SIGMA_DB**2)
    return Isolation(protection.power_dbm - protection.attenuator_db - level_dbm, sigma_db, is_bound)


def air_path(through: Isolation, total: Isolation) -> Isolation | None:
    """What came through the air: the total less what comes through the outputs, as powers; None where it drowns.

    through : with a dummy load. total : with the antenna.
    """
    if total.is_bound:
        return None if through.is_bound else total
    rest = 10 ** (-total.value_db / 10) - (0.0 if through.is_bound else 10 ** (-through.value_db / 10))
    # The two share power and attenuator; only the levels' own scatter, taken as half a decibel each, differs.
    scatter_db = 1.0
    if rest <= 10 ** (-total.value_db / 10) * (10 ** (scatter_db / 10) - 1):
        return None
    return Isolation(-10 * log10(rest), total.sigma_db)
