"""Interference search: its fingerprint, the next step to take, and the verdict on its source."""
