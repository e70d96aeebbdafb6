"""Dial error without a known station: transmitters keep to rasters, and many together reveal the offset."""
