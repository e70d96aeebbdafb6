"""Yard Dial: which path a signal takes to your dial, how far the dial is off, why, and what to set."""

__version__ = "0.1.0"
