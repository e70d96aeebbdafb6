"""The transceiver and the dial move as one."""
