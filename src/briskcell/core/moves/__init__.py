"""Changes that a builder can make: a figure set within its bounds, or a part replaced by a class; one file a matter."""
