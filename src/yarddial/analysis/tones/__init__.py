"""Dial error from an audio tone: one tone demodulated as AM, upper and lower sideband."""
