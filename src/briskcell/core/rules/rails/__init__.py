"""Rules of the rails."""
