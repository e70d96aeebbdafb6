"""The live engine: receiver to slice to picture and measurement, in a process of its own."""
