"""Where samples come from: one protocol for receivers, simulated ones and recordings."""
