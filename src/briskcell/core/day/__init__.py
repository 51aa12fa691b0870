"""The day: how it will be used, lived through in time."""
