"""How cold a receiver still is: it warms up while it runs, cools while it does not, each within some minutes."""

from math import exp

from yarddial.session.calibration.oscillator_history import seconds_of
from yarddial.session.receiver.live_receiver import LiveReceiver

# Of a small box: most of its warm-up is over after a quarter of an hour.
TAU_S = 480.0


class Warmth:
    """Watches a receiver being started and stopped; one that nobody saw running yet is cold."""

    def __init__(self, live_receiver: LiveReceiver) -> None:
        self._live_receiver = live_receiver
        self._cold: dict[str, float] = {}
        self._began_s: dict[str, float] = {}
        self._looked_s = seconds_of("")

    def look(self, receiver: str) -> None:
        """Let the time since the last look pass; `receiver` is the one of the active route."""
        now_s = seconds_of("")
        keeps = exp(-max(now_s - self._looked_s, 0.0) / TAU_S)
        self._looked_s = now_s
        for name, cold in self._cold.items():
            runs = name == receiver and self._live_receiver.running
            self._cold[name] = cold * keeps if runs else 1 - (1 - cold) * keeps
            if not runs:
                self._began_s.pop(name, None)
        if self._live_receiver.running:
            self._cold.setdefault(receiver, 1.0)
            self._began_s.setdefault(receiver, now_s)

    def colder_than(self, receiver: str, measured_s: float) -> float:
        """By how much of its warm-up it is colder now than it was when measured: 0 within one run, 1 just started."""
        began_s = self._began_s.get(receiver)
        return 0.0 if began_s is None or measured_s >= began_s else self._cold[receiver]
