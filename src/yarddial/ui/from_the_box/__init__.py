"""The first start: what a person has got, asked once, becomes their yard."""
