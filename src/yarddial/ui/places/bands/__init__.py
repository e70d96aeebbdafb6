"""The place Bands."""
