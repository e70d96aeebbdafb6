"""The places, in the order of the work; each in its own folder, none knows another."""
