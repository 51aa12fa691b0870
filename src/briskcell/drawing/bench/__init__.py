"""What is drawn for the bench."""
