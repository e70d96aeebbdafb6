"""The place Ghosts."""
