"""Rails: spare of everything with a limit, the fewest supply voltages, figures of the boards."""
