"""Peaking by hand: a tuner, an antenna or a dish is moved while a bar shows the channel's level and its best."""

from math import exp, log10

# Time constant of the shown level, and the time after a start before a best level counts.
SMOOTHING_S, SETTLING_S = 0.25, 0.75


class Peaking:
    """Follows a level. All levels in dBFS; the best is held until something else is set or heard."""

    def __init__(self) -> None:
        self._place: object = None
        self._power: float | None = None
        self._heard_s = 0.0
        self.best_dbfs: float | None = None

    @property
    def now_dbfs(self) -> float | None:
        """Smoothed level; None before anything was heard."""
        return None if self._power is None else 10 * log10(max(self._power, 1e-20))

    @property
    def below_best_db(self) -> float | None:
        """How far the level is below the best one, dB, not negative; None until a best level is held."""
        now = self.now_dbfs
        return None if now is None or self.best_dbfs is None else max(self.best_dbfs - now, 0.0)

    def take(self, level_dbfs: float, seconds_s: float, place: object) -> None:
        """Take the level of a piece of sound, and how long that is.

        place : what was tuned, with its gains; levels of another place are not compared with the best held.
        """
        if place != self._place:
            self.restart()
            self._place = place
        power = 10 ** (level_dbfs / 10)
        share = 1 - exp(-seconds_s / SMOOTHING_S)
        self._power = power if self._power is None else self._power + share * (power - self._power)
        self._heard_s += seconds_s
        now = self.now_dbfs
        if self._heard_s >= SETTLING_S and now is not None and (self.best_dbfs is None or now > self.best_dbfs):
            self.best_dbfs = now

    def restart(self) -> None:
        """Forget the best level."""
        self._power, self._heard_s, self.best_dbfs = None, 0.0, None
