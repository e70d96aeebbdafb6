"""Signal-to-noise ratio of an analogue-to-digital converter in a bandwidth narrower than its span."""

from math import log10

import msgspec

from yarddial.yard.errors import BadPath
from yarddial.yard.frequency import format_bound
from yarddial.yard.working import WorkedValue, Working


class ConverterFigures(msgspec.Struct, frozen=True):
    """Signal-to-noise ratio of a full-scale sine over the span, process gain of the narrower bandwidth, and their
    sum.
    """

    bits: int
    rate_hz: float
    bandwidth_hz: float
    snr_full_span_db: float
    process_gain_db: float
    bytes_per_s: float

    @property
    def snr_db(self) -> float:
        """Signal to noise in the bandwidth, dB."""
        return self.snr_full_span_db + self.process_gain_db

    @property
    def effective_bits(self) -> float:
        """Bits of an ideal ADC with the same ratio over its whole span."""
        return (self.snr_db - 1.76) / 6.02

    def working(self) -> Working:
        """Formula, values and source of the result."""
        return Working(
            title=f"{self.bits} bits at {self.rate_hz / 1e6:g} MS/s, in {format_bound(self.bandwidth_hz)}",
            formulas=("SNR = 6.02 b + 1.76 dB", "gain = 10 log10(f_s / B)", "bytes/s = 2 x bytes per component x f_s"),
            values=(
                WorkedValue("SNR", "over the whole span", f"{self.snr_full_span_db:.2f} dB"),
                WorkedValue("gain", "by the narrower bandwidth", f"{self.process_gain_db:.2f} dB"),
                WorkedValue("load", "of the link and the disk", f"{self.bytes_per_s / 1e6:.3g} MB/s"),
            ),
            result=f"{self.snr_db:.2f} dB in the bandwidth, as of {self.effective_bits:.1f} bits",
            source="ideal converter, full-scale sine; complex samples",
        )


def converter_figures(bits: int, rate_hz: float, bandwidth_hz: float) -> ConverterFigures:
    """Calculate the figures; raises BadPath for a bandwidth wider than the span."""
    if not 0 < bandwidth_hz <= rate_hz:
        wide = format_bound(bandwidth_hz)
        raise BadPath(f"a bandwidth of {wide} does not fit into {rate_hz / 1e6:g} MS/s: choose a smaller one")
    return ConverterFigures(
        bits, rate_hz, bandwidth_hz, 6.02 * bits + 1.76, 10 * log10(rate_hz / bandwidth_hz), load_bytes(bits, rate_hz)
    )


def load_bytes(bits: int, rate_hz: float) -> float:
    """Bytes per second of complex samples, whole bytes per component."""
    return 2 * -(-bits // 8) * rate_hz
