"""Instruments on the bench: how one is described, the driver that speaks to it, its line, and the simulated bench that ships."""
