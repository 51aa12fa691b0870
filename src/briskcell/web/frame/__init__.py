"""The frame around every station: spine, current map, slip, finder. Formats what the core found; decides nothing."""
