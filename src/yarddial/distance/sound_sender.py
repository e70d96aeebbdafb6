"""Sound that was made on the far computer, wide FM alone: as many channels, as high a rate and as many bits as fit."""

from typing import TYPE_CHECKING

from yarddial.distance.coding import code_samples
from yarddial.distance.wire import SoundMessage
from yarddial.engine.messages import Sound

if TYPE_CHECKING:
    from yarddial.dsp.listening.thin_sound import ThinSound

# From the best down: stereo or not, rate, bits. What FM broadcasts ends at 15 kHz.
LADDER: tuple[tuple[bool, float, int], ...] = (
    (True, 32_000.0, 10), (True, 32_000.0, 8), (False, 32_000.0, 10), (False, 32_000.0, 8), (False, 16_000.0, 8),
    (False, 16_000.0, 6),
)  # fmt: skip
# Up only where there is so much more room than it takes: each change is heard.
ROOM_UP = 1.3


def needs_bits(rung: int) -> float:
    """Of a rung, a second."""
    is_stereo, rate_hz, bits = LADDER[rung]
    return (2 if is_stereo else 1) * rate_hz * bits


class SoundSender:
    """One sound's way out."""

    def __init__(self) -> None:
        self._thin: ThinSound | None = None
        self._of: tuple[int, int, float] = (0, 0, 0.0)
        self._rung = len(LADDER) - 1
        self._shape = (False, 0.0)

    def code(self, sound: Sound, able_bits: float, lost: int) -> SoundMessage | None:
        """What goes out now, where the link carries so many bits a second for it; None while nothing is complete."""
        from yarddial.dsp.listening.thin_sound import ThinSound

        self._choose(able_bits, is_stereo=sound.samples.ndim == 2)
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
            sound.pilot_db, lost, code_samples(samples, bits),
        )  # fmt: skip

    def _choose(self, able_bits: float, *, is_stereo: bool) -> None:
        """The best rung that fits; one that is in use stays until it does not."""
        for rung in range(len(LADDER)):
            room = ROOM_UP if rung < self._rung else 1.0
            if (is_stereo or not LADDER[rung][0]) and needs_bits(rung) * room <= able_bits:
                self._rung = rung
                return
        self._rung = len(LADDER) - 1
