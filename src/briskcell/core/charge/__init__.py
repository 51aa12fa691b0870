"""Charge: how a store fills, with the console off and in play."""
