"""The place First light."""
