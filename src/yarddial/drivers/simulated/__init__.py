"""Simulated receivers and the radio world around them: data, and physics on samples."""
