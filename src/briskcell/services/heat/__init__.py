"""Questions and edits of the Heat station."""
