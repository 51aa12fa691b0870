"""Edits of parts of every kind: added where they fit, fed from elsewhere, removed with what hangs on them put elsewhere."""
