"""Persistent data: station files, the logbook, recordings."""
