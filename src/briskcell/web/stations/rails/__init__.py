"""The pages of the Rails station."""
