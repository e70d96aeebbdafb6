"""How it looks: colours, typefaces, the style sheet."""
