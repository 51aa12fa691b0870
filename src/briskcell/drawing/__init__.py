"""Drawings: an assessment goes in, shapes come out; for pages, paper and files alike. No addresses, no server."""
