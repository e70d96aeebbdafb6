"""The yard strip: tracks with plates from the antennas to the receiver, with the active route marked."""
