"""Brisk Cell: battery packs, boards and wiring of a home-built handheld, sized before assembly."""

__version__ = "0.1.0"
