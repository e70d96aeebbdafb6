"""Heartbeat of the engine's process: each second it reports its present call and whether that makes progress."""

import threading
import time

from yarddial.engine.engine import Engine
from yarddial.engine.events import Alive
from yarddial.engine.outbox import Outbox
from yarddial.engine.patience import USUAL_PATIENCE

# Processor seconds per second above which a thread is computing rather than waiting for a driver.
WORKS_SHARE = 0.05


class Heartbeat:
    """Beats in a thread of its own, so that it is heard while the engine waits for a driver."""

    def __init__(self, engine: Engine, outbox: Outbox, beat_s: float = USUAL_PATIENCE.beat_s) -> None:
        self._engine, self._outbox, self._beat_s = engine, outbox, beat_s
        # Processor time of the thread that steps the engine.
        self._clock = time.pthread_getcpuclockid(threading.get_ident())
        self._doing: tuple[str, float] = ("", 0.0)
        self._worked_s = 0.0
        self._still_since_s = time.monotonic()
        threading.Thread(target=self._beat_on, name="heartbeat", daemon=True).start()

    def _beat_on(self) -> None:
        while True:
            self._outbox.put(self.beat())
            time.sleep(self._beat_s)

    def beat(self) -> Alive:
        """Present activity of the engine, and its duration."""
        now_s, worked_s = time.monotonic(), time.clock_gettime(self._clock)
        doing = self._engine.doing
        got_further = worked_s - self._worked_s > WORKS_SHARE * self._beat_s
        if doing != self._doing or got_further or not doing[0]:
            # Count from the start of the activity, not from the last check.
            self._still_since_s = doing[1] if doing != self._doing and doing[0] else now_s
        self._doing, self._worked_s = doing, worked_s
        return Alive(doing[0], now_s - self._still_since_s, now_s - doing[1] if doing[0] else 0.0)
