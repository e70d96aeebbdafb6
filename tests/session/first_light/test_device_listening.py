"""Samples that wait in a queue are not missing; samples that a receiver loses without a word are."""

import numpy as np

from yarddial.drivers.protocol import Block
from yarddial.session.first_light.device_listening import ListenedBlock, listen

RATE_HZ, BLOCK = 1e6, 16_384


class QueuedDevice:
    """Delivers at the rate by a clock of its own; the reader takes `reading_s` for each block, and may be stopped."""

    def __init__(self, *, reading_s: float, stop_s: float = 0.0, kept_share: float = 1.0) -> None:
        self.clock_s, self._reading_s, self._stop_s, self._kept_share = 0.0, reading_s, stop_s, kept_share
        self._index = 0

    def now_s(self) -> float:
        """The test's clock."""
        return self.clock_s

    def read(self) -> Block:
        """The next block, as soon as it is whole."""
        self._index += BLOCK
        ready_s = self._index / (RATE_HZ * self._kept_share)
        if ready_s > 0.5 and self._stop_s:
            self.clock_s, self._stop_s = self.clock_s + self._stop_s, 0.0
        self.clock_s = max(self.clock_s, ready_s) + self._reading_s
        return Block(np.zeros(BLOCK, np.complex64), self._index - BLOCK)


def listened(**values: float) -> ListenedBlock:
    """Heard for a second."""
    device = QueuedDevice(**values)
    return listen(device, device, RATE_HZ, 1.0)  # type: ignore[arg-type]


def test_a_reader_that_was_stopped_finds_all_samples_in_the_queue() -> None:
    heard = listened(reading_s=1e-3, stop_s=0.4)
    assert (heard.missing, heard.is_behind) == (0, False)


def test_samples_lost_without_a_word_are_missing_by_the_clock() -> None:
    heard = listened(reading_s=1e-3, kept_share=0.9)
    # A second of the clock holds a million; nine tenths arrive.
    assert abs(heard.missing / (heard.samples.size + heard.missing) - 0.1) < 0.02


def test_a_computer_that_has_not_caught_up_at_the_end_is_said_to_be_behind() -> None:
    # Three seconds wait, and reading a block takes 0.45 of its duration: 1.65 s are left after three more.
    heard = listened(reading_s=0.45 * BLOCK / RATE_HZ, stop_s=3.0)
    assert (heard.missing, heard.is_behind) == (0, True)
