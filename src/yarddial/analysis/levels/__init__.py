"""Gain advice from a sweep over the real steps."""
