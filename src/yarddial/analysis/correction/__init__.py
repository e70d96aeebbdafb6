"""Error of each oscillator: from observations to crystal ppm and converter errors with their uncertainties."""
