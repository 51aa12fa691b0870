"""Edits and questions of the Wiring station."""
