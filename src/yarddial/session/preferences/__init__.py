"""Preferences of the person, and what follows from the station's location."""
