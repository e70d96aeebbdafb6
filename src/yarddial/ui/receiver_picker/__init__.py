"""Choosing what a receiver of the yard really is."""
