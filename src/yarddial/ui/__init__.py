"""Everything that draws. It shows what the session knows and passes on what the person does."""
