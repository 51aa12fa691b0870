"""Brisk Cell: battery packs, boards and wiring of a home-built handheld, sized before assembly."""

__version__ = "0.2.0"
