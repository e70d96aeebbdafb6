"""Transceivers under control: what they are tuned to is read and set; none of it ever switches a transmitter on."""
