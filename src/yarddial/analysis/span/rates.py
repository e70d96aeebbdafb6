"""Figures of each sample rate of a receiver, and the recommended one."""

from collections.abc import Mapping, Sequence

import msgspec

from yarddial.analysis.span.adc import converter_figures, load_bytes

# Share of the rate that is free of aliases, typical for the filters in use.
CLEAN_SHARE = 0.8
# Practical throughput of USB 2, bytes per second, shared by all devices on one controller.
USB2_BYTES = 35e6


class RateFigures(msgspec.Struct, frozen=True):
    """One rate: alias-free width, loads, resolution of a picture, effective bits, and what was lost.

    lost : share of samples lost as measured; None where nobody watched.
    heat : how warm receiver and computer get over hours, as a class.
    """

    rate_hz: float
    clean_hz: float
    bytes_per_s: float
    usb_share: float
    bin_hz: float
    line_s: float
    effective_bits: float
    gigabytes_per_hour: float
    heat: str
    lost: float | None = None

    @property
    def is_clean(self) -> bool:
        """Return True unless it lost samples, or needs more than the link carries."""
        return not self.lost and self.usb_share <= 1.0


def rate_figures(
    rates_hz: Sequence[float], bits: int, bandwidth_hz: float, points: int, lost: Mapping[float, float] | None = None,
    *, effective_bits: float | None = None, stream_bits: int = 0,
) -> tuple[RateFigures, ...]:  # fmt: skip
    """Figures of all rates, in rising order.

    Parameters
    ----------
    bandwidth_hz : float
        Of the mode listened to; effective bits are for it.
    points : int
        Of the transform behind a picture: bin width f_s / N, time per line N / f_s.
    lost : mapping of rate to share
        As measured by First light.
    effective_bits : float
        Of the ADC over its whole span (IEEE Std 1241); the nominal ones by default.
    stream_bits : int
        Of each value on the link; 0 for the nominal ones.
    """
    lost_bits = 0.0 if effective_bits is None else bits - effective_bits
    sent_bits = stream_bits or bits
    return tuple(
        RateFigures(
            rate, CLEAN_SHARE * rate, load_bytes(sent_bits, rate), load_bytes(sent_bits, rate) / USB2_BYTES,
            rate / points, points / rate,
            converter_figures(bits, rate, min(bandwidth_hz, rate)).effective_bits - lost_bits,
            load_bytes(sent_bits, rate) * 3600 / 1e9, _heat(load_bytes(sent_bits, rate)), (lost or {}).get(rate),
        )
        for rate in sorted(rates_hz)
    )  # fmt: skip


def recommended(figures: Sequence[RateFigures]) -> tuple[RateFigures | None, RateFigures | None]:
    """Highest clean rate, and the next lower one for head-room; None without one."""
    clean = [figure for figure in figures if figure.is_clean]
    if not clean:
        return None, None
    return clean[-1], clean[-2] if len(clean) > 1 else clean[-1]


def _heat(bytes_per_s: float) -> str:
    return "cool" if bytes_per_s < 5e6 else "warm" if bytes_per_s < 16e6 else "hot"
