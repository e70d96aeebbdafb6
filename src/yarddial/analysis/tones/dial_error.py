"""Dial error from a tone heard in two or three demodulations."""

from collections.abc import Mapping
from typing import Literal

import msgspec
import numpy as np

from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import format_hertz, format_sigma
from yarddial.yard.working import WorkedValue, Working

ToneReception = Literal["am", "usb", "lsb"]
# Heard tone = sent tone + sign times the dial error, with the dial on the stated frequency.
SIGN: dict[ToneReception, float] = {"am": 0.0, "usb": 1.0, "lsb": -1.0}
# Tones that disagree by more than this many sigma are not the same tone.
MISSES_SIGMA = 4.0
# Drift of a dial between two recordings, one sigma: 1e-8 of some megahertz for a plain crystal.
BETWEEN_HZ = 0.1


class ToneAnswer(msgspec.Struct, frozen=True):
    """Dial error (dial minus true) and transmitted tone, hertz, with their one-sigma uncertainties.

    misses_hz : disagreement of three tones; 0 of two.
    """

    dial_error_hz: float
    sigma_hz: float
    tone_hz: float
    tone_sigma_hz: float
    misses_hz: float
    heard: tuple[tuple[ToneReception, float, float], ...]

    def working(self) -> Working:
        """Formula, values and source of the result."""
        values = tuple(
            WorkedValue(
                f"t_{mode}",
                f"tone heard as {mode.upper()}",
                format_hertz(hertz, sigma, signed=False),
                format_sigma(sigma),
            )
            for mode, hertz, sigma in self.heard
        )
        return Working(
            title="The dial's error by a tone",
            formulas=("t_USB = t + e,  t_LSB = t − e,  t_AM = t", "e = (t_USB − t_LSB) / 2, with all that were heard"),
            values=values,
            result=f"e = {format_hertz(self.dial_error_hz, self.sigma_hz)} {format_sigma(self.sigma_hz)}",
            source="weighted least squares",
        )


def dial_error(tones: Mapping[ToneReception, tuple[float, float]]) -> ToneAnswer:
    """Calculate the dial error and the tone.

    Parameters
    ----------
    tones : mapping of "am", "usb", "lsb" to (hertz, sigma)
        Two or three of them, measured with the dial on the station's stated frequency; each sigma is that of the
        measurement alone, to which what the dial moves by from take to take is added.

    Raises
    ------
    BadObservations
        Fewer than two, or three that cannot be of one tone.
    """
    if len(tones) < 2:
        raise BadObservations("one tone alone tells nothing: give two of AM, USB and LSB")
    heard = tuple((mode, tones[mode][0], float(np.hypot(tones[mode][1], BETWEEN_HZ))) for mode in SIGN if mode in tones)
    rows = np.array([[SIGN[mode] / sigma, 1 / sigma] for mode, _, sigma in heard])
    right = np.array([hertz / sigma for _, hertz, sigma in heard])
    covariance = np.linalg.inv(rows.T @ rows)
    error_hz, tone_hz = (covariance @ rows.T @ right).tolist()
    rest = rows @ np.array([error_hz, tone_hz]) - right
    misses = float(np.sqrt(rest @ rest))
    misses_hz = misses * max(sigma for *_, sigma in heard)
    if misses > MISSES_SIGMA and misses_hz > 1.0:
        raise BadObservations(
            f"the three tones miss one another by {misses_hz:.1f} Hz, so they are not of one tone and one dial: "
            "leave the dial alone between them, and give --near the tone"
        )
    # Disagreement beyond the uncertainties increases the uncertainty.
    worse = max(misses, 1.0)
    return ToneAnswer(
        error_hz,
        float(covariance[0, 0] ** 0.5) * worse,
        tone_hz,
        float(covariance[1, 1] ** 0.5) * worse,
        misses_hz,
        heard,
    )
