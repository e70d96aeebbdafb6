"""Samples from other programs: over TCP, a pipe, or standard input."""
