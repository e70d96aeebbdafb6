"""A recording as a receiver: it cannot be tuned beyond what was recorded, all else is the same."""
