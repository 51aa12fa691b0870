"""Instruments on the bench: a driver for each kind, and the simulated ones that ship."""
