"""Part classes and chemistries that ship with the product, each figure with grade and source."""

from __future__ import annotations

from .catalogue import Catalogue, PartClass, catalogue

__all__ = ["Catalogue", "PartClass", "catalogue"]
