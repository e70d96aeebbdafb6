"""Comparison of two set-ups: which receives better, and by how much, from alternating measurements in fading."""
