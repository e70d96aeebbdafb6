"""The transceiver beside the receiver: link, following, safety, and its own transmission."""
