"""The current map: open, folded to a strip, and on the charger."""
