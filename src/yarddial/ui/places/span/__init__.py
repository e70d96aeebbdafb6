"""The place Span."""
