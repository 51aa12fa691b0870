"""The bench: units of a build, their readings, and how far each is proven."""
