"""Receivers and the radio world around them, as data and physics on samples."""
