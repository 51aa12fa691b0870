"""What is drawn of the pack."""
