"""Appearance: colours, typefaces, the style sheet."""
