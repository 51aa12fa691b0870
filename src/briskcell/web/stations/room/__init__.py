"""The Room station."""
