"""The transceiver beside the receiver: linked, followed, kept safe; and its own transmission heard."""
