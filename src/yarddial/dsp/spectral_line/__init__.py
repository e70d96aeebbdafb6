"""Measurement of one spectral line with the model that explains it and the residual of that model."""

from yarddial.dsp.spectral_line.measure import measure_line

__all__ = ["measure_line"]
