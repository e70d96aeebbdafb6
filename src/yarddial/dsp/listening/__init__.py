"""From a span's samples to sound: channel filters, demodulators, gain, squelch, noise reduction."""
