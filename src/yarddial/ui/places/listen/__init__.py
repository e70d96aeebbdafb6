"""The place Listen."""
