"""What can appear where nothing is."""
