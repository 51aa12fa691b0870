"""Brief: the requirements held against the plan."""
