"""Pure functions on arrays of samples."""
