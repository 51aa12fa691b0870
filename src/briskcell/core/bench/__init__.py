"""Bench: the order in which a build is proven, what each reading should be, and what is wrong where it is not."""
