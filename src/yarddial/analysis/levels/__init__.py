"""How much gain: from what a sweep over the real steps has shown."""
