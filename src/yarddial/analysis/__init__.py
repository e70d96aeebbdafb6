"""Analyses: each takes a frozen request and returns a frozen result."""
