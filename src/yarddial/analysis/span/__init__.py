"""Sample rate and centre: what each rate gives, and which keeps a band clean."""
