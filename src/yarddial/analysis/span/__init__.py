"""Sample rate and centre: figures of each rate, and choices that keep a band clean."""
