"""The place True: measure, fit, enter, verify."""
