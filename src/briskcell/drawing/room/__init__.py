"""What is drawn of the case."""
