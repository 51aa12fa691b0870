"""Edits of the Pack station: the bay, the cells in it; and sessions in time."""
