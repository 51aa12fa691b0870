"""Edits of the Draw station: loads, knobs, games."""
