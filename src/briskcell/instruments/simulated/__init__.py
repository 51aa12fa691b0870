"""The simulated bench: a console with faults on it, and the instruments that read it over sockets."""
