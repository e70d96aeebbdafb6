"""First light: checks that the receiver answers, loses no samples, and shows what is on the air."""
