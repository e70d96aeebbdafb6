"""Log: what was observed and set, when, and with what."""
