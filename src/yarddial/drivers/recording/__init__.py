"""A recording as a receiver: it cannot tune beyond its span, and otherwise behaves like any other."""
