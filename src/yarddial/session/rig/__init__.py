"""The transceiver and the dial follow each other."""
