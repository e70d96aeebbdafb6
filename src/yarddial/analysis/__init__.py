"""Questions answered: a frozen request in, a frozen result out."""
