"""The domain: frequencies, parts, routes, oscillators and what they do to the dial. Plain Python, no arrays."""
