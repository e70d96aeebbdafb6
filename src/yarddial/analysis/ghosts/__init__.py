"""Spurious signals: prediction, identification, remedies."""
