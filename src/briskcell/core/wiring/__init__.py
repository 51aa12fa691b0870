"""Wiring: conductors, fuses and the harness at their worst moment."""
