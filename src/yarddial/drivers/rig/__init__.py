"""Transceiver control: reading and setting frequency and mode. Only the guarded key can transmit."""
