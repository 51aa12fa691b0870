"""The drawer: what a builder has, what a build still wants of it, and which other class would do."""
