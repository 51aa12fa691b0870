"""What is wrong with a build: one rule a function, one file a station, one registry."""

from __future__ import annotations

from . import chargers, charging, classes, day, fit, heat, pack, protection, rails, resets, room, stores, switching, trickle, wiring  # noqa: F401  each module registers its rules
from .registry import RULES, Finding, Remedy, Rule, sorted_findings, unjudged

__all__ = ["RULES", "Finding", "Remedy", "Rule", "sorted_findings", "unjudged"]
