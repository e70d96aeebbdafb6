"""Audio from a far computer: demodulated there, or sent as a channel and demodulated here."""

import time
from collections import deque
from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.distance import wire
from yarddial.distance.coding import samples_of
from yarddial.dsp.listening.thin_channel import FilledChannel
from yarddial.engine.commands import Hear
from yarddial.engine.events import Sound
from yarddial.yard.errors import BadSamples
from yarddial.yard.fault_log import log_fault

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from yarddial.dsp.listening.thin_sound import FilledSound


class FarAudio:
    """Convert messages of the link to audio; gaps become silence of the same length."""

    def __init__(self) -> None:
        self._asked: dict[int, Hear] = {}
        self._channels: dict[int, _Channel] = {}
        self._filled: tuple[object, FilledSound] | None = None
        self._gaps: deque[float] = deque(maxlen=1_000)
        # Samples that never arrived.
        self.lost_samples = 0

    def asked(self, command: Hear) -> None:
        """Set the channel wanted from now on; audio of an earlier request is dropped."""
        self._asked[command.job] = command

    def gaps_within(self, seconds_s: float) -> int:
        """Number of gaps for lack of bandwidth within the last seconds."""
        return sum(at_s > time.monotonic() - seconds_s for at_s in tuple(self._gaps))

    def heard_sound(self, message: wire.SoundMessage) -> Sound | None:
        """Audio demodulated there; None where there is nothing to play yet."""
        asked = self._asked.get(message.job)
        if asked is None or asked.id != message.id:
            return None
        return self._unless_broken(lambda: self._filled_sound(message))

    def heard_channel(self, message: wire.ChannelMessage) -> Sound | None:
        """Audio of a channel demodulated here; None where there is nothing to play yet."""
        asked = self._asked.get(message.job)
        if asked is None or asked.id != message.id:
            return None
        return self._unless_broken(lambda: self._demodulated(asked, message))

    def _unless_broken(self, hear: Callable[[], Sound | None]) -> Sound | None:
        try:
            return hear()
        except BadSamples as error:
            log_fault("what a far computer sent to be heard", error)
            return None

    def _filled_sound(self, message: wire.SoundMessage) -> Sound | None:
        kind = (message.job, message.rate_hz, message.played_hz, message.is_stereo)
        if self._filled is None or self._filled[0] != kind:
            from yarddial.dsp.listening.thin_sound import FilledSound

            self._filled = (kind, FilledSound(message.rate_hz, message.played_hz, is_stereo=message.is_stereo))
        self._count_lost(message.lost)
        heard = self._filled[1].push(_with_silence(message.lost, message.rate_hz, samples_of(message.samples)))
        if not heard.size:
            return None
        return Sound(
            message.played_hz, heard, message.level_dbfs, message.is_open, message.pilot_db, message.tuning,
            job=message.job, id=message.id,
        )  # fmt: skip

    def _demodulated(self, asked: Hear, message: wire.ChannelMessage) -> Sound | None:
        channel = self._channels.get(message.job)
        if channel is None or not channel.serves(asked, message):
            self._channels[message.job] = channel = _Channel(asked, message)
        self._count_lost(message.lost)
        return channel.push(message)

    def _count_lost(self, lost: int) -> None:
        self.lost_samples += lost
        if lost:
            self._gaps.append(time.monotonic())


def load_hearing() -> None:
    """Import the demodulators in advance, by demodulating a moment of silence."""
    import numpy as np

    from yarddial.dsp.listening.hearing import ContinuousHearing
    from yarddial.yard.demodulation import DEMODULATIONS

    filled = FilledChannel(12_000.0, 0.0, 4)
    ContinuousHearing(filled.rate_hz, 0.0, DEMODULATIONS["am"].settings()).push(
        filled.push(np.zeros(6_000, np.complex64))
    )


def _with_silence(lost: int, rate_hz: float, samples: "NDArray[np.complex64]") -> "NDArray[np.complex64]":
    """Prepend silence for the lost samples."""
    import numpy as np

    return np.concatenate([np.zeros(min(lost, int(rate_hz)), np.complex64), samples]) if lost else samples


class _Channel:
    """Demodulator of one channel for one request."""

    def __init__(self, asked: Hear, first: wire.ChannelMessage) -> None:
        from yarddial.dsp.listening.hearing import ContinuousHearing

        self._asked, self._form = asked, _form(first)
        self._filled = FilledChannel(first.rate_hz, first.middle_hz, first.factor)
        self._hearing = ContinuousHearing(self._filled.rate_hz, 0.0, asked.settings)

    def serves(self, asked: Hear, message: wire.ChannelMessage) -> bool:
        """True while neither the request nor the channel's format has changed."""
        return self._asked is asked and self._form == _form(message)

    def push(self, message: wire.ChannelMessage) -> Sound | None:
        """Demodulate a message, with silence for lost samples."""
        samples = _with_silence(message.lost, message.rate_hz, samples_of(message.samples))
        heard = self._hearing.push(self._filled.push(samples))
        if not heard.sound.size:
            return None
        return Sound(
            self._hearing.sound_hz, heard.sound, heard.level_dbfs, heard.is_open, heard.pilot_db, message.tuning,
            job=self._asked.job, id=self._asked.id,
        )  # fmt: skip


def _form(message: wire.ChannelMessage) -> tuple[float, float, int]:
    return message.rate_hz, message.middle_hz, message.factor
