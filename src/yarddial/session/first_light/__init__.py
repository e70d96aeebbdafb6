"""First light: does the receiver answer, with all its samples, and is what it shows what is there?"""
