"""From samples of a span to audio: channel filters, demodulators, gain, squelch, noise reduction."""
