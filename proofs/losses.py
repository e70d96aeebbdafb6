"""Injected losses found and counted by phase alone; and none found in ten minutes without any."""

import numpy as np

from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.simulated.driver import SimulatedDriver
from yarddial.drivers.simulated.receiver import SimulatedReceiver
from yarddial.drivers.time_source import VirtualTime
from yarddial.dsp.unreported_gaps import BLOCK_SAMPLES, LossWatch, steady_lines

RATE_HZ, CENTRE_HZ = 1.536e6, 120.6e6
GAPS, MINUTES = 100, 10


def receiver(seed: int) -> SimulatedReceiver:
    """Finch on the long wire, at the lower end of medium wave."""
    device = SimulatedDriver().open(f"finch?seed={seed}", VirtualTime())
    device.apply(RequestedSettings(CENTRE_HZ, RATE_HZ, "ladder"))
    return device


def prove() -> bool:
    """Print found, counted right, and false ones."""
    chance = np.random.default_rng(2026)
    found_right = surplus = 0
    for number in range(GAPS):
        device = receiver(number + 1)
        samples = np.concatenate([device.read().samples for _ in range(56)])
        gap = round(10 ** chance.uniform(0, 4))
        place = int(chance.integers(samples.size // 2, samples.size - gap - 12 * BLOCK_SAMPLES))
        watch = LossWatch(RATE_HZ, steady_lines(samples[: samples.size // 2], RATE_HZ))
        losses = watch.push(np.concatenate([samples[:place], samples[place + gap :]])) + watch.finish()
        right = [loss for loss in losses if loss.count == gap and abs(loss.index - place) <= 2 * BLOCK_SAMPLES]
        found_right += bool(right)
        surplus += len(losses) - len(right)
        if not right:
            print(f"gap {gap} at {place}: found {losses}")
    print(f"{found_right} of {GAPS} gaps of 1 to 10,000 samples found and counted by phase, {surplus} others reported")
    device, false, heard = receiver(1), 0, 0
    watch = LossWatch(RATE_HZ, steady_lines(np.concatenate([device.read().samples for _ in range(10)]), RATE_HZ))
    watch_lines = watch.can_see
    while heard < 60 * MINUTES * RATE_HZ:
        samples = np.concatenate([device.read().samples for _ in range(8)])
        false += len(watch.push(samples))
        heard += samples.size
    print(f"{false} false ones in {heard / RATE_HZ / 60:.1f} simulated minutes")
    return found_right == GAPS and not surplus and not false and watch_lines
