"""When nothing flows: a figure by itself, since a load is let go before anything larger of the program is loaded."""

from __future__ import annotations

AT_REST_A = 0.02  # below which nothing flows: less than what a load may be off
