"""The place Levels."""
