"""Rules of charging."""
