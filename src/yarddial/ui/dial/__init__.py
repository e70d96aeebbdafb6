"""The dial: one entry for any frequency, a slide rule under it, the error and what it serves."""
