"""The manual: one hand-written page per place; terms and keys come from the tables that the window uses."""
