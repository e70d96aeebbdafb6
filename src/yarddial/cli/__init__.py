"""The command line: one file a command, thin; it prints what the core returns."""
