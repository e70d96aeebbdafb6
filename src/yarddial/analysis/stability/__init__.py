"""Stability of an oscillator: warm-up, random walk, ageing, and forecast."""
