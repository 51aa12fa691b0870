"""Formats what the core found for the templates; decides nothing."""
