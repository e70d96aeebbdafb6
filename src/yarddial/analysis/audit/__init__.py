"""Checks of the assembled yard: connectors, supplies, transmit power, ranges and care."""
