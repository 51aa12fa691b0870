"""What is drawn of a charge."""
