"""The manual: one page a place, written by hand; words, keys and numbers from the tables that the window uses, too."""
