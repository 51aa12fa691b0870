"""What lies where in the case."""
