"""Edits of a plan: by path, by swapping a part; and the differences they make, in words."""
