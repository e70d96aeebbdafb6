"""What the person likes, and what follows from where the station stands."""
