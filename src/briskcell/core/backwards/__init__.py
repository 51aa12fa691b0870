"""Questions answered backwards: from what is wished to the figure that gives it, found on the same core."""
