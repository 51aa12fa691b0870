"""Rules of the pack."""
