"""Samples that other programs send: over TCP, through a pipe, or on standard input."""
