"""Edits and questions of the Day station: days that the build is to last, and when to plug in."""
