"""The hunt for interference: what it looks like, which step to take next, and who is the culprit."""
