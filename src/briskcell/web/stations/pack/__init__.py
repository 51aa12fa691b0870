"""The pages of the Pack station."""
