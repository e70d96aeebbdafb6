"""The dial's error by ear: one tone heard as AM, on the upper and on the lower sideband."""
