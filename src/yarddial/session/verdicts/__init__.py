"""A verdict, then the evidence, then the fix: the sentences over the places, made from the numbers."""
