"""Products of strong signals outside the span, detected because they do not follow the gain as a signal does.

At settings of equal total gain a wanted signal is constant, while products of a front stage grow with the gain before
it.
"""

from collections.abc import Sequence

import msgspec
import numpy as np

from yarddial.analysis.levels.measured_setting import GainPoint

# Relative error of a channel's power over a dwell.
CHANNEL_ERRS = 0.06
# Chi-square gain that adding products to the signal must bring; products below this share of the channel are ignored.
MIN_CHI2_GAIN, MIN_SHARE = 9.0, 0.03
MIN_STEPS = 4


def with_unseen(steps: Sequence[GainPoint]) -> list[GainPoint]:
    """The steps, what is made of signals outside the span added to their products.

    The channel over the gain is a constant, the signal, and products of the second and third order made in the first
    stage or behind the second: they grow with the gain up to there and its square. Non-negative least squares over the
    settings at which nothing is clipped; nothing is added where a signal alone explains them.
    """
    clear = [step for step in steps if not step.is_clipped]
    if len(clear) < MIN_STEPS:
        return list(steps)
    from scipy.optimize import nnls

    rows = np.stack([_row(step) for step in clear])
    scale = np.maximum(rows.max(axis=0), 1e-300)
    held = np.array([_held(step) for step in clear])
    uncertainty = np.array([_uncertainty(step) for step in clear])
    _, left_alone = nnls((rows[:, :1] / scale[:1]) / uncertainty[:, None], held / uncertainty)
    both, left = nnls(rows / scale / uncertainty[:, None], held / uncertainty)
    product_power = (rows / scale)[:, 1:] @ both[1:]
    if left_alone**2 - left**2 < MIN_CHI2_GAIN or (product_power / np.maximum(held, 1e-300)).max() < MIN_SHARE:
        return list(steps)
    return [_with(step, float((_row(step) / scale)[1:] @ both[1:])) for step in steps]


def _row(step: GainPoint) -> np.ndarray:
    gains = np.cumsum([gain for _, gain in step.gains_db] or [step.gain_db])[:2]
    up_to = 10 ** (gains / 10)
    return np.concatenate([[1.0], up_to, up_to**2])


def _held(step: GainPoint) -> float:
    return (_power(step.channel_dbfs) - _power(step.noise_dbfs) - _power(step.products_dbfs)) / _power(step.gain_db)


def _uncertainty(step: GainPoint) -> float:
    errs = CHANNEL_ERRS * (_power(step.channel_dbfs) + _power(step.noise_dbfs)) + _power(step.products_dbfs)
    return errs / _power(step.gain_db)


def _with(step: GainPoint, unseen: float) -> GainPoint:
    total = _power(step.products_dbfs) + unseen * _power(step.gain_db)
    return msgspec.structs.replace(step, products_dbfs=10 * float(np.log10(max(total, 1e-30))))


def _power(db: float) -> float:
    return float(10 ** (db / 10))
