"""Overview of every band: whether it is reachable, true and clean, and the next step."""
