"""The dial: entry for any frequency, slide rule, error, and the modes it serves."""
