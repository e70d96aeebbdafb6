"""Playout buffer: plays audio that arrives unevenly.

It holds as much as recent jitter requires. When it runs dry it fades out, counts a gap and holds a little more
afterwards. It measures no signal: whoever counts samples takes them on arrival.
"""

from collections import deque

import numpy as np
from numpy.typing import NDArray

Sides = NDArray[np.float32]
# Audio handed out ahead of playback, so that a busy window causes no gap.
AHEAD_S = 0.06
# Remember arrival jitter this long; add the spare to it, within bounds.
REMEMBERED_S, SPARE_S, MIN_S, MAX_S = 10.0, 0.03, 0.04, 1.5
# Surplus audio is held this long before at least this much is skipped; never hold more than the last.
TOO_MUCH_S, WORTH_S, NEVER_S = 3.0, 0.1, 2.5
# Length of a fade at an edge.
FADE_S = 0.006
# Period over which gaps are reported.
LATELY_S = 60.0


class Playout:
    """Playout buffer for two channels, shape (n, 2), at one rate; the caller supplies a monotonic time."""

    def __init__(self, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._held: deque[Sides] = deque()
        self._held_count = self._total = 0
        self._began_s: float | None = None
        self._late: deque[tuple[float, float]] = deque()
        # End of the audio handed out; time since which too much is held; last sample handed out.
        self._until_s: float | None = None
        self._full_since_s: float | None = None
        self._last = np.zeros(2, np.float32)
        self._is_dry = True
        self._gaps: deque[float] = deque(maxlen=1_000)

    @property
    def held_s(self) -> float:
        """Seconds of audio held."""
        return self._held_count / self._rate_hz

    @property
    def wanted_s(self) -> float:
        """Seconds to hold before playback starts: the recent jitter."""
        late = [lateness_s for _, lateness_s in self._late]
        return min(max(max(late) - min(late) + SPARE_S, MIN_S), MAX_S) if late else MIN_S

    def gaps(self, now_s: float) -> int:
        """Gaps in the last minute."""
        return sum(at_s > now_s - LATELY_S for at_s in self._gaps)

    def put(self, sound: Sides, now_s: float) -> None:
        """Add audio that has arrived."""
        if not len(sound):
            return
        if self._began_s is None:
            self._began_s = now_s
        self._total += len(sound)
        self._late.append((now_s, now_s - self._began_s - self._total / self._rate_hz))
        while self._late[0][0] < now_s - REMEMBERED_S:
            self._late.popleft()
        self._held.append(np.asarray(sound, np.float32))
        self._held_count += len(sound)
        self._leave_out(now_s)

    def take(self, now_s: float, queued_s: float | None = None) -> Sides:
        """Return the audio to play from where the last call ended; silence where there is none.

        queued_s : what the device still has to play by its own clock; without it, elapsed time decides.
        """
        if queued_s is not None and self._until_s is not None:
            self._until_s = now_s + queued_s
        if self._until_s is None:
            if self.held_s < self.wanted_s:
                return np.empty((0, 2), np.float32)
            self._until_s = now_s
        if self._until_s < now_s - 1.0:
            # After a long pause in the calls, what should have played then is past.
            self._until_s = now_s
        need = round((now_s + AHEAD_S - self._until_s) * self._rate_hz)
        if need <= 0:
            return np.empty((0, 2), np.float32)
        begins = self._is_dry and self.held_s >= self.wanted_s
        if self._is_dry and not begins:
            out = np.zeros((need, 2), np.float32)
        else:
            out = self._out_of_held(need)
            if begins:
                self._is_dry = False
                _fade(out, self._rate_hz, up=True)
            missing = need - len(out)
            if missing and now_s >= self._until_s + len(out) / self._rate_hz:
                self._is_dry = True
                self._gaps.append(now_s)
                out = np.concatenate([out, self._tail(missing)])
        if len(out):
            self._last = out[-1]
        self._until_s += len(out) / self._rate_hz
        return out

    def _out_of_held(self, need: int) -> Sides:
        parts: list[Sides] = []
        while need and self._held:
            part = self._held.popleft()
            if len(part) > need:
                self._held.appendleft(part[need:])
                part = part[:need]
            parts.append(part)
            need -= len(part)
            self._held_count -= len(part)
        return np.concatenate(parts) if parts else np.empty((0, 2), np.float32)

    def _tail(self, count: int) -> Sides:
        """Fade from the last sample to silence."""
        out = np.zeros((count, 2), np.float32)
        fade = min(int(FADE_S * self._rate_hz), count)
        out[:fade] = self._last * np.linspace(1.0, 0.0, fade + 1, dtype=np.float32)[1:, None]
        return out

    def _leave_out(self, now_s: float) -> None:
        """Skip the oldest surplus audio, which would only add delay."""
        spare_s = self.held_s - self.wanted_s - AHEAD_S
        if self._is_dry or spare_s < WORTH_S:
            self._full_since_s = None
        elif self._full_since_s is None:
            self._full_since_s = now_s
        is_long = self._full_since_s is not None and now_s - self._full_since_s > TOO_MUCH_S
        if not (is_long or self.held_s > NEVER_S) or spare_s <= 0:
            return
        joined = np.concatenate(list(self._held))
        fade = int(FADE_S * self._rate_hz)
        left_out = min(int(spare_s * self._rate_hz), len(joined) - 2 * fade)
        if left_out > fade:
            # Cross-fade into the audio after it.
            over = np.linspace(0.0, 1.0, fade, dtype=np.float32)[:, None]
            shortened = joined[left_out:].copy()
            shortened[:fade] = joined[:fade] * (1 - over) + shortened[:fade] * over
            self._held = deque([shortened])
            self._held_count = len(shortened)
        self._full_since_s = None


def _fade(sound: Sides, rate_hz: float, *, up: bool) -> None:
    count = min(int(FADE_S * rate_hz), len(sound))
    slope = np.linspace(0.0, 1.0, count, dtype=np.float32)[:, None]
    sound[:count] *= slope if up else slope[::-1]
