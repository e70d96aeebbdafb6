"""Pieces that any place may use; they know no session."""
