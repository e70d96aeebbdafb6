"""Receivers on the sound card: a stereo input as I and Q, by PortAudio."""
