"""The Wiring station."""
