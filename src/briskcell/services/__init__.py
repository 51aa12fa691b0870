"""Use cases: where stored builds, the library and the core meet."""
