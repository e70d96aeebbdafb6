"""One line measured as it is, with the model that explains it and what that model leaves over."""

from yarddial.dsp.spectral_line.measure import measure_line

__all__ = ["measure_line"]
