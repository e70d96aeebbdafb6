"""Sources of samples: one protocol for real receivers, simulated ones and recordings."""
