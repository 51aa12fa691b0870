"""What is wrong with a build: one rule a function, under its station's name, one registry."""

from __future__ import annotations

from importlib import import_module
from pkgutil import walk_packages

from .registry import RULES, Finding, Remedy, Rule, sorted_findings, unjudged

__all__ = ["RULES", "Finding", "Remedy", "Rule", "sorted_findings", "unjudged"]

for _module in sorted(m.name for m in walk_packages(__path__, f"{__name__}.")):  # each registers its rules
    import_module(_module)
