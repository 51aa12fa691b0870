"""Edits of the Rails station: what feeds what, and the other way to power a build."""
