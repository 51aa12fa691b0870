"""What is drawn of the rails."""
