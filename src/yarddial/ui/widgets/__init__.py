"""Widgets for any place; they know no session."""
