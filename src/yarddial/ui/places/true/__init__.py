"""True: measure, fit, apply, verify."""
