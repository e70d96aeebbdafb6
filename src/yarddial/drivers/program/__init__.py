"""A program of the person's as a receiver: JSON lines for what is set, raw samples beside them."""
