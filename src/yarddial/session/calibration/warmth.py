"""Thermal state of receivers: they warm up while running and cool while off, within minutes."""

from math import exp

from yarddial.session.calibration.oscillator_history import seconds_of
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import MINUS

# Time constant of a small box: most of its warm-up is over after a quarter of an hour.
TAU_S = 480.0
# Sheds freeze and attics heat up; anything beyond is a typing error.
LOWEST_C, HIGHEST_C = -40.0, 80.0
KEPT_EVERY_S, MAX_KEPT = 2.0, 2_000


class Warmth:
    """Thermal state by starts and stops; a receiver not seen running yet is cold."""

    def __init__(self, live_receiver: LiveReceiver) -> None:
        self._live_receiver = live_receiver
        self._cold: dict[str, float] = {}
        self._began_s: dict[str, float] = {}
        # Coldness of each receiver at recent updates: time, share.
        self._past: dict[str, list[tuple[float, float]]] = {}
        self._read_s = self._born_s = seconds_of("")

    def update(self, receiver: str) -> None:
        """Account for the time since the last update; `receiver` is that of the active route."""
        now_s = seconds_of("")
        keeps = exp(-max(now_s - self._read_s, 0.0) / TAU_S)
        self._read_s = now_s
        for name, cold in self._cold.items():
            runs = name == receiver and self._live_receiver.running
            self._cold[name] = cold * keeps if runs else 1 - (1 - cold) * keeps
            if not runs:
                self._began_s.pop(name, None)
        if self._live_receiver.running:
            self._cold.setdefault(receiver, 1.0)
            self._began_s.setdefault(receiver, now_s)
            past = self._past.setdefault(receiver, [])
            if not past or now_s - past[-1][0] > KEPT_EVERY_S:
                past.append((now_s, self._cold[receiver]))
                del past[:-MAX_KEPT]

    def colder_than(self, receiver: str, measured_s: float) -> float:
        """How much colder it is now than when measured: 0 within one run, 1 just started.

        Measurements from before this program's start are taken as made warm.
        """
        began_s = self._began_s.get(receiver)
        if began_s is None or measured_s >= began_s:
            return 0.0
        past = self._past.get(receiver, [])
        # There was no update near that moment: it had just been started.
        then = min(past, key=lambda moment: abs(moment[0] - measured_s), default=(0.0, 1.0))[1]
        return abs(self._cold[receiver] - (then if measured_s >= self._born_s else 0.0))


def read_temperature_c(text: str) -> float | None:
    """Read degrees Celsius; None for an empty text. Raises BadObservations for what is no temperature of a room."""
    shown = text.strip()
    if not shown:
        return None
    try:
        value = float(shown.replace(",", ".").replace(MINUS, "-").removesuffix("C").removesuffix("°"))
    except ValueError:
        value = float("nan")
    if not LOWEST_C <= value <= HIGHEST_C:
        raise BadObservations(f"'{shown}' is no temperature of a room: give degrees Celsius, such as 21.5")
    return value
