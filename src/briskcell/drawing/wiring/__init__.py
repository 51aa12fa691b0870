"""What is drawn of the wiring."""
