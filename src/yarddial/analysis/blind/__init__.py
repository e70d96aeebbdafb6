"""The dial's error when no station is known: transmitters keep rasters, and many together tell it."""
