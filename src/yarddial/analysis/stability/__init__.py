"""How an oscillator goes on: warming up, wandering, ageing, and what it will be."""
