"""Draw: what the parts consume, and what they cost and weigh."""
