"""Audio demodulated on the far computer (wide FM only): as many channels, samples and bits as the link carries."""

from typing import TYPE_CHECKING

from yarddial.distance.coding import code_samples
from yarddial.distance.wire import SoundMessage
from yarddial.engine.events import Sound
from yarddial.yard import clock

if TYPE_CHECKING:
    from yarddial.dsp.listening.thin_sound import ThinSound

# Qualities from the best down: stereo or not, rate, bits. FM broadcast audio ends at 15 kHz.
LADDER: tuple[tuple[bool, float, int], ...] = (
    (True, 32_000.0, 10), (True, 32_000.0, 8), (False, 32_000.0, 10), (False, 32_000.0, 8), (False, 16_000.0, 8),
    (False, 16_000.0, 6),
)  # fmt: skip
# Step up only when the link has this much spare bandwidth, since each change is audible.
ROOM_UP = 1.3
# After this long without a queue, try one step up; a failed step is retried after a growing delay.
TRIES_S, FAILED_S, MAX_FAILED_S = 2.0, 4.0, 60.0


def needs_bits(rung: int) -> float:
    """Bits per second of a quality."""
    is_stereo, rate_hz, bits = LADDER[rung]
    return (2 if is_stereo else 1) * rate_hz * bits


class SoundSender:
    """Send one channel's audio, coded for the link."""

    def __init__(self) -> None:
        self._thin: ThinSound | None = None
        self._of: tuple[int, int, float] = (0, 0, 0.0)
        self._rung = len(LADDER) - 1
        self._shape = (False, 0.0)
        self._waits_until_s, self._failed_s = clock.monotonic_s() + TRIES_S, FAILED_S

    def code(self, sound: Sound, able_bits: float, free_s: float, lost: int) -> SoundMessage | None:
        """Coded audio to send now; None while incomplete.

        able_bits : known bandwidth for audio, bits per second. free_s : time without a queue.
        """
        from yarddial.dsp.listening.thin_sound import ThinSound

        self._choose(able_bits, free_s, is_stereo=sound.samples.ndim == 2)
        is_stereo, rate_hz, bits = LADDER[self._rung]
        of = (sound.job, sound.id, sound.rate_hz)
        if self._thin is None or of != self._of or self._shape != (is_stereo, rate_hz):
            self._thin = ThinSound(sound.rate_hz, rate_hz, is_stereo=is_stereo)
            self._of, self._shape = of, (is_stereo, rate_hz)
        samples = self._thin.push(sound.samples)
        if not samples.size:
            return None
        return SoundMessage(
            sound.job, sound.id, self._thin.rate_hz, sound.rate_hz, is_stereo, sound.level_dbfs, sound.is_open,
            sound.pilot_db, lost, code_samples(samples, bits), sound.tuning,
        )  # fmt: skip

    def _choose(self, able_bits: float, free_s: float, *, is_stereo: bool) -> None:
        """Choose the best quality that fits; keep the present one while it does."""
        now_s = clock.monotonic_s()
        possible = [rung for rung, (stereo, _, _) in enumerate(LADDER) if is_stereo or not stereo]
        fits = [rung for rung in possible if needs_bits(rung) * (ROOM_UP if rung < self._rung else 1.0) <= able_bits]
        best = min(fits, default=possible[-1])
        if best > self._rung and free_s < TRIES_S:
            # The link carries less than is being sent.
            self._waits_until_s = now_s + self._failed_s
            self._failed_s = min(2 * self._failed_s, MAX_FAILED_S)
            self._rung = best
        elif best <= self._rung:
            self._rung = max(best, possible[0])
        above = max((rung for rung in possible if rung < self._rung), default=None)
        if above is not None and free_s > TRIES_S and now_s > self._waits_until_s:
            self._rung, self._waits_until_s = above, now_s + TRIES_S
