"""Edits and questions of the Room station."""
