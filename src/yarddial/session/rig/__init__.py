"""The linked transceiver, which follows the dial and is followed by it."""
