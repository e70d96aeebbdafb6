"""How far is each oscillator off? From observations to crystal ppm and converter errors with their uncertainties."""
