"""The yard strip: tracks with plates from the antennas to the receiver, the points lying for the active route."""
