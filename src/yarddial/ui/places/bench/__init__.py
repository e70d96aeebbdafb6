"""Bench: the parts of the yard, their values, and what each route reaches."""
