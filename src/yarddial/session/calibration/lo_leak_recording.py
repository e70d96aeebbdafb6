"""Search for a converter's oscillator leakage in a recording of its output."""

from collections.abc import Sequence
from pathlib import Path

from yarddial.analysis.correction.lo_leak import Glimpse, LeakAnswer, weigh_leaks
from yarddial.yard.errors import NoCarrier
from yarddial.yard.oscillator_classes import classes_at

# Seconds suffice, since the frequency is needed to some hundred hertz only.
MAX_S = 4.0


def leak_in_recording(
    path: Path,
    stated_hz: Sequence[float],
    crystal_ppm: float,
    crystal_sigma_ppm: float,
    tolerance_ppm: float | None = None,
    sample_format: str = "",
    rate_hz: float | None = None,
    centre_hz: float | None = None,
    *,
    antenna_off: bool = False,
) -> LeakAnswer:
    """Search around each stated oscillator that the recording covers, at the receiver's own frequencies.

    antenna_off : it was made with the antenna disconnected.

    Raises
    ------
    BadRecording
        It cannot be read.
    BadObservations
        It covers none of the stated values.
    """
    from yarddial.dsp.spectral_line import measure_line
    from yarddial.records.recordings import open_recording

    recording = open_recording(path, sample_format, rate_hz, centre_hz)
    # A recording made through the converter states the tuner's frequency: the leak is there, not on the dial.
    middle_hz = recording.centre_hz if recording.tuner_hz is None else recording.tuner_hz
    samples = recording.read(0, int(MAX_S * recording.rate_hz))
    glimpses: list[Glimpse] = []
    for stated in stated_hz:
        spread_ppm = (
            max(oscillator_class.sigma_ppm for oscillator_class in classes_at(stated))
            if tolerance_ppm is None
            else tolerance_ppm
        )
        within_hz = max(3 * stated * 1e-6 * (spread_ppm**2 + crystal_sigma_ppm**2) ** 0.5, 1_000.0)
        offset_hz = stated - middle_hz
        if abs(offset_hz) + within_hz > recording.rate_hz / 2:
            continue
        try:
            # The receiver's own spike at the centre is no leak.
            carrier = measure_line(samples, recording.rate_hz, offset_hz, within_hz, (0.0,))
        except NoCarrier:
            glimpses.append(Glimpse(stated, within_hz))
        else:
            shown_hz = middle_hz + carrier.frequency_hz
            glimpses.append(Glimpse(stated, within_hz, shown_hz, carrier.sigma_hz, carrier.cn0_dbhz))
    return weigh_leaks(glimpses, crystal_ppm, crystal_sigma_ppm, tolerance_ppm, antenna_off=antenna_off)
