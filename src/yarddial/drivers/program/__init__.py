"""A program of the person's as a receiver: JSON lines for settings, raw samples beside them."""
