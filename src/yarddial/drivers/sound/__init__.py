"""Receivers on the sound card: a stereo input as I and Q, through PortAudio."""
