"""What is kept: station files, the logbook, recordings."""
