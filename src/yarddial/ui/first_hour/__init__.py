"""The first hour: a guide that walks through the work and points at the real controls."""
