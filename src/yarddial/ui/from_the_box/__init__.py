"""First start: the person's equipment, asked once, becomes a yard."""
